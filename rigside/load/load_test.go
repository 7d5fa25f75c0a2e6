package load_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"zerokeel/rigside/load"
)

// TestEveryWidthGivesTheSameBits: the reference comes from plain Go, so a right result in every width shows it.
func TestEveryWidthGivesTheSameBits(t *testing.T) {
	for _, width := range load.Widths() {
		w := load.NewWorker(width)
		for range 5 {
			if _, right := w.Run(); !right {
				t.Fatalf("%s: wrong result", width)
			}
		}
	}
}

func TestEveryFlippedBitIsFound(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 8))
	for _, width := range load.Widths() {
		w := load.NewWorker(width)
		for range 100 {
			var at, bit int
			_, right := w.RunWith(func(sum []float64) {
				// Of the lowest mantissa bits a later rounding may swallow the change; the 40 above them stay.
				at, bit = r.IntN(len(sum)), 12+r.IntN(51)
				load.FlipBit(sum, at, bit)
			})
			if right {
				t.Errorf("%s: bit %d of element %d was not missed", width, bit, at)
			}
		}
		if _, right := w.Run(); !right {
			t.Errorf("%s: wrong result after the disturbance was over", width)
		}
	}
}

func BenchmarkWidth(b *testing.B) {
	for _, width := range load.Widths() {
		b.Run(fmt.Sprint(width), func(b *testing.B) {
			w := load.NewWorker(width)
			passes := 0
			for b.Loop() {
				n, _ := w.Run()
				passes += n
			}
			b.ReportMetric(float64(passes)*load.FlopsPerPass/b.Elapsed().Seconds()/1e9, "GFLOP/s")
		})
	}
}
