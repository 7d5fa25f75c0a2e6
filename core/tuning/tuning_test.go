package tuning_test

import (
	"maps"
	"math"
	"slices"
	"strings"
	"testing"

	"zerokeel/core/forecast"
	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/part/parttest"
	"zerokeel/core/survey"
	"zerokeel/core/trim"
	"zerokeel/core/tuning"
	"zerokeel/core/yardstick"
)

var costs = survey.Costs{RestartMin: 2.5, CrashMin: 3, ClearMin: 10}

func machineOf(t *testing.T, name string) *tuning.Machine {
	t.Helper()
	set := parttest.Rig(t, name)
	fit, known := forecast.Prior(set), map[string]*forecast.Result{}
	return &tuning.Machine{Set: set, Forecast: func(s trim.Settings) *forecast.Result {
		key := s.Fingerprint()
		if _, ok := known[key]; !ok {
			known[key], _ = fit.Forecast(s, 24)
		}
		return known[key]
	}}
}

// TestPlansOfEveryRig: whatever the parts and the goal, a plan keeps the order of the work, changes only what the board takes and one
// group of settings at a time, leaves no limit beyond the maker's, gives the survey the time that is left, and says why it leaves out
// what it leaves out.
func TestPlansOfEveryRig(t *testing.T) {
	order := []tuning.Kind{tuning.Baseline, tuning.Memory, tuning.Limits, tuning.Clocks, tuning.Ratio, tuning.LoadLine,
		tuning.Depths, tuning.Bands, tuning.Power,
		tuning.Fans, tuning.Proof, tuning.Comparison}
	for _, name := range parttest.Rigs {
		m := machineOf(t, name)
		p, b := m.Set.Processor, m.Set.Board
		for _, goal := range tuning.Goals() {
			ask := &tuning.Ask{Goal: goal, Before: trim.Stock(p, b), Minutes: 480, ProofMin: 180, MostClears: 5}
			plan := tuning.Draw(m, ask, costs)
			at, last, sum := ask.Before, -1, 0.0
			for i := range plan.Steps {
				s := &plan.Steps[i]
				if place := slices.Index(order, s.Kind); place <= last {
					t.Errorf("%s, %s: %s comes too late", name, goal, s.Kind)
				} else {
					last = place
				}
				if (s.Skip != "") == (s.Why != "") || s.Skip != "" && (len(s.Settings) > 0 || s.Minutes > 0 || s.Restarts > 0) {
					t.Errorf("%s, %s: %s is left out and carried out, or neither: %+v", name, goal, s.Kind, s)
				}
				groups := map[trim.Group]bool{}
				for key := range s.Settings {
					def, _, _ := trim.Find(key)
					groups[def.Group] = true
				}
				if len(groups) > 1 && s.Kind != tuning.Ratio { // a clock is nothing without its voltage
					t.Errorf("%s, %s: %s changes %v at once", name, goal, s.Kind, slices.Collect(maps.Keys(groups)))
				}
				at, sum = at.With(s.Settings), sum+s.Minutes
				if f := trim.Check(p, b, at); len(f) > 0 {
					t.Errorf("%s, %s: the board refuses %s: %v", name, goal, s.Kind, f)
				}
			}
			if math.Abs(sum-plan.Minutes) > 1e-6 || plan.Find(tuning.Depths) != nil && plan.Minutes != ask.Minutes {
				t.Errorf("%s, %s: its steps take %.1f of %.1f min", name, goal, sum, plan.Minutes)
			}
			tuned, err := machine.Tune(m.Set, at)
			if err != nil {
				t.Fatal(err)
			}
			l := &tuned.Limits
			if most := max(p.Limits.PPTW, p.Limits.PL1W); l.SustainedW > most || l.TemperatureC > p.Limits.TemperatureC {
				t.Errorf("%s, %s: ends with %g W and %g °C", name, goal, l.SustainedW, l.TemperatureC)
			}
			unserved := goal == tuning.FastFew && plan.Find(tuning.Clocks) == nil || goal == tuning.Overclock && plan.Find(tuning.Ratio) == nil
			if field, problem, _ := plan.Impossible(ask); (field != "") != unserved {
				t.Errorf("%s, %s: %s %s", name, goal, field, problem)
			}
		}
	}
}

