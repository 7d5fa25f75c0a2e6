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

func TestSteadyAgreesWithSteppedMachine(t *testing.T) {
	set := parttest.Petrel(t)
	r := rand.New(rand.NewPCG(7, 11))
	for i := range 24 {
		settings, ambient := randomTrim(r), 18+10*r.Float64()
		chip := silicon.Draw(set.Processor, r)
		kind := []load.Kind{load.Heavy, load.Mixed, load.Light, load.Idle}[i%4]
		t.Run(fmt.Sprintf("%d %s", i, kind), func(t *testing.T) {
			t.Parallel()
			m := model(t, set, settings, chip)
			want := steady(t, m, kind, ambient)
			live := machine.New(m, ambient)
			live.SetLoad(kind, nil, 0)
			for range 360_000 { // an hour of 10 ms steps
				live.Step(0.01)
			}
			got := live.State()
			for _, row := range []struct {
				what           string
				got, want, tol float64
			}{
				{"hottest core °C", got.HottestC, want.HottestC, 0.1},
				{"package W", got.PackageW, want.PackageW, 0.1},
				{"delivered V", got.DeliveredV, want.DeliveredV, 0.001},
				{"clock MHz", got.MeanMHz, want.MeanMHz, 25},
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
	off := trim.Settings{"limit.temperatureOn": part.Switch(false), "limit.ppt": part.Number(400), "limit.tdc": part.Number(300), "limit.edc": part.Number(400),
		"fan.point.4.duty": part.Number(20), "fan.point.3.duty": part.Number(20), "fan.point.2.duty": part.Number(20)}
	if s := steady(t, model(t, set, off, chip), load.Heavy, 24); !s.Overheats {
		t.Errorf("without a temperature limit and with a slow fan it settles at %.1f °C, want past the hard trip", s.HottestC)
	}
}

// TestSettingsMoveTheMachine checks the direction in which each setting moves the settled machine.
func TestSettingsMoveTheMachine(t *testing.T) {
	set := parttest.Petrel(t)
	chip := silicon.Typical(set.Processor)
	clock := func(s machine.State) float64 { return s.MeanMHz }
	hottest := func(s machine.State) float64 { return s.HottestC }
	watts := func(s machine.State) float64 { return s.PackageW }
	delivered := func(s machine.State) float64 { return s.DeliveredV }
	base := numbers(map[string]float64{"limit.ppt": 142, "limit.tdc": 130})
	rows := []struct {
		name   string
		change trim.Settings
		load   load.Kind
		figure func(machine.State) float64
		up     bool
	}{
		{"deeper curve raises the clock under a power limit", numbers(map[string]float64{"curve.all": -10}), load.Heavy, clock, true},
		{"deeper curve lowers the single-core voltage", numbers(map[string]float64{"curve.all": -10}), load.Light, delivered, false},
		{"one core's curve lowers its own request", numbers(map[string]float64{"curve.core.0": -10}), load.Light, delivered, false},
		{"lower PPT lowers power", numbers(map[string]float64{"limit.ppt": 100}), load.Heavy, watts, false},
		{"lower TDC lowers power", numbers(map[string]float64{"limit.tdc": 70}), load.Heavy, watts, false},
		{"lower EDC lowers power", numbers(map[string]float64{"limit.edc": 80}), load.Heavy, watts, false},
		{"lower temperature limit cools", numbers(map[string]float64{"limit.temperature": 65}), load.Heavy, hottest, false},
		{"boost ceiling offset raises the single-core clock", numbers(map[string]float64{"clock.boostOffset": 100}), load.Light, clock, true},
		{"flatter load line raises the single-core voltage", numbers(map[string]float64{"loadline.level": 8}), load.Light, delivered, true},
		{"faster fan cools", numbers(map[string]float64{"fan.point.1.duty": 100, "fan.point.2.duty": 100, "fan.point.3.duty": 100}), load.Heavy, hottest, false},
		{"rated memory draws more when idle", trim.Settings{"memory.profile": part.Choice("rated")}, load.Idle, watts, true},
	}
	for _, row := range rows {
		t.Run(row.name, func(t *testing.T) {
			before := row.figure(steady(t, model(t, set, base, chip), row.load, 24))
			after := row.figure(steady(t, model(t, set, base.With(row.change), chip), row.load, 24))
			if (after > before) != row.up || after == before {
				t.Errorf("from %.4f to %.4f", before, after)
			}
		})
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
	// Output: 4000 MHz held by sustained power
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
