package verdict_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"zerokeel/core/govern"
	"zerokeel/core/load"
	"zerokeel/core/verdict"
)

// measured returns a heavy leg of four minutes with figures such as a rig gives: temperatures rise by 35 °C and stay,
// each core some degrees from the others, with noise.
func measured(seed uint64, change func(*verdict.Evidence)) verdict.Evidence {
	r := rand.New(rand.NewPCG(seed, 3))
	e := verdict.Evidence{Load: load.Heavy, Cores: []int{0, 1, 2, 3}, PlannedS: 240, RanS: 240, Ending: verdict.Finished, InForce: true,
		Limiters: map[govern.Limiter]float64{govern.Ratio: 240}}
	e.Traces.Core = make([]verdict.Core, 4)
	for s := range 240 {
		at := float64(s)
		level := 40 + 35*(1-math.Exp(-at/15))
		e.Traces.Temperature = append(e.Traces.Temperature, verdict.Point{AtS: at, V: level + 3 + 0.2*r.NormFloat64()})
		for i := range e.Traces.Core {
			c := &e.Traces.Core[i]
			c.Temperature = append(c.Temperature, verdict.Point{AtS: at, V: level + 2*float64(i) + 0.4*r.NormFloat64()})
			c.Requested = append(c.Requested, verdict.Point{AtS: at, V: 5000})
			c.Effective = append(c.Effective, verdict.Point{AtS: at, V: 4950 + 5*r.NormFloat64()})
		}
	}
	change(&e)
	return e
}

func TestSignsInTheFigures(t *testing.T) {
	for _, row := range []struct {
		name   string
		change func(*verdict.Evidence)
		want   verdict.Verdict
		core   int
	}{
		{"nothing", func(*verdict.Evidence) {}, verdict.Held, -1},
		{"a core cools down from 100 s on", func(e *verdict.Evidence) {
			for s := 100; s < 240; s++ {
				t := e.Traces.Core[2].Temperature
				t[s].V = 46 + (t[99].V-46)*math.Exp(-float64(s-100)/2) + 0.1*float64(s%3)
			}
		}, verdict.CoreDropped, 2},
		{"all cores cool down together, for a limit set in", func(e *verdict.Evidence) {
			for i := range e.Traces.Core {
				for s := 100; s < 240; s++ {
					e.Traces.Core[i].Temperature[s].V -= 20
				}
			}
		}, verdict.Held, -1},
		{"a core is cooler than the others all the time", func(e *verdict.Evidence) {
			for s := range 240 {
				e.Traces.Core[1].Temperature[s].V -= 18 * (1 - math.Exp(-float64(s)/15))
			}
		}, verdict.Held, -1},
		{"no figures for a minute", func(e *verdict.Evidence) {
			e.Traces.Temperature = append(e.Traces.Temperature[:100:100], e.Traces.Temperature[160:]...)
		}, verdict.Void, -1},
		{"no figures from half way on", func(e *verdict.Evidence) { e.Traces.Temperature = e.Traces.Temperature[:120] }, verdict.Void, -1},
		{"no figures for a few seconds", func(e *verdict.Evidence) {
			e.Traces.Temperature = append(e.Traces.Temperature[:100:100], e.Traces.Temperature[108:]...)
		}, verdict.Held, -1},
		{"a rig without sensors", func(e *verdict.Evidence) { e.Traces = verdict.Traces{} }, verdict.Held, -1},
		{"a stuck sensor", func(e *verdict.Evidence) {
			for s := range e.Traces.Temperature {
				e.Traces.Temperature[s].V = 45
			}
		}, verdict.Void, -1},
		{"half the clock, for no reason", func(e *verdict.Evidence) {
			for s := range 240 {
				e.Traces.Core[3].Effective[s].V = 2400
			}
		}, verdict.Void, -1},
		{"half the clock, held back at its target temperature", func(e *verdict.Evidence) {
			e.TargetC = 70
			for s := range 240 {
				e.Traces.Core[3].Effective[s].V = 2400
			}
		}, verdict.Held, -1},
		{"half the clock, for the power limit", func(e *verdict.Evidence) {
			for s := range 240 {
				e.Traces.Core[3].Effective[s].V = 2400
			}
			e.Limiters = map[govern.Limiter]float64{govern.SustainedPower: 240}
		}, verdict.Held, -1},
		{"a machine used by others", func(e *verdict.Evidence) { e.Others = 0.6 }, verdict.Void, -1},
		{"ended by the rig for its temperature", func(e *verdict.Evidence) {
			e.Events = append(e.Events, verdict.Event{Kind: verdict.EventOverheated, AtS: 50, Core: -1, Text: "96.0 °C reached"})
		}, verdict.Overheated, -1},
		{"ended by the rig without a temperature", func(e *verdict.Evidence) {
			e.Events = append(e.Events, verdict.Event{Kind: verdict.EventSensorLost, AtS: 50, Core: -1, Text: "no temperature"})
		}, verdict.Void, -1},
		{"an error that the hardware could not mend", func(e *verdict.Evidence) {
			e.Events = append(e.Events, verdict.Event{Kind: verdict.EventUncorrected, AtS: 50, Core: 3, Text: "bank 0"})
		}, verdict.Miscalculated, 3},
		{"a stop screen", func(e *verdict.Evidence) {
			e.Events, e.Ending = append(e.Events, verdict.Event{Kind: verdict.EventPanic, AtS: 50, Core: -1, Text: "fatal machine check"}),
				verdict.NewBoot
		}, verdict.Restarted, -1},
	} {
		for seed := range uint64(20) {
			got := verdict.Judge(measured(seed, row.change))
			if got.Verdict != row.want || got.Core != row.core {
				t.Errorf("%s (%d): %s of core %d, want %s of core %d: %s", row.name, seed, got.Verdict, got.Core, row.want, row.core, got.Why)
				break
			}
			if (got.Verdict == verdict.CoreDropped || row.name == "a stuck sensor") && (len(got.Evidence) == 0 || got.Evidence[0].Channel == "") {
				t.Errorf("%s: nothing is pointed at: %+v", row.name, got.Evidence)
			}
		}
	}
}