// TestPowerAndFansKeepWhatTheyPromise: a lower power limit keeps the share of the sustained speed that it names and saves watts, and
// slower fans are quieter without more heat than the machine had.
func TestPowerAndFansKeepWhatTheyPromise(t *testing.T) {
	changed, cooled := 0, 0
	for _, name := range parttest.Rigs {
		m := machineOf(t, name)
		before := trim.Stock(m.Set.Processor, m.Set.Board)
		guarded := before.With(trim.Guarded(m.Set.Processor, m.Set.Board, before))
		sustained := func(s trim.Settings) float64 {
			for _, one := range m.Forecast(s).Scores {
				if one.Yardstick == yardstick.Sustained {
					return one.Value
				}
			}
			t.Fatalf("%s: no sustained score", name)
			return 0
		}
		heavy := func(s trim.Settings) machine.State { at, _ := m.Forecast(s).Load(load.Heavy); return at }
		for goal, keep := range map[tuning.Goal]float64{tuning.Quiet: 0.97, tuning.Frugal: 0.9} {
			c := m.Change(tuning.Power, guarded, &tuning.Ask{Goal: goal, Before: before})
			if c.Skip != "" {
				continue
			}
			changed++
			after := guarded.With(c.Settings)
			if sustained(after) < keep*sustained(guarded) || heavy(after).PackageW > 0.97*heavy(guarded).PackageW {
				t.Errorf("%s, %s: %.0f of %.0f points at %.0f of %.0f W", name, goal, sustained(after), sustained(guarded), heavy(after).PackageW,
					heavy(guarded).PackageW)
			}
			again := m.Change(tuning.Power, after, &tuning.Ask{Goal: goal, Before: before})
			if again.Skip == "" && goal == tuning.Quiet && heavy(after.With(again.Settings)).PackageW < 0.5*heavy(guarded).PackageW {
				t.Errorf("%s: once more it goes down to %.0f W", name, heavy(after.With(again.Settings)).PackageW)
			}
		}
		lowered := guarded.With(trim.Settings{"voltage.core.offset": part.Number(-50)})
		if f := trim.Check(m.Set.Processor, m.Set.Board, lowered); len(f) > 0 {
			lowered = guarded.With(trim.Settings{"curve.all": part.Number(-20)})
		}
		for _, before := range []trim.Settings{before, guarded} { // a board without limits was faster than with them: nothing is to give back
			c, after := m.Change(tuning.Power, lowered, &tuning.Ask{Goal: tuning.Cool, Before: before}), lowered
			if c.Skip == "" {
				cooled++
				after = lowered.With(c.Settings)
			} else if sustained(lowered) > 1.05*sustained(before) {
				t.Errorf("%s: it gained a lot of speed, and gives none of it back: %s", name, c.Skip)
			}
			slower := sustained(after) < math.Min(sustained(before), sustained(lowered))
			if slower || c.Skip == "" && heavy(after).HottestC > heavy(lowered).HottestC-1 {
				t.Errorf("%s, cool: %.0f points, %.0f before, at %.1f °C instead of %.1f", name, sustained(after), sustained(before),
					heavy(after).HottestC, heavy(lowered).HottestC)
			}
		}
		c := m.Change(tuning.Fans, lowered, &tuning.Ask{Goal: tuning.Quiet, Before: before})
		if c.Skip != "" {
			continue
		}
		changed++
		if after := heavy(lowered.With(c.Settings)); after.NoiseDB > heavy(lowered).NoiseDB-1 || after.HottestC > heavy(before).HottestC {
			t.Errorf("%s: %.1f dB instead of %.1f at %.1f °C instead of %.1f", name, after.NoiseDB, heavy(lowered).NoiseDB, after.HottestC,
				heavy(before).HottestC)
		}
	}
	if changed < 6 || cooled < 1 {
		t.Errorf("only %d steps changed anything, %d made a faster machine cooler", changed, cooled)
	}
}

