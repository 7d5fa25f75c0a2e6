package stat_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"zerokeel/core/stat"
)

// Expected values: from the definitions by hand; Student quantile for 2 degrees of freedom 4.302653 (printed tables).
func TestIntervalsAgainstTables(t *testing.T) {
	x := []float64{13842, 13871, 13805}
	y := []float64{14060, 14102, 14031}
	a, b := stat.Summarise(x), stat.Summarise(y)
	near := func(what string, got, want, tol float64) {
		t.Helper()
		if !(math.Abs(got-want) <= tol) {
			t.Errorf("%s: got %.4f, want %.4f", what, got, want)
		}
	}
	near("mean", a.Mean, 13839.3333, 1e-3)
	near("standard deviation", a.SD, 33.0807, 1e-3)
	near("half interval", a.Half, 4.302653*33.0807/math.Sqrt(3), 1e-2)
	d := stat.Welch(a, b)
	near("difference", d.Absolute, 225, 1e-9)
	near("percent", d.Percent, 1.6258, 1e-3)
	if !d.Shown || d.Half <= 0 || d.Half > 100 {
		t.Errorf("difference %+v, want one that is shown", d)
	}
	if one := stat.Welch(a, stat.Summarise([]float64{15000})); one.Shown {
		t.Error("a single run shows a difference")
	}
	if none := stat.Summarise(nil); !math.IsNaN(none.Mean) || none.N != 0 {
		t.Errorf("no runs: %+v", none)
	}
}

// TestWelchKeepsItsLevel: of pairs drawn from one distribution, about 5% may show a difference.
func TestWelchKeepsItsLevel(t *testing.T) {
	r := rand.New(rand.NewPCG(17, 4))
	draw := func(sd float64) stat.Summary {
		runs := make([]float64, 4)
		for i := range runs {
			runs[i] = 100 + sd*r.NormFloat64()
		}
		return stat.Summarise(runs)
	}
	shown := 0
	const pairs = 4000
	for range pairs {
		if stat.Welch(draw(1), draw(3)).Shown {
			shown++
		}
	}
	if share := float64(shown) / pairs; share < 0.025 || share > 0.075 {
		t.Errorf("%.1f%% of equal pairs show a difference, want about 5%%", 100*share)
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

func ExampleWelch() {
	stock := stat.Summarise([]float64{13842, 13871, 13805})
	trimmed := stat.Summarise([]float64{14060, 14102, 14031})
	d := stat.Welch(stock, trimmed)
	fmt.Printf("%+.1f%%, shown: %v\n", d.Percent, d.Shown)
	// Output: +1.6%, shown: true
}
