package forecast_test

import (
	"errors"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"zerokeel/core/forecast"
	"zerokeel/core/identify"
	"zerokeel/core/part"
	"zerokeel/core/part/parttest"
	"zerokeel/core/trim"
)

// drawHidden is a machine of which nobody has a sheet: unlike the models, and in every figure unlike the sheets that it was drawn about.
func drawHidden(t testing.TB, name string, r *rand.Rand) *unlike {
	t.Helper()
	u := drawUnlike(t, name, r)
	by := func(x *float64, spread float64) { *x *= math.Exp(spread * r.NormFloat64()) }
	p, c, b := u.made.Processor, u.made.Cooler, u.made.Board
	by(&p.Power.SwitchedNF, 0.2)
	by(&p.Power.LeakA, 0.3)
	by(&p.Uncore.BaseW, 0.25)
	by(&p.Heat.DieKPerW, 0.2)
	by(&c.BaseKPerW, 0.25)
	by(&c.AirKPerW, 0.25)
	shift := 0.025 * r.NormFloat64()
	for i := range u.chip.ShiftV {
		u.chip.ShiftV[i] += shift
	}
	for i := range b.LoadLine {
		by(&b.LoadLine[i].MilliOhm, 0.2)
	}
	for _, key := range []string{"system.ceiling", "clock.coreOn.*"} {
		if _, has := b.Lookup(strings.Replace(key, "*", "0", 1)); has {
			continue
		}
		s := part.BoardSetting{Setting: key, Attribute: key, Label: key, Min: 400, Max: 6000, Step: 1, Default: part.Choice(trim.Auto),
			Words: map[string]int{trim.Auto: 0}}
		if key == "clock.coreOn.*" {
			s = part.BoardSetting{Setting: key, Attribute: "core{n}", Label: key, Default: part.Switch(true),
				Values: map[string]string{"true": "1", "false": "0"}}
		}
		b.Settings = append(b.Settings, s)
	}
	return u
}

// sketch is what such a machine tells of itself: its cores, their highest clocks, its limits and its fan, and what can be set.
func (u *unlike) sketch() *part.Set {
	made := u.made
	p := part.Processor{Name: part.Name{ID: "told", Model: "Told"}, Style: made.Processor.Style, ThreadsPerCore: made.Processor.ThreadsPerCore,
		BaseClockMHz: made.Processor.BaseClockMHz, RatioStep: made.Processor.RatioStep, MinRatio: made.Processor.MinRatio,
		BaseMHz:    made.Processor.BaseMHz,
		CurveStepV: 0.0045, Limits: made.Processor.Limits, VoltageMaxV: 1.55, TransientMaxV: 1.65, Locked: made.Processor.Locked,
		Uncore: part.Uncore{SoCV: made.Processor.Uncore.SoCV, FabricMHz: made.Processor.Uncore.FabricMHz,
			FabricMax: made.Processor.Uncore.FabricMax}, Work: made.Processor.Work}
	for i, c := range made.Processor.Clusters {
		own := part.Cluster{Name: c.Name, Kind: c.Kind, Cores: c.Cores, Threads: c.Threads,
			Boost: []part.Boost{{Cores: c.Cores, MHz: made.Processor.ClusterCeilingMHz(i, 1, 1)}}}
		p.Clusters = append(p.Clusters, own)
	}
	p.Boost = []part.Boost{{Cores: p.Cores(), MHz: made.Processor.HighestMHz()}}
	b := *made.Board
	b.LoadLine = nil
	for _, l := range made.Board.LoadLine {
		b.LoadLine = append(b.LoadLine, part.LoadLine{Level: l.Level})
	}
	b.VRM, b.RestW, b.Supply, b.ACMOhm, b.DCMOhm, b.Quirks = part.VRM{}, 0, 0.9, 0, 0, nil
	c := part.Cooler{Name: part.Name{ID: "told", Model: "Told"}, BaseKPerW: 0.06, AirKPerW: 0.12, AirExponent: 0.68, CoolantJPerK: 1000, Fan: made.Cooler.Fan}
	if made.Cooler.Pump != nil {
		c.Pump = &part.Pump{Quiet: 1.3, Balanced: 1.1, MaxNoise: 30}
	}
	return &part.Set{Processor: &p, Board: &b, Cooler: &c, Memory: made.Memory}
}

