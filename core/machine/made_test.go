package machine_test

import (
	"encoding/json"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/part/parttest"
	"zerokeel/core/silicon"
	"zerokeel/core/trim"
)

// TestFixedVoltageIsWhatIsEntered: with an AC load line, which lifts what a curve asks for, a fixed voltage is still what the die
// gets at most under load.
func TestFixedVoltageIsWhatIsEntered(t *testing.T) {
	set := parttest.Rig(t, "skua")
	for _, v := range []float64{1.05, 1.2, 1.35} {
		for _, ac := range []float64{0.1, 0.6} {
			for level := 1; level <= 6; level++ {
				m := model(t, set, trim.Settings{"voltage.core.mode": part.Choice(trim.Fixed), "voltage.core.fixed": part.Number(v),
					"loadline.ac": part.Number(ac), "loadline.level": part.Number(float64(level))}, silicon.Typical(set.Processor))
				for _, kind := range []load.Kind{load.Heavy, load.Light, load.Idle} {
					if s := steady(t, m, kind, 24); s.RequestV != v || s.DeliveredV > v {
						t.Errorf("%g V entered, level %d, AC %g mΩ, %s: asked for %.3f V, delivered %.3f V", v, level, ac, kind, s.RequestV,
							s.DeliveredV)
					}
				}
			}
		}
	}
}

// TestSlowCoresSlowTheirRing: under a low power limit the ring follows, so that an offset saves what it should, and E-cores give
// way in proportion with P-cores.
func TestSlowCoresSlowTheirRing(t *testing.T) {
	set := parttest.Rig(t, "skua")
	under := func(settings trim.Settings) machine.State {
		all := trim.Settings{"limit.beyondSpec": part.Switch(false), "limit.pl1": part.Number(125), "limit.pl2": part.Number(125)}.With(settings)
		return steady(t, model(t, set, all, silicon.Typical(set.Processor)), load.Heavy, 24)
	}
	stock, offset := under(nil), under(trim.Settings{"voltage.core.offset": part.Number(-80)})
	p, e := stock.Cores[0].EffectiveMHz, stock.Cores[set.Processor.Cores()-1].EffectiveMHz
	free := steady(t, model(t, set, nil, silicon.Typical(set.Processor)), load.Light, 24).Cores[0].EffectiveMHz
	if p < 3300 || e > p {
		t.Errorf("at 125 W the P-cores keep %.0f MHz, the E-cores %.0f", p, e)
	}
	ceilings := set.Processor.ClusterCeilingMHz(1, 8, 14) / set.Processor.ClusterCeilingMHz(0, 6, 14)
	if share := e / p; math.Abs(share/ceilings-1) > 0.03 {
		t.Errorf("E-cores run at %.2f of the P-cores' clock; of their ceilings it is %.2f (alone %.0f MHz)", share, ceilings, free)
	}
	if offset.Cores[0].EffectiveMHz < p+150 {
		t.Errorf("−80 mV raise %.0f MHz to %.0f", p, offset.Cores[0].EffectiveMHz)
	}
}

