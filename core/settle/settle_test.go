package settle_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/part/parttest"
	"zerokeel/core/series"
	"zerokeel/core/settle"
	"zerokeel/core/silicon"
	"zerokeel/core/trim"
)

// begin is when every leg here begins, in ms.
const begin = 1_000_000

const noise = 0.15 // K, of a sensor

// course samples a function of time once a second, with a sensor's noise and step.
func course(seconds int, quantum float64, r *rand.Rand, at func(t float64) float64) []series.Sample {
	var out []series.Sample
	for i := range seconds {
		v := at(float64(i)) + noise*r.NormFloat64()
		out = append(out, series.Sample{T: begin + int64(1000*i), V: math.Round(v/quantum) * quantum})
	}
	return out
}

// jumpsAt is by how much a course that ends on 0 after a jump stands above that before it.
func jumpsAt(t, at, by float64) float64 {
	if t < at {
		return by
	}
	return 0
}

// TestApproach: courses that a machine may show, and what may be said of them.
func TestApproach(t *testing.T) {
	rise := func(rest, tau float64) func(float64) float64 {
		return func(t float64) float64 { return 80 - rest*math.Exp(-t/tau) - 30*math.Exp(-t/4) }
	}
	rows := []struct {
		name        string
		seconds     int
		at          func(float64) float64
		most        float64
		least, half float64 // what half the interval is at least and at most
	}{
		{"quick", 180, rise(15, 25), math.Inf(1), 0, 1},
		{"slow", 180, rise(20, 150), math.Inf(1), 1, 8},
		{"slow, for long", 1200, rise(20, 150), math.Inf(1), 0, 1},
		{"slower than usual", 180, rise(20, 600), math.Inf(1), 4, 15},
		{"flat", 180, func(float64) float64 { return 80 }, math.Inf(1), 0, 0.5},
		{"cooling", 600, func(t float64) float64 { return 80 + 25*math.Exp(-t/180) }, math.Inf(1), 0, 2},
		{"held at a limit", 180, func(t float64) float64 { return math.Min(80, 90-40*math.Exp(-t/90)) }, 80, 0, 2},
		{"a used-up window", 240, func(t float64) float64 {
			if t < 56 {
				return 95 - 20*math.Exp(-t/60)
			}
			return 80 - 8*math.Exp(-(t-56)/60)
		}, math.Inf(1), 0, 2},
		{"jumps soon", 900, func(t float64) float64 { return 80 + jumpsAt(t, 300, 1.3) }, math.Inf(1), 0, 0.6},
		{"jumps late", 900, func(t float64) float64 { return 80 + jumpsAt(t, 690, 1.3) - math.Exp(-t/120) }, math.Inf(1), 0, 1.3},
		{"jumps at the end", 900, func(t float64) float64 { return 80 - jumpsAt(t, 850, 1.3) }, math.Inf(1), 0, 1.3},
		{"jumps to and fro", 900, func(t float64) float64 { return 79.7 + jumpsAt(t, 720, 1) - jumpsAt(t, 150, 1) }, math.Inf(1), 0.5, 2},
		{"too short", 120, rise(10, 30), math.Inf(1), math.Inf(1), math.Inf(1)},
		{"no samples", 0, rise(10, 30), math.Inf(1), math.Inf(1), math.Inf(1)},
	}
	for _, row := range rows {
		t.Run(row.name, func(t *testing.T) {
			r, inside := rand.New(rand.NewPCG(3, 1)), 0
			for _, quantum := range []float64{0.01, 0.125, 1} {
				for range 10 {
					list := course(row.seconds, quantum, r, row.at)
					if len(list) > 0 {
						list[r.IntN(len(list))].V = math.NaN()
					}
					e := settle.Of(list, quantum, row.most)
					if half := e.Half(); half < row.least || half > row.half+quantum {
						t.Errorf("step %g: %+v, half %.2f", quantum, e, half)
					}
					if math.IsInf(e.SD, 1) || math.Abs(e.Value-80) <= e.Half()+noise {
						inside++
					}
				}
			}
			if inside < 24 {
				t.Errorf("%d of 30 intervals hold the value that it goes to", inside)
			}
		})
	}
}

// TestUnknownSteps: whole degrees of a sensor whose step nobody knows settle like others, alone and with the power beside them,
// and so does one that never moves.
func TestUnknownSteps(t *testing.T) {
	by := settle.Heating{AmbientC: 22, AmbientSD: 1}
	for name, at := range map[string]func(float64) float64{
		"whole degrees": func(t float64) float64 { return math.Round(60 - 12*math.Exp(-t/60)) },
		"still":         func(float64) float64 { return 60 },
		"straight":      func(t float64) float64 { return 60 - 0.0001*t },
	} {
		var list []series.Sample
		by.Power = nil
		for s := range 300 {
			list = append(list, series.Sample{T: begin + int64(1000*s), V: at(float64(s))})
			by.Power = append(by.Power, series.Sample{T: begin + int64(1000*s), V: 140})
		}
		for _, e := range []settle.Estimate{settle.Of(list, 0, math.Inf(1)), settle.Heated(list, 0, math.Inf(1), by)} {
			if !(math.Abs(e.Value-60) <= e.Half()+0.5) || !(e.SD < 2) {
				t.Errorf("%s: %+v", name, e)
			}
		}
	}
}

// off is how far estimates were off, and how often the interval held the truth.
type off struct {
	kelvin []float64
	inside int
}

