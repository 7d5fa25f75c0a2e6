//go:build !amd64

package load

func vectorWidths() []Width { return nil }

func multiplyAdd(_ Width, a, b, c []float64, passes int) { multiplyAddPortable(a, b, c, passes) }

func forwardStage(_ Width, to, from columns, s *stage, side int) {
	stagePortable(to, from, s, side, forwardPortable)
}

func backwardStage(_ Width, to, from columns, s *stage, side int) {
	stagePortable(to, from, s, side, backwardPortable)
}

func turn(_ Width, x, rows, w numbers, n int, back bool) { turnPortable(x, rows, w, n, back) }

func mirror(_ Width, to, from numbers, toStep, fromStep, rows, columns int) {
	mirrorPortable(to.re, from.re, toStep, fromStep, rows, columns)
	mirrorPortable(to.im, from.im, toStep, fromStep, rows, columns)
}

func squareColumns(_ Width, y numbers, a, b int, w numbers, rows []float64, n, side int) {
	squareColumnsPortable(y, a, b, w, rows, n, side)
}

func carryRow(_ Width, even, odd, columns []float64, c *carried, state *carrying) {
	carryRowPortable(even, odd, columns, c, state)
}

// hammer does nothing here: there is no way past the caches.
func hammer(_, _ *uint64, _ int) {}

func aligned(n int) []float64 { return make([]float64, n) }
