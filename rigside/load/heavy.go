package load

import (
	"fmt"
	"math"
	"sync"
)

// The heavy load multiplies two small matrices again and again, adding to a third, all of them in the first-level
// cache. Every element takes its additions in one fixed order, so the result is the same to the last bit in every
// vector width and in plain Go, and one reference serves all. Since the sum is carried on from pass to pass, an error
// in a register, in the sum or in a factor stays until the comparison.

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

// vectorPasses and portablePasses are how many passes are made between two comparisons, perCall how many of them without
// a break: assembly cannot be interrupted, so a call stays well below a millisecond.
const (
	vectorPasses   = 1000
	portablePasses = 40
	perCall        = 100
)

// heavy is the heavy load. A round makes so many passes and compares the sum.
type heavy struct {
	width   Width
	passes  int
	want    uint64
	a, b, c []float64
	flipped *float64 // a factor that a disturbance changed, and what it was
	was     float64
}

// newHeavy panics when the machine does not have the width.
func newHeavy(width Width, passes int) *heavy {
	w := &heavy{width: width, passes: passes, c: aligned(rows * cols)}
	if width != Portable && width != Bits256 && width != Bits512 {
		panic(fmt.Sprintf("load: no vectors of %d bits", width))
	}
	w.a, w.b = factors()
	w.want = reference(w.passes)
	return w
}

// passesOf is how many passes a round of a width makes.
func passesOf(width Width) int {
	if width == Portable {
		return portablePasses
	}
	return vectorPasses
}

func (w *heavy) round(d *disturbance) (operations float64, right bool) {
	clear(w.c)
	if w.flipped != nil { // a wrong factor lasts for a round
		*w.flipped, w.flipped = w.was, nil
	}
	half := (w.passes + 1) / 2
	w.run(half)
	if d != nil {
		w.disturb(d)
	}
	w.run(w.passes - half)
	return float64(w.passes) * FlopsPerPass, checksum(w.c) == w.want
}

func (w *heavy) run(passes int) {
	for ; passes > 0; passes -= perCall {
		multiplyAdd(w.width, w.a, w.b, w.c, min(passes, perCall))
	}
}

// disturb flips a bit of a factor or of the sum, but for the lowest of the mantissa: such a change a later rounding may
// swallow, and then no result is wrong.
func (w *heavy) disturb(d *disturbance) {
	at, bit := d.pick(len(w.a)+len(w.b)+len(w.c)), swallowed+d.pick(63-swallowed)
	switch {
	case at < len(w.a):
		w.flip(w.a, at, bit)
	case at < len(w.a)+len(w.b):
		w.flip(w.b, at-len(w.a), bit)
	default:
		flipBit(&w.c[at-len(w.a)-len(w.b)], bit)
	}
}

const swallowed = 12

func (w *heavy) flip(factor []float64, at, bit int) {
	w.flipped, w.was = &factor[at], factor[at]
	flipBit(w.flipped, bit)
}

func flipBit(value *float64, bit int) {
	*value = math.Float64frombits(math.Float64bits(*value) ^ 1<<bit)
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
