package load

import (
	"math"
	"sync"
)

// lucas is the transform load: it walks the Lucas–Lehmer sequence, S → S² − 2 modulo 2^p − 1, for a p whose terms are
// known. Numbers of p bits are squared through a floating-point transform with irrational bases (Crandall and Fagin,
// 1994), so that a wrong bit anywhere either shows at once, as a result that is no whole number, or spreads over the
// whole number and shows when the term is compared with the known one.
type lucas struct {
	*sequence
	width Width
	x     numbers // the term's digits, the even and the odd ones, weighted
	y     numbers // its transform
	part  numbers // of either, being worked on
	term  int
}

// sequence is what all workers of an exponent share.
type sequence struct {
	*digits
	every    int // terms between two comparisons
	perRound int // terms of one round
	known    []uint64
	t        *transform
	columns  numbers   // the turn that joins even and odd, by column
	rows     []float64 // and by row, real and imaginary by turns; the turn of a frequency is the product
	first    []int     // per row: the row in which the partner of its first column stands
}

// sizes of the transform load: within the second-level cache, and beyond every cache.
const (
	smallSide = 64
	largeSide = 1024
)

var (
	smallSequence = sync.OnceValue(func() *sequence { return newSequence(132049, smallSide, 50, 10, smallResidues) })
	largeSequence = sync.OnceValue(func() *sequence { return newSequence(37156667, largeSide, 5, 1, largeResidues) })
)

func newSequence(p, side, every, perRound int, known []uint64) *sequence {
	t := newTransform(side)
	s := &sequence{digits: newDigits(p, side), every: every, perRound: perRound, known: known, t: t, columns: newNumbers(side),
		rows: make([]float64, 2*side), first: make([]int, side)}
	at := make([]int, side) // where each index stands
	for i, k := range t.back {
		at[k] = i
	}
	for i, k := range t.back {
		s.columns.re[i], s.columns.im[i] = unit(k, side*side)
		s.rows[2*i], s.rows[2*i+1] = unit(k, side)
		s.first[i] = at[(side-k)%side]
	}
	return s
}

func newLucas(s *sequence, width Width) *lucas {
	m := s.side * s.side
	l := &lucas{sequence: s, width: width, x: newNumbers(m), y: newNumbers(m), part: newNumbers(s.side * strip)}
	l.reset()
	return l
}

// reset goes back to the first term, 4.
func (l *lucas) reset() {
	clear(l.x.re)
	clear(l.x.im)
	l.term = 0
	l.x.re[0] = 4 * l.weight(0)
}

// operations is the floating-point work of one term, by the usual count of a transform of 2·side² real numbers.
func (s *sequence) operations() float64 { return 5 * float64(s.n) * math.Log2(float64(s.n)) }

func (l *lucas) round(disturb *disturbance) (work float64, right bool) {
	for range l.perRound {
		if disturb != nil {
			l.disturb(disturb)
			disturb = nil
		}
		work += l.operations()
		right = l.next() <= maxRoundOff
		l.term++
		if right && l.term%l.every == 0 {
			right = l.residue(l.x) == l.known[l.term/l.every-1]
		}
		if !right || l.term == l.every*len(l.known) {
			l.reset()
			return work, right
		}
	}
	return work, true
}

// disturb changes one bit of one digit.
func (l *lucas) disturb(d *disturbance) {
	j := d.pick(l.n)
	half := l.x.re
	if j%2 == 1 {
		half = l.x.im
	}
	half[j/2] += math.Ldexp(l.weight(j), d.pick(l.size(j)))
}

// maxRoundOff is how far a result may lie from a whole number.
const maxRoundOff = 0.4

// next squares the term and takes two off; it returns the largest distance of a digit from a whole number.
func (l *lucas) next() (roundOff float64) {
	l.t.forward(l.width, l.x, l.y, l.part)
	l.square()
	l.t.backward(l.width, l.y, l.x, l.part)
	return l.carry(l.width, l.x)
}

// square squares in the frequency domain, where each frequency is made together with the mirrored one. In the order of the transform the
// mirror of a row is the row as far from the other end; in it, the columns of each quarter of a quarter, and so on, stand the other way
// round in the quarter that mirrors it. Only the first column's partners stand elsewhere.
func (l *lucas) square() {
	side := l.side
	for quarter := side / 4; quarter >= 1; quarter /= 4 {
		for n := 1; n < 4; n++ {
			from, last := n*quarter, (5-n)*quarter-1 // of the partners
			squareColumns(l.width, l.y, from, (side-1)*side+last, l.columns.from(from), l.rows, quarter, side)
		}
	}
	for row, other := range l.first {
		if a, b := row*side, other*side; a <= b {
			squarePair(l.y, a, b, l.columns.re[0], l.columns.im[0], l.rows[2*row:])
		}
	}
}

// squareColumnsPortable squares n columns of the upper half with their partners: those of the first row begin at a and go upwards, and at b
// and go downwards; of the next row they stand a side on, and a side back.
func squareColumnsPortable(y numbers, a, b int, w numbers, rows []float64, n, side int) {
	for row := range side / 2 {
		for i := range n {
			squarePair(y, a+row*side+i, b-row*side-i, w.re[i], w.im[i], rows[2*row:])
		}
	}
}

// squarePair squares a number and its partner. The even digits stand in the real and the odd ones in the imaginary parts; with E and O
// their transforms and w the turn of a whole step, the square has E² + w·O² and 2·E·O. All of it comes out as four times what it is.
func squarePair(y numbers, a, b int, wr, wi float64, row []float64) {
	ar, ai, br, bi := y.re[a], y.im[a], y.re[b], y.im[b]
	er, ei := ar+br, ai-bi
	or, oi := ai+bi, br-ar
	wr, wi = rotate(wr, wi, row[0], row[1])
	e2r, e2i := squared(er, ei)
	o2r, o2i := squared(or, oi)
	tr, ti := rotate(o2r, o2i, wr, wi)
	sr, si := e2r+tr, e2i+ti
	pr, pi := rotate(er, ei, or, oi)
	pr, pi = pr+pr, pi+pi
	y.re[a], y.im[a] = sr-pi, si+pr
	y.re[b], y.im[b] = sr+pi, pr-si
}

func squared(re, im float64) (float64, float64) { return math.FMA(re, re, -(im * im)), (re + re) * im }