// measuredUp runs the steps of an hour's trial that measures a machine up.
func (u *unlike) measuredUp(t testing.TB, sketch *part.Set) (records []forecast.Record) {
	t.Helper()
	for _, s := range identify.Steps(sketch) {
		u.fit(t, s.Settings, 22)
		for _, l := range s.Legs {
			records = append(records, u.leg(l.Load, l.Seconds))
		}
	}
	return records
}

// blind takes what a machine without some sensors does not tell.
func blind(records []forecast.Record, volts, watts bool) []forecast.Record {
	out := slices.Clone(records)
	for i := range out {
		if !volts {
			out[i].RequestV, out[i].DeliveredV = math.NaN(), math.NaN()
		}
		if !watts {
			out[i].PackageW = math.NaN()
		}
	}
	return out
}

// untried are trims that measuring up does not try: lower limits with less voltage, another ceiling of the clock, and a slower fan with one
// thread a core.
func untried(sketch *part.Set, r *rand.Rand) []trim.Settings {
	watts := 0.5 + 0.3*r.Float64()
	limited := trim.Settings{"limit.ppt": part.Number(math.Round(sketch.Processor.Limits.PPTW * watts))}
	if sketch.Processor.Style == part.StyleWindow {
		w := part.Number(math.Round(sketch.Processor.Limits.PL1W * (0.3 + watts)))
		limited = trim.Settings{"limit.pl1": w, "limit.pl2": w}
	}
	if entry, has := sketch.Board.Lookup("voltage.core.offset"); has {
		limited["voltage.core.offset"] = part.Number(entry.Nearest(-30))
	} else {
		limited["curve.all"] = part.Number(-6)
	}
	capped := trim.Settings{"system.ceiling": part.Number(math.Round(sketch.Processor.HighestMHz() * (0.65 + 0.17*r.Float64())))}
	slow := trim.Settings{"platform.smt": part.Switch(false)}
	for i := range sketch.Board.Fan.Points {
		if x, is := sketch.Board.Entry("fan.point.*.duty").DefaultAt(i + 1).Number(); is {
			slow[trim.At("fan.point.*.duty", i+1)] = part.Number(max(35, math.Round(0.75*x)))
		}
	}
	return []trim.Settings{limited, capped, slow}
}

// foretold measures hidden machines up, and holds forecasts of trims that were not tried against what they then show.
func foretold(t testing.TB, rigs int, with sensing) promises {
	t.Helper()
	out := promises{}
	for i := range rigs {
		r := rand.New(rand.NewPCG(77, uint64(i)))
		name := parttest.Rigs[i%len(parttest.Rigs)]
		u := drawHidden(t, name, r)
		sketch := u.sketch()
		records := blind(u.measuredUp(t, sketch), with.volts, with.watts)
		found, err := identify.Sheets(sketch, records)
		if errors.Is(err, identify.ErrRunsAway) && !with.watts {
			out.add("not found", "", 0, 0, 1)
			continue
		} else if err != nil {
			t.Fatalf("%d %s: %v", i, name, err)
		}
		fit, err := forecast.FitRecords(found.Set, records)
		if err != nil {
			t.Fatal(err)
		}
		if testing.Verbose() {
			t.Logf("%d %s: misfit %.2f in %d rounds, then %.2f", i, name, found.Misfit, found.Rounds, fit.Misfit)
		}
		for _, s := range untried(sketch, r) {
			u.fit(t, s, 20+5*r.Float64())
			f, err := fit.Forecast(s, u.roomC)
			if err != nil {
				t.Fatal(err)
			}
			for k, kind := range forecast.Loads {
				truth := u.settles(kind)
				now, spread := f.Loads[k], f.Spreads[k]
				if with.watts {
					out.add("power", kind, now.ReportedW-truth.PackageW, spread.PackageW, truth.PackageW/100)
				}
				out.add("heat", kind, now.HottestC-truth.HottestC, spread.HottestC, 1)
				if with.volts {
					out.add("volts", kind, now.DeliveredV-truth.DeliveredV, spread.Volts, 0.001)
				}
				if truth.MHz > 0 {
					out.add("clock", kind, now.MeanMHz-truth.MHz, spread.MHz, truth.MHz/100)
				}
			}
		}
	}
	return out
}

