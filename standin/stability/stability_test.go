package stability_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"zerokeel/core/load"
	"zerokeel/standin/stability"
)

func TestHazardFallsWithMargin(t *testing.T) {
	last := math.Inf(1)
	for mv := -100.0; mv <= 100; mv += 0.5 {
		h := stability.Usual.Hazard(mv / 1000)
		if h > last || h <= 0 || h > stability.MaxRate {
			t.Fatalf("hazard at %.1f mV is %g after %g", mv, h, last)
		}
		last = h
	}
	if got := stability.Usual.Hazard(0); got != stability.Usual.RateAtZero {
		t.Errorf("hazard at zero margin: got %g, want %g", got, stability.Usual.RateAtZero)
	}
}

func TestMarginByRegime(t *testing.T) {
	r := stability.Reserve{Heavy: 0.13, Light: 0.11, Transition: 0.19, Idle: 0.15}
	rows := []struct {
		regime load.Regime
		want   float64
	}{
		{load.RegimeHeavy, 0.08}, {load.RegimeLight, 0.06}, {load.RegimeTransition, 0.14}, {load.RegimeIdle, 0.10},
	}
	for _, row := range rows {
		if got := stability.Margin(r, row.regime, 1.20, 1.15, 60); math.Abs(got-row.want) > 1e-12 {
			t.Errorf("%s: got %.4f V, want %.4f V", row.regime, got, row.want)
		}
		if hot := stability.Margin(r, row.regime, 1.20, 1.15, 100); hot >= row.want {
			t.Errorf("%s: no less margin when hot", row.regime)
		}
	}
}

// TestOutcomesFollowRegimeAndDepth: heavy shallow faults mostly miscalculate, idle ones never do, and deep ones
// take the machine down more often than shallow ones in every regime.
func TestOutcomesFollowRegimeAndDepth(t *testing.T) {
	const n = 20000
	count := func(regime load.Regime, margin float64) map[stability.Outcome]float64 {
		r := rand.New(rand.NewPCG(5, 9))
		got := map[stability.Outcome]float64{}
		for range n {
			got[stability.Draw(regime, margin, r)] += 1.0 / n
		}
		return got
	}
	if got := count(load.RegimeHeavy, 0); math.Abs(got[stability.Miscalculated]-0.72) > 0.02 {
		t.Errorf("heavy, shallow: %v", got)
	}
	if got := count(load.RegimeIdle, 0); got[stability.Miscalculated]+got[stability.Dropped] > 0 {
		t.Errorf("idle: %v", got)
	}
	for _, regime := range []load.Regime{load.RegimeHeavy, load.RegimeLight, load.RegimeTransition} {
		down := func(m map[stability.Outcome]float64) float64 { return m[stability.Froze] + m[stability.Restarted] }
		if down(count(regime, -0.05)) <= down(count(regime, 0)) {
			t.Errorf("%s: deep faults take the machine down no more often than shallow ones", regime)
		}
	}
}

// TestRiseAndFallWearies: what holds after the start may fail after hours, in that regime alone.
func TestRiseAndFallWearies(t *testing.T) {
	last := 0.0
	for hour := range 24 {
		v := stability.Weary(load.RegimeTransition, float64(hour)*3600)
		if v < last || v > stability.WearyV || hour == 0 && v != 0 {
			t.Errorf("after %d h: %g V", hour, v)
		}
		last = v
	}
	if last < 0.95*stability.WearyV || stability.Weary(load.RegimeHeavy, 1e6) != 0 {
		t.Errorf("after a day %g V; heavy load %g V", last, stability.Weary(load.RegimeHeavy, 1e6))
	}
}

// TestCoresDiffer: of chips that are drawn, slopes and rates lie within a factor of two and a fifth, each regime has a load that finds
// all of a core's weakness, and what one regime stands tells something of another, not all.
func TestCoresDiffer(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	usual := stability.Reserve{Heavy: 0.15, Light: 0.12, Transition: 0.2, Idle: 0.16}
	var heavy, light []float64
	for range 400 {
		cores := stability.DrawCores(usual, 0.01, 8, r)
		for _, c := range cores {
			heavy, light = append(heavy, c.Reserve.Heavy-usual.Heavy), append(light, c.Reserve.Light-usual.Light)
			if x := c.Law.ScaleV / stability.Usual.ScaleV; x < 0.4 || x > 2.5 {
				t.Fatalf("a slope of %.1f mV", 1000*c.Law.ScaleV)
			}
			found := map[load.Regime]bool{}
			for _, k := range load.Kinds {
				if c.Missed[k] < 0 {
					t.Fatalf("%s finds more than there is", k)
				}
				found[k.Regime()] = found[k.Regime()] || c.Missed[k] == 0
			}
			for regime, all := range found {
				if !all {
					t.Fatalf("no load finds all in the %s regime", regime)
				}
			}
		}
	}
	same, a, b := 0.0, 0.0, 0.0
	for i := range heavy {
		same, a, b = same+heavy[i]*light[i], a+heavy[i]*heavy[i], b+light[i]*light[i]
	}
	if c := same / math.Sqrt(a*b); c < 0.35 || c > 0.65 {
		t.Errorf("regimes of a core are correlated by %.2f", c)
	}
}

// TestBesideTheCores: less voltage or a higher clock of ring, fabric and controller ends in faults, and as delivered in none.
func TestBesideTheCores(t *testing.T) {
	u := stability.Uncore{Ring: 0.085, Fabric: 0.085, Controller: 0.085}
	for _, row := range []struct {
		ran   stability.Ran
		fails bool
	}{
		{stability.Ran{}, false},
		{stability.Ran{RingV: 1, FabricV: -0.05, ControllerV: -0.05}, false},
		{stability.Ran{RingV: -0.1}, true},
		{stability.Ran{FabricV: -0.2}, true},
		{stability.Ran{ControllerV: -0.1}, true},
		{stability.Ran{FabricShare: 0.12}, true},
		{stability.Ran{FabricShare: 0.12, FabricV: 0.1}, false},
		{stability.Ran{ControllerShare: 0.25}, true},
	} {
		inAnHour := stability.Chance(u.Hazard(row.ran, load.RegimeMemory), 3600)
		if row.fails != (inAnHour > 0.9) || row.fails == (inAnHour < 0.1) {
			t.Errorf("%+v fails within an hour in %.2f of the cases, wanted %v", row.ran, inAnHour, row.fails)
		}
	}
}
