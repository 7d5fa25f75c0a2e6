//go:build !amd64

package load

func vectorWidths() []Width { return nil }

func multiplyAdd(_ Width, a, b, c []float64, passes int) { multiplyAddPortable(a, b, c, passes) }

func forwardRows(_ Width, re, im []float64, stride, n int, w []float64) {
	forwardRowsPortable(re, im, stride, n, w)
}

func backwardRows(_ Width, re, im []float64, stride, n int, w []float64) {
	backwardRowsPortable(re, im, stride, n, w)
}

func turnAll(_ Width, re, im, wre, wim []float64, back bool) {
	turnAllPortable(re, im, wre, wim, back)
}

// hammer does nothing here: there is no way past the caches.
func hammer(_, _ *uint64, _ int) {}

func aligned(n int) []float64 { return make([]float64, n) }
