package load

import (
	"math"
	"math/bits"
	"sync"
)

// transform is a complex Fourier transform of side² numbers, kept as a square of rows. Columns are transformed, every number is turned,
// the square is mirrored, and columns are transformed again (Bailey, 1990). Columns are taken a strip at a time, which stays in the nearest
// caches through all of its stages: so every step runs along rows, as vectors of any width do, and the square itself is read and written
// twice each way. Radix 4, decimation in frequency forward and in time backward, so that no step sorts: forward leaves its results in the
// order that frequency tells. (Gentleman and Sande, 1966.) All widths give the same bits.
type transform struct {
	side   int       // a power of four
	stages []stage   // forward; backward takes them from the last
	back   []int     // back[i] is i with its base-four digits in reverse
	strips []numbers // of each: the turns of its rows
	within numbers   // and of each row the turns within a strip, which are those of all strips
}

// stage is one of a transform of columns: per butterfly three turns.
type stage struct {
	length int // of the parts that it makes butterflies of, in rows
	w      []float64
}

// strip is how many columns are transformed together.
const strip = 16

// numbers are complex ones, real and imaginary parts apart.
type numbers struct{ re, im []float64 }

func newNumbers(n int) numbers { return numbers{aligned(n), aligned(n)} }

func (x numbers) from(i int) numbers { return numbers{x.re[i:], x.im[i:]} }

var transforms sync.Map // side → func() *transform

func newTransform(side int) *transform {
	once, _ := transforms.LoadOrStore(side, sync.OnceValue(func() *transform { return makeTransform(side) }))
	return once.(func() *transform)()
}

// unit returns the k-th power of the n-th root of one.
func unit(k, n int) (re, im float64) {
	im, re = math.Sincos(-2 * math.Pi * float64(k%n) / float64(n))
	return re, im
}

func makeTransform(side int) *transform {
	t := &transform{side: side, back: make([]int, side), within: newNumbers(side * strip)}
	for l := side; l > 1; l /= 4 {
		s := stage{length: l}
		for j := range l / 4 {
			for arm := 1; arm < 4; arm++ {
				re, im := unit(arm*j, l)
				s.w = append(s.w, re, im)
			}
		}
		t.stages = append(t.stages, s)
	}
	digits := bits.Len(uint(side)) / 2
	for i := range t.back {
		for d := range digits {
			t.back[i] |= i >> (2 * d) & 3 << (2 * (digits - 1 - d))
		}
	}
	for i := range side {
		for j := range strip {
			t.within.re[i*strip+j], t.within.im[i*strip+j] = unit(t.back[i]*j, side*side)
		}
	}
	for s := 0; s < side; s += strip {
		rows := newNumbers(side)
		for i := range side {
			rows.re[i], rows.im[i] = unit(t.back[i]*s, side*side)
		}
		t.strips = append(t.strips, rows)
	}
	return t
}

// frequency returns which frequency stands at a row and column after forward.
func (t *transform) frequency(row, column int) int { return t.back[column] + t.side*t.back[row] }

// columns are those of a strip, wherever its rows stand: in the square, a side from each other, or by themselves.
type columns struct {
	numbers
	stride int
}

// strip returns a strip of a square.
func (t *transform) strip(x numbers, s int) columns { return columns{x.from(s * strip), t.side} }

// forward transforms a into b. part is room for a strip.
func (t *transform) forward(width Width, a, b, part numbers) {
	p := columns{part, strip}
	for s, rows := range t.strips {
		t.columns(width, t.strip(a, s), p, p)
		turn(width, part, rows, t.within, t.side, false)
		mirror(width, b.from(s*strip*t.side), part, t.side, strip, t.side, strip)
	}
	for s := range t.strips {
		at := t.strip(b, s)
		t.columns(width, at, p, at)
	}
}

// backward undoes forward, but for a factor of side².
func (t *transform) backward(width Width, b, a, part numbers) {
	p := columns{part, strip}
	for s := range t.strips {
		at := t.strip(b, s)
		t.columnsBack(width, at, p, at)
	}
	for s, rows := range t.strips {
		mirror(width, part, b.from(s*strip*t.side), strip, t.side, strip, t.side)
		turn(width, part, rows, t.within, t.side, true)
		t.columnsBack(width, p, p, t.strip(a, s))
	}
}

