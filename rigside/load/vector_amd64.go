package load

import (
	"unsafe"

	"golang.org/x/sys/cpu"
)

func vectorWidths() []Width {
	var out []Width
	if cpu.X86.HasAVX2 && cpu.X86.HasFMA {
		out = append(out, Bits256)
	}
	if cpu.X86.HasAVX512F {
		out = append(out, Bits512)
	}
	return out
}

func multiplyAdd(width Width, a, b, c []float64, passes int) {
	switch {
	case passes == 0:
	case width == Bits512:
		multiplyAdd512(&a[0], &b[0], &c[0], passes)
	case width == Bits256:
		multiplyAdd256(&a[0], &b[0], &c[0], passes)
	default:
		multiplyAddPortable(a, b, c, passes)
	}
}

// butterflies are the kernels of a transform's stage.
type butterflies struct {
	wide, narrow func(toRe, toIm, fromRe, fromIm *float64, toArm, fromArm, toStep, fromStep, toNext, fromNext, blocks, butterflies int,
		w *float64)
	plain butterfly
}

var (
	forwardKernels  = butterflies{forward512, forward256, forwardPortable}
	backwardKernels = butterflies{backward512, backward256, backwardPortable}
)

func forwardStage(width Width, to, from columns, s *stage, side int) {
	forwardKernels.stage(width, to, from, s, side)
}

func backwardStage(width Width, to, from columns, s *stage, side int) {
	backwardKernels.stage(width, to, from, s, side)
}

func (k *butterflies) stage(width Width, to, from columns, s *stage, side int) {
	if width == Portable {
		stagePortable(to, from, s, side, k.plain)
		return
	}
	kernel := k.narrow
	if width == Bits512 {
		kernel = k.wide
	}
	arm, next := s.length/4, 1-side // next is from behind the last block to the first of the next butterfly
	kernel(&to.re[0], &to.im[0], &from.re[0], &from.im[0], arm*to.stride, arm*from.stride, s.length*to.stride, s.length*from.stride,
		next*to.stride, next*from.stride, side/s.length, arm, &s.w[0])
}

func turn(width Width, x, rows, w numbers, n int, back bool) {
	switch {
	case width == Portable:
		turnPortable(x, rows, w, n, back)
	case width == Bits512 && back:
		turnBack512(&x.re[0], &x.im[0], &rows.re[0], &rows.im[0], &w.re[0], &w.im[0], n)
	case width == Bits512:
		turn512(&x.re[0], &x.im[0], &rows.re[0], &rows.im[0], &w.re[0], &w.im[0], n)
	case back:
		turnBack256(&x.re[0], &x.im[0], &rows.re[0], &rows.im[0], &w.re[0], &w.im[0], n)
	default:
		turn256(&x.re[0], &x.im[0], &rows.re[0], &rows.im[0], &w.re[0], &w.im[0], n)
	}
}

// mirror takes columns of squares of a vector's length one after the other.
func mirror(width Width, to, from numbers, toStep, fromStep, rows, columns int) {
	lanes := width.lanes()
	for _, x := range [2][2][]float64{{to.re, from.re}, {to.im, from.im}} {
		for at := 0; at < columns && width != Portable; at += lanes {
			if width == Bits512 {
				transpose512(&x[0][at*toStep], &x[1][at], toStep, fromStep, lanes, lanes*fromStep, rows/lanes)
			} else {
				transpose256(&x[0][at*toStep], &x[1][at], toStep, fromStep, lanes, lanes*fromStep, rows/lanes)
			}
		}
		if width == Portable {
			mirrorPortable(x[0], x[1], toStep, fromStep, rows, columns)
		}
	}
}

// squareColumns takes the widest vectors that fit.
func squareColumns(width Width, y numbers, a, b int, w numbers, rows []float64, n, side int) {
	switch {
	case width == Bits512 && n%8 == 0:
		square512(&y.re[a], &y.im[a], &y.re[b], &y.im[b], &w.re[0], &w.im[0], &rows[0], n, side, side/2)
	case width != Portable && n%4 == 0:
		square256(&y.re[a], &y.im[a], &y.re[b], &y.im[b], &w.re[0], &w.im[0], &rows[0], n, side, side/2)
	default:
		squareColumnsPortable(y, a, b, w, rows, n, side)
	}
}

func carryRow(width Width, even, odd, columns []float64, c *carried, state *carrying) {
	switch width {
	case Bits512:
		carry512(&even[0], &odd[0], &columns[0], &c[0][0], &state[0][0], len(even))
	case Bits256:
		carry256(&even[0], &odd[0], &columns[0], &c[0][0], &state[0][0], len(even))
	default:
		carryRowPortable(even, odd, columns, c, state)
	}
}

// hammer reads two words by turns, past the caches.
//
//go:noescape
func hammer(a, b *uint64, times int)

// aligned returns n zeros on a cache-line boundary, so that no vector load crosses one.
func aligned(n int) []float64 {
	const line = 64
	raw := make([]float64, n+line/8)
	skip := (line - uintptr(unsafe.Pointer(&raw[0]))%line) % line / 8
	return raw[skip : int(skip)+n : int(skip)+n]
}
