package load

import (
	"math"
	"math/bits"
	"sync"
)

// lucas is the transform load: it walks the Lucas–Lehmer sequence, S → S² − 2 modulo 2^p − 1, for a p whose terms are
// known. Numbers of p bits are squared through a floating-point transform with irrational bases (Crandall and Fagin,
// 1994), so that a wrong bit anywhere either shows at once, as a result that is no whole number, or spreads over the
// whole number and shows when the term is compared with the known one.
type lucas struct {
	*sequence
	width  Width
	re, im []float64 // the term's digits, the even and the odd ones, weighted
	term   int
}

// sequence is what all workers of an exponent share.
type sequence struct {
	p        int
	every    int // terms between two comparisons
	perRound int // terms of one round
	known    []uint64
	t        *transform
	places   []place   // of the digits
	partner  []int32   // per number after the transform: where its mirrored frequency stands
	mirror   []float64 // cosine and sine of the turn that joins even and odd, by frequency
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

// place is what belongs to a digit: its weight in the transform, what takes that and the transform's factors off again,
// and the power of two for which it has room.
type place struct {
	weight, unweight, room, inverse float64
}

func newSequence(p, side, every, perRound int, known []uint64) *sequence {
	t := newTransform(side)
	m := side * side
	n := 2 * m
	s := &sequence{p: p, every: every, perRound: perRound, known: known, t: t, places: make([]place, n),
		partner: make([]int32, m), mirror: make([]float64, 2*m)}
	for j := range n {
		bit, up := s.place(j)
		next, _ := s.place(j + 1)
		weight := math.Exp2(up)
		s.places[j] = place{weight: weight, unweight: 1 / (weight * float64(m)), room: math.Ldexp(1, next-bit), inverse: math.Ldexp(1, bit-next)}
	}
	at := make([]int32, m) // where each frequency stands
	for i := range m {
		at[t.frequency(i/side, i%side)] = int32(i)
	}
	for k := range m {
		s.partner[at[k]] = at[(m-k)%m]
		sin, cos := math.Sincos(-2 * math.Pi * float64(k) / float64(m))
		s.mirror[2*at[k]], s.mirror[2*at[k]+1] = cos, sin
	}
	return s
}

// place returns the place of a digit's lowest bit, p·j/n rounded up, and how much that was.
func (s *sequence) place(j int) (bit int, up float64) {
	n := uint64(len(s.places))
	high, low := bits.Mul64(uint64(s.p), uint64(j))
	q, r := bits.Div64(high, low, n)
	if r == 0 {
		return int(q), 0
	}
	return int(q) + 1, 1 - float64(r)/float64(n)
}

func newLucas(s *sequence, width Width) *lucas {
	m := s.t.side * s.t.side
	l := &lucas{sequence: s, width: width, re: aligned(m), im: aligned(m)}
	l.reset()
	return l
}

// reset goes back to the first term, 4.
func (l *lucas) reset() {
	clear(l.re)
	clear(l.im)
	l.term = 0
	l.re[0] = 4 * l.places[0].weight
}

// operations is the floating-point work of one term, by the usual count of a transform of 2·side² real numbers.
func (s *sequence) operations() float64 {
	n := float64(2 * s.t.side * s.t.side)
	return 5 * n * math.Log2(n)
}

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
			right = l.residue() == l.known[l.term/l.every-1]
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
	j := d.pick(len(l.places))
	p := &l.places[j]
	half := l.re
	if j%2 == 1 {
		half = l.im
	}
	half[j/2] += math.Ldexp(p.weight, d.pick(int(math.Log2(p.room))))
}

// maxRoundOff is how far a result may lie from a whole number.
const maxRoundOff = 0.4

// next squares the term and takes two off; it returns the largest distance of a digit from a whole number.
func (l *lucas) next() (roundOff float64) {
	l.t.forward(l.width, l.re, l.im)
	l.square()
	l.t.backward(l.width, l.re, l.im)
	return l.carry()
}