// columns transforms columns by way of others, where what is not last comes to stand.
func (t *transform) columns(width Width, from, way, to columns) {
	for i := range t.stages {
		if i == len(t.stages)-1 {
			way = to
		}
		forwardStage(width, way, from, &t.stages[i], t.side)
		from = way
	}
}

func (t *transform) columnsBack(width Width, from, way, to columns) {
	for i := len(t.stages) - 1; i >= 0; i-- {
		if i == 0 {
			way = to
		}
		backwardStage(width, way, from, &t.stages[i], t.side)
		from = way
	}
}

// mirrorPortable copies so many rows and columns as columns and rows.
func mirrorPortable(to, from []float64, toStep, fromStep, rows, columns int) {
	for i := range rows {
		for j := range columns {
			to[j*toStep+i] = from[i*fromStep+j]
		}
	}
}

// butterfly makes four rows of a strip, an arm from each other, of four others.
type butterfly func(to, from numbers, toArm, fromArm int, w []float64)

// stagePortable goes through the butterflies of a stage in plain Go: each takes four rows of a strip, a quarter of the stage's length from
// each other, in every part of that length.
func stagePortable(to, from columns, s *stage, side int, make butterfly) {
	arm := s.length / 4
	for j := range arm {
		for row := j; row < side; row += s.length {
			make(to.from(row*to.stride), from.from(row*from.stride), arm*to.stride, arm*from.stride, s.w[6*j:])
		}
	}
}

// forwardPortable is a strip's butterfly in plain Go, and the definition of what the vector kernels compute.
func forwardPortable(to, from numbers, b, a int, w []float64) {
	re, im, tore, toim := from.re, from.im, to.re, to.im
	for i := range strip {
		ar, br, cr, dr := re[i], re[i+a], re[i+2*a], re[i+3*a]
		ai, bi, ci, di := im[i], im[i+a], im[i+2*a], im[i+3*a]
		t0r, t1r, t2r, sr := ar+cr, ar-cr, br+dr, br-dr
		t0i, t1i, t2i, si := ai+ci, ai-ci, bi+di, bi-di
		tore[i], toim[i] = t0r+t2r, t0i+t2i
		tore[i+b], toim[i+b] = rotate(t1r+si, t1i-sr, w[0], w[1])
		tore[i+2*b], toim[i+2*b] = rotate(t0r-t2r, t0i-t2i, w[2], w[3])
		tore[i+3*b], toim[i+3*b] = rotate(t1r-si, t1i+sr, w[4], w[5])
	}
}

func backwardPortable(to, from numbers, b, a int, w []float64) {
	re, im, tore, toim := from.re, from.im, to.re, to.im
	for i := range strip {
		ar, ai := re[i], im[i]
		br, bi := rotateBack(re[i+a], im[i+a], w[0], w[1])
		cr, ci := rotateBack(re[i+2*a], im[i+2*a], w[2], w[3])
		dr, di := rotateBack(re[i+3*a], im[i+3*a], w[4], w[5])
		t0r, t1r, t2r, sr := ar+cr, ar-cr, br+dr, br-dr
		t0i, t1i, t2i, si := ai+ci, ai-ci, bi+di, bi-di
		tore[i], toim[i] = t0r+t2r, t0i+t2i
		tore[i+b], toim[i+b] = t1r-si, t1i+sr
		tore[i+2*b], toim[i+2*b] = t0r-t2r, t0i-t2i
		tore[i+3*b], toim[i+3*b] = t1r+si, t1i-sr
	}
}

// turnPortable multiplies each number of a strip by its row's turn times its own, or by the conjugate of that.
func turnPortable(x, rows, w numbers, n int, back bool) {
	by := rotate
	if back {
		by = rotateBack
	}
	for i := range n * strip {
		wr, wi := rotate(w.re[i], w.im[i], rows.re[i/strip], rows.im[i/strip])
		x.re[i], x.im[i] = by(x.re[i], x.im[i], wr, wi)
	}
}

// rotate multiplies two complex numbers, rounding where the vector kernels do; rotateBack takes the conjugate of w.
func rotate(re, im, wr, wi float64) (float64, float64) {
	a, b := im*wi, re*wi
	return math.FMA(re, wr, -a), math.FMA(im, wr, b)
}

func rotateBack(re, im, wr, wi float64) (float64, float64) {
	a, b := im*wi, re*wi
	return math.FMA(re, wr, a), math.FMA(im, wr, -b)
}
