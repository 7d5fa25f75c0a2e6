package machine_test

import (
	"math"
	"testing"

	"zerokeel/core/clock"
	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/part/parttest"
	"zerokeel/core/silicon"
	"zerokeel/core/trim"
)

// TestBestLoadLineIsNoEnd: on each board the best level lies between the droopiest and the flattest, has the highest dip
// of those allowed, and the trim's own level shows what the trim settles at.
func TestBestLoadLineIsNoEnd(t *testing.T) {
	for _, rig := range parttest.Rigs {
		set := parttest.Rig(t, rig)
		levels, err := machine.LoadLines(set, nil)
		if err != nil {
			t.Fatal(err)
		}
		settled := steady(t, model(t, set, nil, silicon.Typical(set.Processor)), load.Heavy, 24)
		best, now := 0, 0
		for i, l := range levels {
			if l.Best {
				best++
				if i == 0 || i == len(levels)-1 {
					t.Errorf("%s: the best level is %d, an end", rig, l.Level)
				}
				for _, other := range levels {
					if other.OvershootV <= set.Processor.TransientMaxV && other.DipV > l.DipV {
						t.Errorf("%s: level %d dips less than the best, %d", rig, other.Level, l.Level)
					}
				}
			}
			if l.Now {
				now++
				if math.Abs(l.SteadyV-settled.DeliveredV) > 1e-4 {
					t.Errorf("%s: at its own level %.4f V, settled %.4f V", rig, l.SteadyV, settled.DeliveredV)
				}
			}
			if l.DipV > l.SteadyV || l.OvershootV < l.SteadyV {
				t.Errorf("%s: %+v", rig, l)
			}
		}
		if best != 1 || now != 1 {
			t.Errorf("%s: %d best levels, %d present ones", rig, best, now)
		}
	}
}

// TestBoostWindowOfAMachine: the curve of the whole machine agrees with the closed form of its own mean power, and a load
// below PL1 never uses the window up.
func TestBoostWindowOfAMachine(t *testing.T) {
	set := parttest.Rig(t, "skua")
	m := model(t, set, trim.Settings{"limit.beyondSpec": part.Switch(false)}, silicon.Typical(set.Processor))
	heavy, err := m.BoostWindow(load.Heavy, 24)
	if err != nil || heavy.Seconds == nil {
		t.Fatalf("%+v, %v", heavy, err)
	}
	ends := 0.0
	for _, p := range heavy.Points {
		if p.PowerW > m.Tuning().Limits.SustainedW+1 {
			ends = p.AtS
		}
	}
	step := heavy.Points[1].AtS - heavy.Points[0].AtS
	if math.Abs(ends-*heavy.Seconds) > step+0.02**heavy.Seconds {
		t.Errorf("the closed form says %.1f s, the curve falls after %.1f s", *heavy.Seconds, ends)
	}
	if heavy.ShortW <= heavy.LaterW || heavy.LaterW > m.Tuning().Limits.SustainedW {
		t.Errorf("%.1f W, later %.1f W", heavy.ShortW, heavy.LaterW)
	}
	if light, err := m.BoostWindow(load.Light, 24); err != nil || light.Seconds != nil {
		t.Errorf("a single core uses the window up: %+v, %v", light.Seconds, err)
	}
	if _, err := model(t, parttest.Petrel(t), nil, silicon.Typical(parttest.Petrel(t).Processor)).BoostWindow(load.Heavy, 24); err == nil {
		t.Error("limits of the ceiling style have a window")
	}
}

// TestBoostWindowOfAnyLength: a window that is longer than any load is run for lasts as much longer as it is longer, and does not take
// longer to work out.
func TestBoostWindowOfAnyLength(t *testing.T) {
	set := parttest.Rig(t, "skua")
	for i := range set.Board.Settings {
		if e := &set.Board.Settings[i]; e.Setting == "limit.tau" {
			e.Max, e.Among = 1e9, nil
		}
	}
	at := func(tau float64) machine.Window {
		t.Helper()
		w, err := model(t, set, trim.Settings{"limit.beyondSpec": part.Switch(false), "limit.tau": part.Number(tau)},
			silicon.Typical(set.Processor)).BoostWindow(load.Heavy, 24)
		if err != nil || w.Seconds == nil {
			t.Fatalf("tau %g s: %+v, %v", tau, w.Seconds, err)
		}
		return w
	}
	known := at(800)
	for _, tau := range []float64{3000, 1e6, 1e9} {
		w := at(tau)
		if got, want := *w.Seconds/tau, *known.Seconds/800; math.Abs(got/want-1) > 0.05 || math.Abs(w.LaterW-known.LaterW) > 1 {
			t.Errorf("tau %g s: %.4f of it, later %.1f W; at 800 s %.4f, %.1f W", tau, got, w.LaterW, want, known.LaterW)
		}
	}
}