// TestFiguresOfTheSheet: what a sheet says of a second thread, of a floor of the voltage, of limits under a manual ratio and of the
// spread of cores is what the machine does.
func TestFiguresOfTheSheet(t *testing.T) {
	set := parttest.Petrel(t)
	typical := silicon.Typical(set.Processor)
	one := trim.Settings{"platform.smt": part.Switch(false)}
	for _, share := range []float64{0.9, 0.75} {
		set.Processor.Power.OneThread = share
		two, alone := steady(t, model(t, set, nil, typical), load.Mixed, 24), steady(t, model(t, set, one, typical), load.Mixed, 24)
		if saved := two.PackageW*two.MeanMHz/alone.MeanMHz - alone.PackageW; saved < (1-share)*40 {
			t.Errorf("one thread draws %.0f of %.0f W where it switches %g", alone.PackageW, two.PackageW, share)
		}
	}
	deep := trim.Settings{"curve.all": part.Number(-30)}
	without := steady(t, model(t, set, deep, typical), load.Idle, 24).RequestV
	set.Processor.VoltageMinV = 0.62
	if got := steady(t, model(t, set, deep, typical), load.Idle, 24).RequestV; got != 0.62 || without >= 0.6 {
		t.Errorf("a floor of 0.62 V leaves %.3f V asked for at rest, %.3f V without", got, without)
	}
	manual := trim.Settings{"clock.ratio.all": part.Number(46)}
	held := steady(t, model(t, set, manual.With(trim.Settings{"limit.ppt": part.Number(80)}), typical), load.Heavy, 24)
	set.Processor.ManualLifts = true
	lifted := steady(t, model(t, set, manual.With(trim.Settings{"limit.ppt": part.Number(80)}), typical), load.Heavy, 24)
	if held.PackageW > 81 || lifted.PackageW < 100 {
		t.Errorf("a manual ratio draws %.0f W under 80 W, and %.0f W where it lifts the limit", held.PackageW, lifted.PackageW)
	}
	board := parttest.Rig(t, "skua")
	for _, row := range []struct {
		position part.Value
		w, c     float64
	}{
		{part.Switch(false), 125, 95}, {part.Choice(trim.PowerOnly), board.Board.Automatic.PL1W, 95},
		{part.Switch(true), board.Board.Automatic.PL1W, board.Board.Automatic.TemperatureC},
	} {
		entered := trim.Settings{"limit.beyondSpec": row.position, "limit.pl1": part.Number(125), "limit.temperature": part.Number(95)}
		held := model(t, board, entered, silicon.Typical(board.Processor)).Tuning().Limits
		if held.SustainedW != row.w || held.TemperatureC != row.c {
			t.Errorf("board limits %s: %g W and %g °C hold", row.position, held.SustainedW, held.TemperatureC)
		}
	}
	chip := silicon.Typical(set.Processor)
	chip.CoreR[3], chip.CoreR[4] = 1.3, 0.8
	if s := steady(t, model(t, set, nil, chip), load.Heavy, 24); s.Cores[3].TemperatureC < s.Cores[0].TemperatureC+2 ||
		s.Cores[4].TemperatureC > s.Cores[0].TemperatureC-1 || s.HottestC != s.Cores[3].TemperatureC {
		t.Errorf("core 3 has %.1f °C, core 4 %.1f, core 0 %.1f", s.Cores[3].TemperatureC, s.Cores[4].TemperatureC, s.Cores[0].TemperatureC)
	}
}

// TestNothingEndsInInfinity: at every end of what boards take, alone and together, a machine is solved with figures, or with an
// error that says so.
func TestNothingEndsInInfinity(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 6))
	for _, name := range parttest.Rigs {
		set := parttest.Rig(t, name)
		keys := trim.Keys(set.Processor, set.Board)
		for range 150 {
			settings := trim.Settings{}
			for _, key := range keys {
				entry, _ := set.Board.Lookup(key)
				if def, _, _ := trim.Find(key); r.IntN(3) == 0 || strings.HasPrefix(key, "voltage.core") && r.IntN(2) == 0 {
					switch def.Type {
					case trim.TypeNumber:
						settings[key] = part.Number([]float64{entry.Min, entry.Max}[r.IntN(2)])
					case trim.TypeSwitch:
						settings[key] = part.Switch(r.IntN(2) == 0)
					case trim.TypeChoice:
						settings[key] = part.Choice(def.Choices[r.IntN(len(def.Choices))])
					}
				}
			}
			tuning, err := machine.Tune(set, settings)
			if err != nil {
				continue
			}
			m, err := machine.NewModel(set, tuning, silicon.Typical(set.Processor))
			if err != nil {
				t.Fatal(err)
			}
			for _, kind := range []load.Kind{load.Heavy, load.Light, load.Idle} {
				s, err := m.Steady(kind, nil, 24)
				if err != nil {
					continue
				}
				if _, err := json.Marshal(s); err != nil {
					t.Errorf("%s, %s under %v: %v", name, kind, settings, err)
				}
			}
			if lines, err := machine.LoadLines(set, settings); err == nil {
				if _, err := json.Marshal(lines); err != nil {
					t.Errorf("%s: load lines under %v: %v", name, settings, err)
				}
			}
		}
	}
}
