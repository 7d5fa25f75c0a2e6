package clock_test

import (
	"testing"

	"zerokeel/core/clock"
	"zerokeel/core/part/parttest"
)

func TestBinsCoverEveryClock(t *testing.T) {
	p := parttest.Petrel(t).Processor
	b := clock.NewBins(p, 5450)
	if b.FirstMHz != 800 || b.StepMHz != 25 || b.MHz(b.Count-1) != 5450 {
		t.Fatalf("bins from %g by %g to %g MHz", b.FirstMHz, b.StepMHz, b.MHz(b.Count-1))
	}
	for bin := range b.Count {
		mhz := b.MHz(bin)
		for _, row := range []struct {
			mhz  float64
			want int
		}{{mhz, bin}, {mhz + 24.9, bin}, {mhz - 0.1, max(0, bin-1)}} {
			if got := b.AtMost(row.mhz); got != row.want {
				t.Errorf("at most %g MHz: bin %d, want %d", row.mhz, got, row.want)
			}
		}
	}
	if b.AtMost(0) != 0 || b.AtMost(9999) != b.Count-1 {
		t.Error("clocks outside the bins are not held at the ends")
	}
	if low := clock.NewBins(p, 100); low.Count != 1 || low.MHz(0) != 800 {
		t.Errorf("a ceiling below the lowest ratio leaves %+v", low)
	}
}

func TestCeilingFallsWithActiveCores(t *testing.T) {
	p := parttest.Petrel(t).Processor
	for _, row := range []struct {
		active       int
		offset, want float64
	}{{0, 0, 5450}, {1, 0, 5450}, {2, 100, 5550}, {3, 0, 5350}, {8, 0, 5250}, {8, -500, 4750}} {
		if got := clock.Ceiling(p, row.active, row.offset); got != row.want {
			t.Errorf("%d active, offset %g: got %g MHz, want %g", row.active, row.offset, got, row.want)
		}
	}
}