// TestOneClockForAll: whatever watts, volts and degrees are allowed, the clock that is chosen stays within them by forecast while all cores
// hold it, and the next one would not; more watts never make it lower, nor does a chip that needs less.
func TestOneClockForAll(t *testing.T) {
	found := 0
	for _, name := range parttest.Rigs {
		m := machineOf(t, name)
		p := m.Set.Processor
		stock := trim.Stock(p, m.Set.Board)
		for _, volts := range []float64{0, 1.25} {
			last := 0.0
			for _, watts := range []float64{120, 170, 230} {
				ask := &tuning.Ask{Goal: tuning.Overclock, Before: stock, MostW: watts, MostV: volts, MostC: 90}
				from := stock.With(m.Change(tuning.Limits, stock, ask).Settings)
				c := m.Overclock(from, ask, tuning.HopedV)
				if c.Skip != "" {
					continue
				}
				found++
				s := from.With(c.Settings)
				heavy, _ := m.Forecast(s).Load(load.Heavy)
				key := slices.Sorted(maps.Keys(c.Settings))[0]
				ratio, v := s.Number(key, 0), s.Number("voltage.core.fixed", 0)
				held := heavy.Cores[0].RequestMHz / p.BaseClockMHz
				if held < 0.989*ratio || heavy.PackageW > watts || heavy.HottestC > 90 || v > p.VoltageMaxV || volts > 0 && v > volts {
					t.Errorf("%s, %g W, %g V: %g × at %.4f V is held at %.2f × with %.0f W and %.0f °C", name, watts, volts, ratio, v, held,
						heavy.PackageW, heavy.HottestC)
				}
				if ratio < last {
					t.Errorf("%s: %g × with %g W, and %g × with less", name, ratio, watts, last)
				}
				last = ratio
				better := m.Overclock(from, ask, tuning.HopedV+0.03)
				if x := from.With(better.Settings).Number(key, 0); better.Skip == "" && x < ratio {
					t.Errorf("%s: a chip that needs less comes to %g ×, another to %g ×", name, x, ratio)
				}
				if again := m.Overclock(s, ask, tuning.HopedV); again.Skip == "" {
					t.Errorf("%s: once more it comes to %v", name, again.Settings)
				}
			}
		}
	}
	if found < 6 {
		t.Errorf("only %d found a clock", found)
	}
}

// TestLimitsKeepToWhatIsAllowed: limits that somebody set lower stay, and watts that are allowed are never passed.
func TestLimitsKeepToWhatIsAllowed(t *testing.T) {
	m := machineOf(t, "petrel")
	stock := trim.Stock(m.Set.Processor, m.Set.Board)
	low := stock.With(trim.Guarded(m.Set.Processor, m.Set.Board, stock)).With(trim.Settings{"limit.ppt": part.Number(88)})
	if c := m.Change(tuning.Limits, low, &tuning.Ask{Goal: tuning.Cool}); c.Skip == "" {
		t.Errorf("limits within the maker's are changed: %v", c.Settings)
	}
	for _, watts := range []float64{65, 101, 230} {
		for goal, want := range map[tuning.Goal]float64{tuning.Cool: min(watts, 142), tuning.FastAll: watts} {
			c := m.Change(tuning.Limits, stock, &tuning.Ask{Goal: goal, MostW: watts})
			if x, _ := stock.With(c.Settings)["limit.ppt"].Number(); x > want || x < want-6 {
				t.Errorf("%s with %g W: PPT becomes %g", goal, watts, x)
			}
		}
	}
}

// TestImpossiblePlans: a goal that nothing here serves, and too little time, are told with what to do.
func TestImpossiblePlans(t *testing.T) {
	m := machineOf(t, "petrel")
	stock := trim.Stock(m.Set.Processor, m.Set.Board)
	all := []tuning.Kind{tuning.Memory, tuning.Limits, tuning.Depths, tuning.Power, tuning.Fans}
	for name, c := range map[string]struct {
		ask         tuning.Ask
		field, says string
	}{
		"enough":           {tuning.Ask{Goal: tuning.Cool, Minutes: 480, ProofMin: 180}, "", ""},
		"short":            {tuning.Ask{Goal: tuning.Cool, Minutes: 120, ProofMin: 10}, "minutes", "to the survey"},
		"short, no survey": {tuning.Ask{Goal: tuning.Cool, Minutes: 60, ProofMin: 10, Leave: []tuning.Kind{tuning.Depths}}, "minutes", "its steps take"},
		"all left out":     {tuning.Ask{Goal: tuning.Quiet, Minutes: 480, ProofMin: 10, Leave: all}, "goal", "left out"},
		"nothing to find":  {tuning.Ask{Goal: tuning.Steady, Minutes: 480, ProofMin: 10, Leave: []tuning.Kind{tuning.Limits}, NoDepths: "locked"}, "goal", "depths: locked"},
	} {
		c.ask.Before = stock
		field, problem, remedy := tuning.Draw(m, &c.ask, costs).Impossible(&c.ask)
		if field != c.field || !strings.Contains(problem, c.says) || (field != "") != (remedy != "") {
			t.Errorf("%s: %s, %s, %s", name, field, problem, remedy)
		}
	}
}
