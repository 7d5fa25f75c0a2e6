package machine_test

import (
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"testing"

	"zerokeel/core/govern"
	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/part/parttest"
	"zerokeel/core/silicon"
	"zerokeel/core/trim"
)

func model(t testing.TB, set *part.Set, settings trim.Settings, chip silicon.Chip) *machine.Model {
	t.Helper()
	tuning, err := machine.Tune(set, settings)
	if err != nil {
		t.Fatal(err)
	}
	m, err := machine.NewModel(set, tuning, chip)
	if err != nil {
		t.Fatal(err)
	}
	return m
}

func steady(t testing.TB, m *machine.Model, kind load.Kind, ambient float64) machine.State {
	t.Helper()
	s, err := m.Steady(kind, nil, ambient)
	if err != nil {
		t.Fatal(err)
	}
	return s
}

func numbers(pairs map[string]float64) trim.Settings {
	s := trim.Settings{}
	for k, v := range pairs {
		s[k] = part.Number(v)
	}
	return s
}

// randomTrim draws settings within the board's ranges that leave the machine running.
func randomTrim(r *rand.Rand) trim.Settings {
	return numbers(map[string]float64{
		"limit.ppt": float64(60 + r.IntN(180)), "limit.tdc": float64(50 + r.IntN(130)), "limit.edc": float64(70 + r.IntN(160)),
		"limit.temperature": float64(65 + r.IntN(31)), "clock.boostOffset": float64(25 * (r.IntN(25) - 16)),
		"loadline.level": float64(1 + r.IntN(8)), "curve.all": float64(-r.IntN(31)), "curve.core.3": float64(-r.IntN(10)),
		"fan.point.2.duty": float64(20 + r.IntN(60)),
	})
}

// otherTrim draws settings for the rigs beside Petrel: both styles of limits, each voltage mode, P- and E-cores.
func otherTrim(rig string, r *rand.Rand) trim.Settings {
	n := func(low, high, step float64) part.Value {
		return part.Number(low + step*float64(r.IntN(int(math.Round((high-low)/step))+1)))
	}
	s := trim.Settings{"loadline.level": n(1, 6, 1), "fan.point.2.duty": n(20, 60, 1), "fan.smoothing": n(0, 10, 1)}
	switch rig {
	case "gannet":
		s["curve.all"], s["curve.cluster.1"], s["curve.band.2.hot"], s["curve.band.4.cold"] = n(-20, 0, 1), n(-15, 0, 1), n(-10, 5, 1),
			n(-10, 5, 1)
		s["limit.ppt"], s["limit.temperature"], s["clock.ratio.cluster.0"] = n(90, 250, 1), n(65, 92, 1), n(45, 52, 0.25)
	case "skua":
		s["limit.beyondSpec"], s["limit.pl1"], s["limit.pl2"], s["limit.tau"] = part.Switch(false), n(70, 180, 1), n(180, 260, 1), n(5, 80, 1)
		s["loadline.ac"], s["clock.ratio.e"], s["clock.lift"] = n(0.1, 0.7, 0.01), n(30, 40, 1), n(0, 2, 1)
		s["voltage.core.mode"] = part.Choice([]string{trim.Dynamic, trim.Adaptive, trim.Fixed}[r.IntN(3)])
		s["voltage.core.target"], s["voltage.core.fixed"] = n(1.25, 1.4, 0.005), n(1.15, 1.3, 0.005)
	case "tern":
		s["limit.beyondSpec"], s["limit.pl1"], s["voltage.core.offset"] = part.Switch(false), n(35, 90, 1), n(-100, 0, 5)
		delete(s, "fan.smoothing")
	case "dunlin":
		s["limit.ppt"], s["clock.reference"], s["curve.all"] = n(45, 88, 1), n(100, 104, 0.1), n(-20, 0, 1)
	}
	return s
}

// TestSteadyAgreesWithSteppedMachine: an hour of small steps ends where the steady state says, on every demo rig.
func TestSteadyAgreesWithSteppedMachine(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 11))
	for i := range 36 {
		rig := parttest.Rigs[i%3*(i/3%2)+(i/6)%len(parttest.Rigs)*(1-i/3%2)]
		set := parttest.Rig(t, rig)
		settings, ambient := randomTrim(r), 18+10*r.Float64()
		if rig != "petrel" {
			settings = otherTrim(rig, r)
		}
		chip := silicon.Draw(set.Processor, r)
		kind := []load.Kind{load.Heavy, load.Mixed, load.Light, load.Idle}[i%4]
		t.Run(fmt.Sprintf("%d %s %s", i, rig, kind), func(t *testing.T) {
			t.Parallel()
			m := model(t, set, settings, chip)
			want := steady(t, m, kind, ambient)
			live := machine.New(m, ambient)
			live.SetLoad(kind, nil, 0)
			for range 360_000 { // an hour of 10 ms steps
				live.Step(0.01)
			}
			got := live.State()
			if limit := m.Tuning().Limits.TemperatureC; want.HottestC > limit-govern.HysteresisC-govern.KneeC && got.MeanMHz < want.MeanMHz &&
				got.MeanMHz >= want.MeanMHz-m.Bins().StepMHz-1e-6 && got.HottestC > limit-3*govern.HysteresisC-govern.KneeC {
				return // it does not rise to where it would come so close to its temperature limit
			}
			for _, row := range []struct {
				what           string
				got, want, tol float64
			}{
				{"hottest core °C", got.HottestC, want.HottestC, 0.1},
				{"package W", got.PackageW, want.PackageW, 0.1},
				{"delivered V", got.DeliveredV, want.DeliveredV, 0.001},
				{"clock MHz", got.MeanMHz, want.MeanMHz, m.Bins().StepMHz},
				{"coolant °C", got.CoolantC, want.CoolantC, 0.1},
			} {
				if !(math.Abs(row.got-row.want) <= row.tol) {
					t.Errorf("%s: stepped %.4f, steady %.4f (limiter %s, %s)", row.what, row.got, row.want, got.Limiter, want.Limiter)
				}
			}
			if got.Limiter != want.Limiter {
				t.Errorf("limiter: stepped %s, steady %s", got.Limiter, want.Limiter)
			}
		})
	}
}