// sensing is which sensors machines have that are measured up, and how close forecasts shall come: in percent, K, mV and percent.
type sensing struct {
	name                      string
	volts, watts              bool
	power, heat, mV, clockOff float64
}

var sensings = []sensing{{"all", true, true, 3, 2.5, 10, 2}, {"no_voltage", false, true, 4, 3, math.Inf(1), 2},
	{"no_power", true, false, math.Inf(1), 3, 10, 2}}

// TestMeasuredUp: of machines whose sheets nobody has, an hour of measuring up tells enough to forecast trims that were not tried.
func TestMeasuredUp(t *testing.T) {
	for _, s := range sensings {
		t.Run(s.name, func(t *testing.T) {
			p := foretold(t, 5, s)
			t.Logf("%v", p)
			if inside := p.of("").share(); inside < 0.8 || inside > 0.995 {
				t.Errorf("%.0f %% of the figures lie in intervals of 90 %%", 100*inside)
			}
			for _, row := range []struct {
				figure string
				most   float64
			}{{"power", s.power}, {"heat", s.heat}, {"volts", s.mV}, {"clock", s.clockOff}} {
				if k := p.of(row.figure); len(k.off) > 0 && median(k.off) > row.most {
					t.Errorf("%s: median %.2f off", row.figure, median(k.off))
				}
			}
		})
	}
}

// BenchmarkMeasuredUp prints how close forecasts of 40 hidden machines come, by the sensors that they have.
func BenchmarkMeasuredUp(b *testing.B) {
	for _, s := range sensings {
		b.Run(s.name, func(b *testing.B) {
			for b.Loop() {
				p := foretold(b, 40, s)
				b.Log(p)
				for _, figure := range []struct{ name, unit string }{{"power", "%power"}, {"heat", "°C"}, {"volts", "mV"}, {"clock", "%clock"}} {
					if k := p.of(figure.name); len(k.off) > 0 {
						b.ReportMetric(median(k.off), figure.unit)
					}
				}
				b.ReportMetric(100*p.of("").share(), "%inside")
			}
		})
	}
}

// TestScoresOfMeasuredSheets: loads do not tell how much work a clock does, so no score is forecast from sheets that were measured, until
// one was run; then others are forecast from that, however far it lies from what sheets say of like processors.
func TestScoresOfMeasuredSheets(t *testing.T) {
	set := parttest.Petrel(t)
	slow := trim.Settings{"clock.ratio.all": part.Number(36)}
	of := func(fit *forecast.Fit, s trim.Settings) map[string]forecast.Score {
		t.Helper()
		f, err := fit.Forecast(s, 22)
		if err != nil {
			t.Fatal(err)
		}
		out := map[string]forecast.Score{}
		for _, x := range f.Scores {
			out[x.Yardstick] = x
		}
		return out
	}
	entered := forecast.Prior(set)
	fast, slower := of(entered, nil)["sustained"], of(entered, slow)["sustained"]
	if fast.Value == 0 || slower.Value == 0 {
		t.Fatalf("from entered sheets: %+v", of(entered, nil))
	}
	set.Processor.Source = part.Measured
	measured := forecast.Prior(set)
	if got := of(measured, nil); len(got) > 0 {
		t.Errorf("before any was run: %+v", got)
	}
	measured.Learn([]forecast.Scored{{Yardstick: "sustained", AmbientC: 22, Mean: 7 * fast.Value, Runs: 3}})
	got := of(measured, slow)
	if s := got["sustained"]; len(got) != 1 || math.Abs(s.Value/(7*slower.Value)-1) > 0.01 || s.Half > 0.1*s.Value {
		t.Errorf("of seven times the work a clock, %.0f ± %.0f is forecast at a lower one, not %.0f: %+v", s.Value, s.Half, 7*slower.Value, got)
	}
}
