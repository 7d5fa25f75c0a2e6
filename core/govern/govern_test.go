package govern_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"zerokeel/core/govern"
)

func TestHighestAgainstSearchFromBelow(t *testing.T) {
	for limit := -1; limit <= 40; limit++ {
		keeps := func(bin int) govern.Limiter {
			if bin > limit {
				return govern.SustainedPower
			}
			return govern.None
		}
		got, why := govern.Highest(40, keeps)
		want, reason := max(0, limit), govern.SustainedPower
		if limit == 40 {
			reason = govern.Ratio
		}
		if got != want || why != reason {
			t.Errorf("limit %d: got bin %d held by %s, want %d held by %s", limit, got, why, want, reason)
		}
	}
}

func TestBreaksNamesTheLimit(t *testing.T) {
	inf := math.Inf(1)
	ceiling := govern.Limits{SustainedW: 142, ShortW: inf, SustainedA: 125, PeakA: 180, TemperatureC: 95}
	window := govern.Limits{SustainedW: 125, ShortW: 188, WindowS: 56, SustainedA: inf, PeakA: 240, TemperatureC: 100}
	cool := ceiling
	cool.TemperatureC = inf
	rows := []struct {
		name    string
		limits  govern.Limits
		reading govern.Reading
		place   float64
		want    govern.Limiter
	}{
		{"at every limit", ceiling, govern.Reading{PowerW: 142, NowW: 142, Amps: 180, SustainedA: 125, HottestC: 93.9}, 1, govern.None},
		{"power", ceiling, govern.Reading{PowerW: 142.1}, 1, govern.SustainedPower},
		{"a short peak of power", ceiling, govern.Reading{PowerW: 100, NowW: 400}, 1, govern.None},
		{"sustained current", ceiling, govern.Reading{SustainedA: 125.1}, 1, govern.SustainedCurrent},
		{"peak current", ceiling, govern.Reading{Amps: 180.1, PowerW: 200}, 1, govern.PeakCurrent},
		{"temperature at the highest clock", ceiling, govern.Reading{HottestC: 94.1}, 1, govern.Temperature},
		{"temperature at the lowest clock", ceiling, govern.Reading{HottestC: 94.9}, 0, govern.None},
		{"no temperature limit", cool, govern.Reading{HottestC: 300}, 1, govern.None},
		{"short power", window, govern.Reading{PowerW: 100, NowW: 188.1}, 1, govern.ShortPower},
		{"the window is used up", window, govern.Reading{PowerW: 125.1, NowW: 180}, 1, govern.SustainedPower},
	}
	for _, row := range rows {
		if got := row.limits.Breaks(&row.reading, row.place, 0); got != row.want {
			t.Errorf("%s: got %s, want %s", row.name, got, row.want)
		}
	}
}

// TestBoostWindowAgreesWithSteps holds the closed form against the average stepped through time, over random limits
// and loads.
func TestBoostWindowAgreesWithSteps(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	for range 200 {
		pl1 := 35 + 200*r.Float64()
		l := govern.Limits{SustainedW: pl1, ShortW: pl1 * (1.05 + r.Float64()), WindowS: 2 + 120*r.Float64()}
		idle, watts := pl1*0.4*r.Float64(), pl1*(1.02+1.5*r.Float64())
		want := l.BoostWindow(idle, watts)
		w, stepped := govern.Window{Average: govern.Filter{Value: idle}}, 0.0
		for !w.Spent {
			w.Step(&l, math.Min(watts, l.ShortW), 0.01)
			stepped += 0.01
		}
		if math.Abs(stepped-want) > 0.01*want+0.01 {
			t.Errorf("PL1 %.0f, PL2 %.0f, tau %.1f, %.0f W from %.0f W: stepped %.2f s, closed form %.2f s", pl1, l.ShortW, l.WindowS, watts, idle,
				stepped, want)
		}
	}
	l := govern.Limits{SustainedW: 100, ShortW: 150, WindowS: 28}
	if got := l.BoostWindow(20, 90); !math.IsInf(got, 1) {
		t.Errorf("a load below PL1 has a window of %g s", got)
	}
	if got := l.BoostWindow(120, 150); got != 0 {
		t.Errorf("a used-up average leaves %g s", got)
	}
}

// TestSpentWindowRefills: after the window is used up it opens again only once the load has eased.
func TestSpentWindowRefills(t *testing.T) {
	l := govern.Limits{SustainedW: 100, ShortW: 150, WindowS: 10}
	var w govern.Window
	for range 600 {
		w.Step(&l, 150, 0.1)
	}
	for range 600 {
		w.Step(&l, 99, 0.1)
	}
	if !w.Spent {
		t.Error("at PL1 the window opened again")
	}
	for range 100 {
		w.Step(&l, 20, 0.1)
	}
	if w.Spent {
		t.Error("after rest the window is still used up")
	}
}

func TestFilterTakesItsTime(t *testing.T) {
	f := govern.Filter{}
	for range 500 {
		f.Step(100, 0.01, 5)
	}
	if want := 100 * (1 - math.Exp(-1)); math.Abs(f.Value-want) > 1e-9 {
		t.Errorf("after one time constant: got %.6f, want %.6f", f.Value, want)
	}
}