// TestExposureSharesOutTheTime: a load on all cores exposes each for the whole time, one that goes round for its turns.
func TestExposureSharesOutTheTime(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 2))
	for range 500 {
		cores, ran, turn := 1+r.IntN(24), 3600*r.Float64(), 1+240*r.Float64()
		total := 0.0
		for i, s := range verdict.Exposure(load.Light, cores, ran, turn) {
			if s < 0 || s > math.Ceil(ran/(turn*float64(cores)))*turn+1e-9 {
				t.Fatalf("core %d of %d: %g s of %g in turns of %g", i, cores, s, ran, turn)
			}
			total += s
		}
		if math.Abs(total-ran) > 1e-6 {
			t.Fatalf("the cores were exposed for %g s, the leg ran %g", total, ran)
		}
	}
	if got := verdict.Exposure(load.Heavy, 2, 60, 10); got[0] != 60 || got[1] != 60 {
		t.Errorf("all cores at once: %v", got)
	}
}

func TestSpoiltRunsAreTold(t *testing.T) {
	for _, row := range []struct {
		others, start float64
		earlier       []float64
		spoilt        bool
	}{
		{0, 40, nil, false}, {0.02, 40, []float64{41, 39}, false}, {0.05, 40, []float64{41, 39}, true}, {0, 55, []float64{41, 39}, true},
		{0, 30, []float64{41, 39}, true}, {0, math.NaN(), []float64{41}, false}, {0.2, math.NaN(), nil, true},
	} {
		if got := verdict.Spoilt(row.others, row.start, row.earlier); (got != "") != row.spoilt {
			t.Errorf("%+v: %q", row, got)
		}
	}
}
