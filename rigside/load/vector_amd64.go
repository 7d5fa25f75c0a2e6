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

func forwardRows(width Width, re, im []float64, stride, n int, w []float64) {
	switch width {
	case Bits512:
		forward512(&re[0], &im[0], stride, n, &w[0])
	case Bits256:
		forward256(&re[0], &im[0], stride, n, &w[0])
	default:
		forwardRowsPortable(re, im, stride, n, w)
	}
}

func backwardRows(width Width, re, im []float64, stride, n int, w []float64) {
	switch width {
	case Bits512:
		backward512(&re[0], &im[0], stride, n, &w[0])
	case Bits256:
		backward256(&re[0], &im[0], stride, n, &w[0])
	default:
		backwardRowsPortable(re, im, stride, n, w)
	}
}

// perTurn is how many numbers are turned in one call, which cannot be interrupted.
const perTurn = 1 << 14

func turnAll(width Width, re, im, wre, wim []float64, back bool) {
	for at := 0; at < len(re); at += perTurn {
		n := min(perTurn, len(re)-at)
		switch {
		case width == Portable:
			turnAllPortable(re[at:at+n], im[at:at+n], wre[at:at+n], wim[at:at+n], back)
		case width == Bits512 && back:
			turn512Back(&re[at], &im[at], &wre[at], &wim[at], n)
		case width == Bits512:
			turn512(&re[at], &im[at], &wre[at], &wim[at], n)
		case back:
			turn256Back(&re[at], &im[at], &wre[at], &wim[at], n)
		default:
			turn256(&re[at], &im[at], &wre[at], &wim[at], n)
		}
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
