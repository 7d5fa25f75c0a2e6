//go:build !amd64

package load

func vectorWidths() []Width { return nil }

func multiplyAdd(_ Width, a, b, c []float64, passes int) { multiplyAddPortable(a, b, c, passes) }

func aligned(n int) []float64 { return make([]float64, n) }