func TestStockRunsIntoItsTemperatureLimit(t *testing.T) {
	set := parttest.Petrel(t)
	chip := silicon.Typical(set.Processor)
	stock := steady(t, model(t, set, nil, chip), load.Heavy, 24)
	if stock.Limiter != govern.Temperature || stock.HottestC < 93 || stock.HottestC > 95 {
		t.Errorf("stock: limiter %s at %.1f °C, want temperature between 93 and 95 °C", stock.Limiter, stock.HottestC)
	}
	inSpec := steady(t, model(t, set, numbers(map[string]float64{"limit.ppt": 142, "limit.tdc": 130}), chip), load.Heavy, 24)
	if inSpec.Limiter != govern.SustainedPower || inSpec.PackageW > 142 || inSpec.PackageW < 139 {
		t.Errorf("in spec: limiter %s at %.1f W, want sustained power just under 142 W", inSpec.Limiter, inSpec.PackageW)
	}
	off := trim.Settings{"limit.temperatureOn": part.Switch(false), "limit.ppt": part.Number(400), "limit.tdc": part.Number(300),
		"limit.edc":        part.Number(400),
		"fan.point.4.duty": part.Number(20), "fan.point.3.duty": part.Number(20), "fan.point.2.duty": part.Number(20)}
	if s := steady(t, model(t, set, off, chip), load.Heavy, 24); !s.Overheats {
		t.Errorf("without a temperature limit and with a slow fan it settles at %.1f °C, want past the hard trip", s.HottestC)
	}
}

func TestSteadyRefusesNonsense(t *testing.T) {
	set := parttest.Petrel(t)
	m := model(t, set, nil, silicon.Typical(set.Processor))
	if _, err := m.Steady(load.Transition, nil, 24); !errors.Is(err, machine.ErrNoSteadyState) {
		t.Errorf("transition: got %v, want ErrNoSteadyState", err)
	}
	for name, call := range map[string]func() error{
		"unknown load":  func() error { _, err := m.Steady("warp", nil, 24); return err },
		"ambient NaN":   func() error { _, err := m.Steady(load.Heavy, nil, math.NaN()); return err },
		"missing core":  func() error { _, err := m.Steady(load.Heavy, []int{8}, 24); return err },
		"wrong setting": func() error { _, err := machine.Tune(set, numbers(map[string]float64{"limit.ppt": 9e9})); return err },
	} {
		if call() == nil {
			t.Errorf("%s: no error", name)
		}
	}
}

func TestMachineRepeatsExactly(t *testing.T) {
	set := parttest.Petrel(t)
	run := func() machine.State {
		m := machine.New(model(t, set, nil, silicon.Draw(set.Processor, rand.New(rand.NewPCG(3, 1)))), 23)
		m.SetLoad(load.Transition, nil, 0)
		for range 3000 {
			m.Step(0.01)
		}
		return m.State()
	}
	if a, b := fmt.Sprint(run()), fmt.Sprint(run()); a != b {
		t.Errorf("two runs differ:\n%s\n%s", a, b)
	}
}

func ExampleModel_Steady() {
	text, _ := os.ReadFile("../../docs/examples/petrel.parts.json")
	set, _ := part.ParseSet(text)
	tuning, _ := machine.Tune(set, trim.Settings{"limit.ppt": part.Number(100)})
	m, _ := machine.NewModel(set, tuning, silicon.Typical(set.Processor))
	s, _ := m.Steady(load.Heavy, nil, 24)
	fmt.Printf("%.0f MHz held by %s\n", s.MeanMHz, s.Limiter)
	// Output: 3950 MHz held by sustained power
}

func BenchmarkStep(b *testing.B) {
	set := parttest.Petrel(b)
	m := machine.New(model(b, set, nil, silicon.Typical(set.Processor)), 24)
	m.SetLoad(load.Heavy, nil, 0)
	for b.Loop() {
		m.Step(0.01)
	}
	b.ReportMetric(0.01*float64(b.N)/b.Elapsed().Seconds(), "x_realtime")
}

func BenchmarkSteady(b *testing.B) {
	set := parttest.Petrel(b)
	m := model(b, set, nil, silicon.Typical(set.Processor))
	for b.Loop() {
		if _, err := m.Steady(load.Heavy, nil, 24); err != nil {
			b.Fatal(err)
		}
	}
}
