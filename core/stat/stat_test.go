package stat_test

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"zerokeel/core/stat"
)

// Expected values: from the definitions by hand; Student quantile for 2 degrees of freedom 4.302653 (printed tables).
func TestIntervalsAgainstTables(t *testing.T) {
	x := []float64{13842, 13871, 13805}
	a := stat.Summarise(x)
	near := func(what string, got, want, tol float64) {
		t.Helper()
		if !(math.Abs(got-want) <= tol) {
			t.Errorf("%s: got %.4f, want %.4f", what, got, want)
		}
	}
	near("mean", a.Mean, 13839.3333, 1e-3)
	near("standard deviation", a.SD, 33.0807, 1e-3)
	near("half interval", a.Half, 4.302653*33.0807/math.Sqrt(3), 1e-2)
	if none := stat.Summarise(nil); !math.IsNaN(none.Mean) || none.N != 0 {
		t.Errorf("no runs: %+v", none)
	}
}

// TestStepDownKeepsItsLevel: of lists of ten equals, one in twenty shows any, and what is far from equal is shown beside them.
func TestStepDownKeepsItsLevel(t *testing.T) {
	r := rand.New(rand.NewPCG(17, 4))
	any := 0
	const lists = 4000
	for range lists {
		p := make([]float64, 10)
		for i := range p {
			p[i] = r.Float64()
		}
		if slices.Contains(stat.StepDown(p, 0.05), true) {
			any++
		}
		if p[3] = 1e-9; !stat.StepDown(p, 0.05)[3] {
			t.Fatal("a certain difference is not shown")
		}
	}
	if share := float64(any) / lists; share < 0.035 || share > 0.06 {
		t.Errorf("%.1f %% of the lists of equals show a difference", 100*share)
	}
}

func TestSteadyFromDropsTheWarmUp(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 2))
	run := make([]float64, 300)
	for i := range run {
		run[i] = 80 - 40*math.Exp(-float64(i)/20) + 0.2*r.NormFloat64()
	}
	if cut := stat.SteadyFrom(run); cut < 60 || cut > 150 {
		t.Errorf("warm-up of time constant 20 cut at %d", cut)
	}
	if cut := stat.SteadyFrom(run[:5]); cut != 0 {
		t.Errorf("short run cut at %d", cut)
	}
}
