package silicon_test

import (
	"math"
	"math/rand/v2"
	"reflect"
	"testing"

	"gonum.org/v1/gonum/stat"

	"zerokeel/core/part/parttest"
	"zerokeel/core/silicon"
)

// TestChipsSpreadAsTheSheetSays draws many chips and measures their spread: between chips, within one, and the bond
// between slow and frugal.
func TestChipsSpreadAsTheSheetSays(t *testing.T) {
	p := parttest.Petrel(t).Processor
	r := rand.New(rand.NewPCG(12, 5))
	const n = 4000
	first, within, chipShift, chipLeak := make([]float64, n), []float64{}, make([]float64, n), make([]float64, n)
	for i := range n {
		c := silicon.Draw(p, r)
		first[i] = c.ShiftV[0]
		chipShift[i], chipLeak[i] = stat.Mean(c.ShiftV, nil), stat.Mean(c.Leak, nil)
		within = append(within, stat.StdDev(c.ShiftV, nil))
		for core, l := range c.Leak {
			if l <= 0 {
				t.Fatalf("core %d leaks %g", core, l)
			}
		}
	}
	for _, row := range []struct {
		what             string
		got, want, share float64
	}{
		{"spread of one core over chips", stat.StdDev(first, nil), math.Hypot(p.Spread.ChipV, p.Spread.CoreV), 0.05},
		{"spread within a chip", stat.Mean(within, nil), p.Spread.CoreV, 0.06},
		{"mean leakage", stat.Mean(chipLeak, nil), 1, 0.02},
	} {
		if math.Abs(row.got-row.want) > row.share*row.want {
			t.Errorf("%s: got %.5f, want %.5f", row.what, row.got, row.want)
		}
	}
	if bond := stat.Correlation(chipShift, chipLeak, nil); bond > -0.6 {
		t.Errorf("shift and leakage correlate by %.2f, want clearly below zero", bond)
	}
}

func TestOneSeedOneChip(t *testing.T) {
	p := parttest.Petrel(t).Processor
	draw := func(seed uint64) silicon.Chip { return silicon.Draw(p, rand.New(rand.NewPCG(seed, 1))) }
	if !reflect.DeepEqual(draw(7), draw(7)) || reflect.DeepEqual(draw(7), draw(8)) {
		t.Error("a seed does not make its own chip")
	}
	typical := silicon.Typical(p)
	for core := range p.Cores() {
		if typical.ShiftV[core] != 0 || typical.Leak[core] != 1 {
			t.Errorf("core %d of a typical chip strays", core)
		}
	}
}
