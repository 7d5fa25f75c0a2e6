package load

import (
	"math"
	"math/bits"
	"sync"
)

// transform is a complex Fourier transform of side² numbers, kept as a square of rows. Columns are transformed, all of
// them at once, then every number is turned, the square is transposed, and columns are transformed again: so every
// step runs along rows, as vectors of any width do. Radix 4, decimation in frequency forward and in time backward,
// so that no step sorts: forward leaves its results in the order that place tells. (Gentleman and Sande, 1966;
// Bailey, 1990, for the square.) All widths give the same bits.
type transform struct {
	side     int       // a power of four
	w        []float64 // per stage and butterfly: three turns
	wre, wim []float64 // the turn of each number between the two halves
	back     []int     // back[i] is i with its base-four digits in reverse
}

var transforms sync.Map // side → func() *transform

func newTransform(side int) *transform {
	once, _ := transforms.LoadOrStore(side, sync.OnceValue(func() *transform { return makeTransform(side) }))
	return once.(func() *transform)()
}

func makeTransform(side int) *transform {
	t := &transform{side: side, wre: aligned(side * side), wim: aligned(side * side), back: make([]int, side)}
	unit := func(k, n int) (re, im float64) {
		im, re = math.Sincos(-2 * math.Pi * float64(k%n) / float64(n))
		return re, im
	}
	for l := side; l > 1; l /= 4 {
		for j := range l / 4 {
			for arm := 1; arm < 4; arm++ {
				re, im := unit(arm*j, l)
				t.w = append(t.w, re, im)
			}
		}
	}
	digits := bits.Len(uint(side)) / 2
	for i := range t.back {
		for d := range digits {
			t.back[i] |= i >> (2 * d) & 3 << (2 * (digits - 1 - d))
		}
	}
	for i := range side {
		for j := range side {
			t.wre[i*side+j], t.wim[i*side+j] = unit(t.back[i]*j, side*side)
		}
	}
	return t
}

// frequency returns which frequency stands at a row and column after forward.
func (t *transform) frequency(row, column int) int { return t.back[column] + t.side*t.back[row] }

// forward transforms re and im in place.
func (t *transform) forward(width Width, re, im []float64) {
	t.columns(width, re, im)
	turnAll(width, re, im, t.wre, t.wim, false)
	transpose(re, t.side)
	transpose(im, t.side)
	t.columns(width, re, im)
}

// backward undoes forward, but for a factor of side².
func (t *transform) backward(width Width, re, im []float64) {
	t.columnsBack(width, re, im)
	transpose(re, t.side)
	transpose(im, t.side)
	turnAll(width, re, im, t.wre, t.wim, true)
	t.columnsBack(width, re, im)
}

func (t *transform) columns(width Width, re, im []float64) {
	n, at := t.side, 0
	for l := n; l > 1; l /= 4 {
		for j := range l / 4 {
			w := t.w[at+6*j:]
			for b := j; b < n; b += l {
				forwardRows(width, re[b*n:], im[b*n:], l/4*n, n, w)
			}
		}
		at += 6 * (l / 4)
	}
}

func (t *transform) columnsBack(width Width, re, im []float64) {
	n, at := t.side, len(t.w)
	for l := 4; l <= n; l *= 4 {
		at -= 6 * (l / 4)
		for j := range l / 4 {
			w := t.w[at+6*j:]
			for b := j; b < n; b += l {
				backwardRows(width, re[b*n:], im[b*n:], l/4*n, n, w)
			}
		}
	}
}

// transpose mirrors a square, in small squares that fit the first-level cache.
func transpose(a []float64, n int) {
	const part = 16
	for i0 := 0; i0 < n; i0 += part {
		for j0 := i0; j0 < n; j0 += part {
			for i := i0; i < i0+part; i++ {
				row := a[i*n : i*n+n]
				for j := max(j0, i+1); j < j0+part; j++ {
					row[j], a[j*n+i] = a[j*n+i], row[j]
				}
			}
		}
	}
}

// forwardRowsPortable is the butterfly in plain Go, and the definition of what the vector kernels compute.
func forwardRowsPortable(re, im []float64, stride, n int, w []float64) {
	for i := range n {
		ar, br, cr, dr := re[i], re[i+stride], re[i+2*stride], re[i+3*stride]
		ai, bi, ci, di := im[i], im[i+stride], im[i+2*stride], im[i+3*stride]
		t0r, t1r, t2r, sr := ar+cr, ar-cr, br+dr, br-dr
		t0i, t1i, t2i, si := ai+ci, ai-ci, bi+di, bi-di
		re[i], im[i] = t0r+t2r, t0i+t2i
		re[i+stride], im[i+stride] = rotate(t1r+si, t1i-sr, w[0], w[1])
		re[i+2*stride], im[i+2*stride] = rotate(t0r-t2r, t0i-t2i, w[2], w[3])
		re[i+3*stride], im[i+3*stride] = rotate(t1r-si, t1i+sr, w[4], w[5])
	}
}

func backwardRowsPortable(re, im []float64, stride, n int, w []float64) {
	for i := range n {
		ar, ai := re[i], im[i]
		br, bi := rotateBack(re[i+stride], im[i+stride], w[0], w[1])
		cr, ci := rotateBack(re[i+2*stride], im[i+2*stride], w[2], w[3])
		dr, di := rotateBack(re[i+3*stride], im[i+3*stride], w[4], w[5])
		t0r, t1r, t2r, sr := ar+cr, ar-cr, br+dr, br-dr
		t0i, t1i, t2i, si := ai+ci, ai-ci, bi+di, bi-di
		re[i], im[i] = t0r+t2r, t0i+t2i
		re[i+stride], im[i+stride] = t1r-si, t1i+sr
		re[i+2*stride], im[i+2*stride] = t0r-t2r, t0i-t2i
		re[i+3*stride], im[i+3*stride] = t1r+si, t1i-sr
	}
}

func turnAllPortable(re, im, wre, wim []float64, back bool) {
	for i := range re {
		if back {
			re[i], im[i] = rotateBack(re[i], im[i], wre[i], wim[i])
		} else {
			re[i], im[i] = rotate(re[i], im[i], wre[i], wim[i])
		}
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
