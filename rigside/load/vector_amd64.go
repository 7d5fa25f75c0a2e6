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

// aligned returns n zeros on a cache-line boundary, so that no vector load crosses one.
func aligned(n int) []float64 {
	const line = 64
	raw := make([]float64, n+line/8)
	skip := (line - uintptr(unsafe.Pointer(&raw[0]))%line) % line / 8
	return raw[skip : int(skip)+n : int(skip)+n]
}