func (o *off) add(miss, half float64) {
	o.kelvin = append(o.kelvin, math.Abs(miss))
	if math.Abs(miss) <= half {
		o.inside++
	}
}

func (o *off) median() float64 { return slices.Sorted(slices.Values(o.kelvin))[len(o.kelvin)/2] }
func (o *off) share() float64  { return float64(o.inside) / float64(len(o.kelvin)) }

// threeMinutes steps machines that stray from every sheet, each under two trims, through legs of three minutes from an idle
// start or a warm one, and then on until nothing moves.
func threeMinutes(t testing.TB, perRig int) (one, differences off) {
	t.Helper()
	r := rand.New(rand.NewPCG(2026, 11))
	for _, name := range parttest.Rigs {
		for range perRig {
			set := parttest.Rig(t, name)
			set.Cooler.CoolantJPerK *= math.Exp(0.4 * r.NormFloat64())
			set.Cooler.AirExponent *= math.Exp(0.3 * r.NormFloat64())
			chip := silicon.Draw(set.Processor, r)
			stray := machine.Adjust{DieR: 0.1 * r.NormFloat64(), CoolerR: 0.15 * r.NormFloat64()}
			quantum := []float64{0.125, 0.5, 1}[r.IntN(3)]
			var found [2]settle.Estimate
			var truth [2]float64
			for k := range 2 {
				settings := trim.Settings{"curve.all": part.Number(float64(-r.IntN(20)))}
				if set.Board.Entry("curve.all") == nil {
					settings = trim.Settings{"voltage.core.offset": part.Number(float64(-5 * r.IntN(12)))}
				}
				if set.Processor.Style == part.StyleWindow {
					settings["limit.beyondSpec"] = part.Switch(false) // a window that is never used up leaves nothing settled
				}
				tuning, err := machine.Tune(set, settings)
				if err != nil {
					t.Fatal(err)
				}
				model, err := machine.NewAdjustedModel(set, tuning, chip, stray)
				if err != nil {
					t.Fatal(err)
				}
				ambient := 18 + 10*r.Float64()
				found[k], truth[k] = approached(machine.New(model, ambient), quantum, ambient, k == 1 && r.IntN(2) == 0, r)
				one.add(found[k].Value-truth[k], found[k].Half())
			}
			differences.add(found[1].Value-found[0].Value-truth[1]+truth[0], 1.645*math.Hypot(found[0].SD, found[1].SD))
		}
	}
	return one, differences
}

func approached(m *machine.Machine, quantum, ambient float64, hot bool, r *rand.Rand) (settle.Estimate, float64) {
	if hot {
		m.SetLoad(load.Mixed, nil, 0)
		for end := m.Time() + 240; m.Time() < end; {
			m.Step(0.025)
		}
	}
	m.SetLoad(load.Heavy, nil, 0)
	by := settle.Heating{AmbientC: ambient + 0.5*r.NormFloat64(), AmbientSD: 1}
	hottest := course(180, quantum, r, func(at float64) float64 {
		for range 40 {
			m.Step(0.025)
		}
		s := m.State()
		t := begin + int64(1000*at)
		by.Power = append(by.Power, series.Sample{T: t, V: s.ReportedW * (1 + 0.01*r.NormFloat64())})
		by.Fan = append(by.Fan, series.Sample{T: t, V: s.FanRPM + 10*r.NormFloat64()})
		return s.HottestC
	})
	const dt, onS, lastS = 0.1, 3000.0, 300.0
	sum, n := 0.0, 0.0
	for end := m.Time() + onS; m.Time() < end; {
		m.Step(dt)
		if m.Time() > end-lastS {
			sum, n = sum+m.State().HottestC, n+1
		}
	}
	return settle.Heated(hottest, quantum, m.Tuning().Limits.TemperatureC, by), sum / n
}

// TestThreeMinutesAreEnough: of two trims under the same machine, legs of three minutes tell the settled difference, and
// their intervals keep what they promise.
func TestThreeMinutesAreEnough(t *testing.T) {
	one, two := threeMinutes(t, 8)
	t.Logf("one leg: median %.2f K off, %.0f %% inside; differences: %.2f K, %.0f %%", one.median(), 100*one.share(), two.median(),
		100*two.share())
	if two.median() > 0.8 || two.share() < 0.85 {
		t.Errorf("differences: median %.2f K off, %.0f %% inside", two.median(), 100*two.share())
	}
	if one.median() > 0.8 || one.share() < 0.82 {
		t.Errorf("one leg: median %.2f K off, %.0f %% inside", one.median(), 100*one.share())
	}
}

// BenchmarkSettled prints how far the settled difference of two trims is off after legs of three minutes.
func BenchmarkSettled(b *testing.B) {
	for b.Loop() {
		_, two := threeMinutes(b, 40)
		b.ReportMetric(two.median(), "K_off")
		b.ReportMetric(100*two.share(), "%inside")
	}
}

func ExampleOf() {
	var leg []series.Sample
	for s := range 240 {
		leg = append(leg, series.Sample{T: int64(1000 * s), V: 78 - 12*math.Exp(-float64(s)/60)})
	}
	e := settle.Of(leg, 0.1, math.Inf(1))
	fmt.Printf("%.0f °C at the end, on its way to %.0f °C", e.Now, e.Value)
	// Output: 78 °C at the end, on its way to 78 °C
}
