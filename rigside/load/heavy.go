// Package load holds the loads that a rig runs to prove a trim. They are made to find faults: every worker computes
// something whose result is known, and compares it every few milliseconds.
//
// The heavy load multiplies two small matrices again and again, adding to a third, all of them in the first-level
// cache. Every element takes its additions in one fixed order, so the result is the same to the last bit in every
// vector width and in plain Go, and one reference serves all. Since the sum is carried on from pass to pass, an error
// in a register, in the sum or in a factor stays until the comparison.
package load

import (
	"fmt"
	"math"
	"sync"
)

// Shape of the matrices: C (rows × cols) += A (rows × depth) · B (depth × cols), 30 KiB together.
const (
	rows  = 12
	depth = 24
	cols  = 96
)

// FlopsPerPass is the number of floating-point operations of one pass.
const FlopsPerPass = 2 * rows * depth * cols

// Width is the width of the vectors that a worker computes with.
type Width int

const (
	Portable Width = 0 // plain Go
	Bits256  Width = 256
	Bits512  Width = 512
)

func (w Width) String() string {
	if w == Portable {
		return "portable"
	}
	return fmt.Sprintf("%d bit", int(w))
}

// Widest returns the widest vectors that this machine has.
func Widest() Width {
	widths := Widths()
	return widths[len(widths)-1]
}

// Widths lists the widths that this machine has, the narrowest first.
func Widths() []Width { return append([]Width{Portable}, vectorWidths()...) }

// passes is how many passes are made between two comparisons, a call how many of them without a break: assembly cannot
// be interrupted, so a call stays well below a millisecond.
const (
	vectorPasses   = 1000
	portablePasses = 40
	perCall        = 100
)

// Worker runs the load on one core. It is not safe for concurrent use.
type Worker struct {
	width   Width
	passes  int
	want    uint64
	a, b, c []float64
}

// NewWorker returns a worker. It panics when the machine does not have the width.
func NewWorker(width Width) *Worker {
	w := &Worker{width: width, passes: vectorPasses, c: aligned(rows * cols)}
	if width == Portable {
		w.passes = portablePasses
	} else if width != Bits256 && width != Bits512 {
		panic(fmt.Sprintf("load: no vectors of %d bits", width))
	}
	w.a, w.b = factors()
	w.want = reference(w.passes)
	return w
}

// Run makes one round of passes and compares the result. It returns the number of passes, and whether the result was
// right.
func (w *Worker) Run() (passes int, right bool) {
	clear(w.c)
	for left := w.passes; left > 0; left -= perCall {
		multiplyAdd(w.width, w.a, w.b, w.c, min(left, perCall))
	}
	return w.passes, checksum(w.c) == w.want
}

// RunWith is Run with a chance to disturb the sum half way, to show that the comparison finds it.
func (w *Worker) RunWith(disturb func(sum []float64)) (passes int, right bool) {
	clear(w.c)
	multiplyAdd(w.width, w.a, w.b, w.c, w.passes/2)
	disturb(w.c)
	multiplyAdd(w.width, w.a, w.b, w.c, w.passes-w.passes/2)
	return w.passes, checksum(w.c) == w.want
}

// FlipBit flips one bit of a value.
func FlipBit(values []float64, at, bit int) {
	values[at] = math.Float64frombits(math.Float64bits(values[at]) ^ 1<<bit)
}

// factors returns A and B: numbers of either sign between 0.25 and 1, so that no sum overflows or becomes subnormal,
// with every mantissa bit in use.
func factors() (a, b []float64) {
	a, b = aligned(rows*depth), aligned(depth*cols)
	state := uint64(0x9e3779b97f4a7c15)
	next := func() float64 {
		// xorshift64* (Vigna, 2016)
		state ^= state >> 12
		state ^= state << 25
		state ^= state >> 27
		x := state * 0x2545f4914f6cdd1d
		v := 0.25 + 0.75*float64(x>>11)/(1<<53)
		if x&1 == 1 {
			return -v
		}
		return v
	}
	for _, m := range [][]float64{a, b} {
		for i := range m {
			m[i] = next()
		}
	}
	return a, b
}

var references sync.Map // passes → func() uint64

// reference returns the checksum after a number of passes, computed once in plain Go.
func reference(passes int) uint64 {
	once, _ := references.LoadOrStore(passes, sync.OnceValue(func() uint64 {
		a, b := factors()
		c := make([]float64, rows*cols)
		multiplyAddPortable(a, b, c, passes)
		return checksum(c)
	}))
	return once.(func() uint64)()
}

// checksum folds the bits of every value; a single flipped bit always changes it, since each step is a bijection of
// what came before.
func checksum(values []float64) uint64 {
	h := uint64(14695981039346656037)
	for _, v := range values {
		h = (h ^ math.Float64bits(v)) * 1099511628211
		h ^= h >> 29
	}
	return h
}

// multiplyAddPortable is the kernel in plain Go, and the definition of the order of additions.
func multiplyAddPortable(a, b, c []float64, passes int) {
	for range passes {
		for i := range rows {
			sum := c[i*cols : (i+1)*cols]
			for k := range depth {
				f := a[i*depth+k]
				row := b[k*cols : (k+1)*cols]
				for j := range sum {
					sum[j] = math.FMA(row[j], f, sum[j])
				}
			}
		}
	}
}