// square squares in the frequency domain. The even digits stand in the real and the odd ones in the imaginary parts;
// with E and O their transforms and w the turn of a whole step, the square has E² + w·O² and 2·E·O.
func (l *lucas) square() {
	re, im := l.re, l.im
	for a, b32 := range l.partner {
		b := int(b32)
		if b < a {
			continue // made together with its partner
		}
		ar, ai, br, bi := re[a], im[a], re[b], im[b]
		er, ei := 0.5*(ar+br), 0.5*(ai-bi)
		or, oi := 0.5*(ai+bi), 0.5*(br-ar)
		e2r, e2i := er*er-ei*ei, 2*er*ei
		o2r, o2i := or*or-oi*oi, 2*or*oi
		wr, wi := l.mirror[2*a], l.mirror[2*a+1]
		sr, si := e2r+o2r*wr-o2i*wi, e2i+o2r*wi+o2i*wr
		pr, pi := 2*(er*or-ei*oi), 2*(er*oi+ei*or)
		re[a], im[a] = sr-pi, si+pr
		re[b], im[b] = sr+pi, pr-si
	}
}

// lanes is how many parts of the number carry side by side: a carry has to wait for the one before it, and the processor
// would wait with it.
const lanes = 4

// carry rounds every digit to a whole number, takes two off the first, and passes on what is too large for its place,
// so that digits lie on either side of zero.
func (l *lucas) carry() (roundOff float64) {
	n := len(l.re) / lanes
	c0, c1, c2, c3 := -2.0, 0.0, 0.0, 0.0
	var e0, e1, e2, e3 float64
	for i := range n {
		for odd, half := range [2][]float64{l.re, l.im} {
			part := func(lane int) (*float64, *place) { return &half[lane*n+i], &l.places[2*(lane*n+i)+odd] }
			x0, p0 := part(0)
			x1, p1 := part(1)
			x2, p2 := part(2)
			x3, p3 := part(3)
			c0, e0 = p0.settle(x0, c0, e0)
			c1, e1 = p1.settle(x1, c1, e1)
			c2, e2 = p2.settle(x2, c2, e2)
			c3, e3 = p3.settle(x3, c3, e3)
		}
	}
	// What leaves the top comes in at the bottom: 2^p is 1.
	for lane, carry := range [lanes]float64{c0, c1, c2, c3} {
		l.push(2*n*(lane+1)%len(l.places), carry)
	}
	return max(e0, e1, e2, e3) // NaN if one of them is
}

// settle rounds a digit, adds the carry, and keeps what has room; it returns what goes on, and the largest distance from
// a whole number so far.
func (p *place) settle(x *float64, carry, worst float64) (on, roundOff float64) {
	v := *x * p.unweight
	whole := (v + rounder) - rounder
	if off := math.Abs(v - whole); !(off <= worst) {
		worst = off
	}
	whole += carry
	on = (whole*p.inverse + rounder) - rounder
	*x = math.FMA(-on, p.room, whole) * p.weight
	return on, worst
}

// rounder rounds a number of less than 2^51 to the nearest whole one, by being added and taken off again.
const rounder = 3 << 51

// push adds a carry to a digit, and passes on what is too large.
func (l *lucas) push(j int, carry float64) {
	for n := 0; carry != 0 && n < len(l.places); n++ {
		half := &l.re[j/2]
		if j%2 == 1 {
			half = &l.im[j/2]
		}
		p := &l.places[j]
		whole := math.RoundToEven(*half/p.weight) + carry
		carry = math.RoundToEven(whole * p.inverse)
		*half = (whole - carry*p.room) * p.weight
		j = (j + 1) % len(l.places)
	}
}

// residue returns the term modulo 2^61 − 1.
func (l *lucas) residue() uint64 {
	const check = 1<<61 - 1
	sum, negative, place := uint64(0), false, 0
	for j, p := range l.places {
		x := l.re[j/2]
		if j%2 == 1 {
			x = l.im[j/2]
		}
		d := int64(math.RoundToEven(x / p.weight))
		if d != 0 {
			negative = d < 0
		}
		u := uint64(d)
		if d < 0 {
			u = uint64(check + d)
		}
		high, low := bits.Mul64(u, 1<<(place%61))
		place += int(math.Log2(p.room))
		sum += low&check + (low>>61 | high<<3)
		sum = sum&check + sum>>61
	}
	if negative { // the number meant is larger by 2^p − 1
		sum += 1<<(l.p%61) - 1
		sum = sum&check + sum>>61
	}
	if sum == check {
		return 0
	}
	return sum
}