func TestPlanKeepsWhatIsProven(t *testing.T) {
	p := parttest.Rig(t, "dunlin").Processor
	rates := []float64{}
	for r := 3200.0; r <= 8400; r += 100 {
		rates = append(rates, r)
	}
	for base := 95.0; base <= 110; base += 0.5 {
		plan := clock.NewPlan(p, clock.Asked{BaseMHz: base}, 6000, rates)
		if plan.MemoryMTs > 6000+1e-6 || plan.MemoryMTs < 6000-100*base/100-1e-6 {
			t.Errorf("base clock %g MHz: memory at %.1f MT/s", base, plan.MemoryMTs)
		}
		if plan.FabricMHz > p.Uncore.FabricMax+1e-6 || (plan.Synchronous && math.Abs(plan.FabricMHz*3-plan.MemoryMTs) > 1e-6) {
			t.Errorf("base clock %g MHz: fabric at %.1f MHz for %.1f MT/s", base, plan.FabricMHz, plan.MemoryMTs)
		}
		for _, d := range plan.Derived {
			if d.Name == "Highest core clock" && math.Abs(d.Percent-(base-100)) > 1e-9 {
				t.Errorf("base clock %g MHz moves the cores by %.2f %%", base, d.Percent)
			}
		}
	}
}

// TestPlanKnowsWhatIsAsked: a separate core clock leaves the cores to it, an offset of the boost ceiling adds to them, the rate that
// was entered is told as it becomes, and a fabric keeps the step of its sheet.
func TestPlanKnowsWhatIsAsked(t *testing.T) {
	p := parttest.Rig(t, "dunlin").Processor
	rates := []float64{4000, 4133, 4266, 4400, 4533, 6000}
	plan := clock.NewPlan(p, clock.Asked{BaseMHz: 103, ReferenceMHz: 100, OffsetMHz: 50, RateMTs: 4133}, 4300, rates)
	want := map[string]float64{"Highest core clock": p.HighestMHz() + 50, "Memory as entered": 4133 * 1.03, "Memory": 4133 * 1.03}
	for _, d := range plan.Derived {
		if x, told := want[d.Name]; told && math.Abs(d.Now-x) > 1e-9 {
			t.Errorf("%s becomes %g, want %g", d.Name, d.Now, x)
		}
		delete(want, d.Name)
	}
	if len(want) > 0 || plan.MemorySetting != 4133 {
		t.Errorf("%v not told; %+v", want, plan)
	}
	for _, row := range []struct {
		per  float64
		half bool
		want float64
	}{{0, false, 2000}, {1, false, 3000}, {1, true, 1500}, {0.5, false, 1500}} {
		p.Uncore.FabricPer, p.Uncore.FabricMax = row.per, 3200
		got := clock.NewPlan(p, clock.Asked{BaseMHz: 100, Half: row.half}, 6000, []float64{6000})
		if got.FabricSetting != row.want || !got.Synchronous {
			t.Errorf("a fabric at %g, half %t: %g MHz, in step %t", row.per, row.half, got.FabricSetting, got.Synchronous)
		}
	}
}

// TestSettleAtIsSmooth: between two bins figures run straight, and on a bin they are those of the steady state.
func TestSettleAtIsSmooth(t *testing.T) {
	set := parttest.Petrel(t)
	m := model(t, set, nil, silicon.Typical(set.Processor))
	s := steady(t, m, load.Heavy, 24)
	at := func(mhz float64) machine.At {
		a, err := m.SettleAt(load.Heavy, mhz, 24, machine.At{})
		if err != nil {
			t.Fatal(err)
		}
		return a
	}
	if a := at(s.MeanMHz); math.Abs(a.PackageW-s.ReportedW) > 1e-3 || math.Abs(a.DeliveredV-s.DeliveredV) > 1e-6 {
		t.Errorf("at %.0f MHz: %+v, settled %.3f W", s.MeanMHz, a, s.ReportedW)
	}
	low, mid, high := at(4500), at(4512.5), at(4525)
	if d := mid.PackageW - (low.PackageW+high.PackageW)/2; math.Abs(d) > 1e-3 || high.PackageW <= low.PackageW {
		t.Errorf("%.3f, %.3f, %.3f W", low.PackageW, mid.PackageW, high.PackageW)
	}
}
