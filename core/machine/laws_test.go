package machine_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"zerokeel/core/clock"
	"zerokeel/core/govern"
	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/part/parttest"
	"zerokeel/core/silicon"
	"zerokeel/core/trim"
)

// TestLawsHoldForAnyTrim checks, over random trims, chips and loads, what must be so of any settled machine.
func TestLawsHoldForAnyTrim(t *testing.T) {
	set := parttest.Petrel(t)
	r := rand.New(rand.NewPCG(99, 1))
	for i := range 150 {
		settings, ambient := randomTrim(r), 15+15*r.Float64()
		m := model(t, set, settings, silicon.Draw(set.Processor, r))
		kind := []load.Kind{load.Heavy, load.Mixed, load.Light, load.Idle}[i%4]
		s := steady(t, m, kind, ambient)
		cores, active := 0.0, 0
		for _, c := range s.Cores {
			cores += c.PowerW
			if c.Active {
				active++
			}
			if c.TemperatureC < s.DieC-1e-9 || c.EffectiveMHz > c.RequestMHz+1e-9 {
				t.Errorf("%d %s: core %+v", i, kind, c)
			}
		}
		uncore := s.PackageW - cores
		laws := []struct {
			name string
			ok   bool
		}{
			{"the cores' power is the rail's", math.Abs(cores-s.DeliveredV*s.Amps) < 1e-6},
			{"heat flows down: die, coolant, room", s.DieC >= s.CoolantC && s.CoolantC >= s.AmbientC},
			{"the wall gives more than the package takes", s.WallW > s.PackageW+s.VRMLossW && uncore > 0},
			{"the load line only takes", s.DeliveredV <= s.RequestV+1e-12},
			{"transients enclose the steady voltage", s.DipV <= s.DeliveredV+1e-12 && s.OvershootV >= s.DeliveredV-1e-12},
			{"no limit is broken", s.PackageW <= settings.Number("limit.ppt", 0)+1e-6 || s.MeanMHz <= 825 || kind == load.Idle},
			{"the hottest core keeps its limit", s.HottestC <= settings.Number("limit.temperature", 0)+1e-3 || s.MeanMHz <= 825},
			{"the load visits its cores", active == map[load.Kind]int{load.Heavy: 8, load.Mixed: 8, load.Light: 1, load.Idle: 0}[kind]},
			{"idling is held by nothing", (s.Limiter == govern.None) == (kind == load.Idle)},
		}
		for _, law := range laws {
			if !law.ok {
				t.Errorf("%d %s under %v: not so that %s: %+v", i, kind, settings, law.name, s)
			}
		}
	}
}

// TestMoreOfALimitNeverSlows: raising the limit that binds does not lower the clock, for each limit by itself.
func TestMoreOfALimitNeverSlows(t *testing.T) {
	set := parttest.Petrel(t)
	chip := silicon.Typical(set.Processor)
	for key, span := range map[string][3]float64{"limit.ppt": {50, 250, 10}, "limit.tdc": {40, 200, 8}, "limit.edc": {60, 260, 10},
		"limit.temperature": {60, 95, 2}} {
		last := 0.0
		for x := span[0]; x <= span[1]; x += span[2] {
			s := steady(t, model(t, set, numbers(map[string]float64{key: x}), chip), load.Heavy, 24)
			if s.MeanMHz < last {
				t.Errorf("%s from %g: the clock falls from %g to %g MHz", key, x-span[2], last, s.MeanMHz)
			}
			last = s.MeanMHz
		}
	}
}

// TestEachLimiterIsNamed builds a trim for each limiter, and finds it by stepping and by solving.
func TestEachLimiterIsNamed(t *testing.T) {
	set := parttest.Petrel(t)
	wide := map[string]float64{"limit.ppt": 400, "limit.tdc": 300, "limit.edc": 400, "limit.temperature": 115}
	rows := []struct {
		name  govern.Limiter
		key   string
		value float64
		kind  load.Kind
	}{
		{govern.SustainedPower, "limit.ppt", 90, load.Heavy},
		{govern.SustainedCurrent, "limit.tdc", 70, load.Heavy},
		{govern.PeakCurrent, "limit.edc", 80, load.Heavy},
		{govern.Temperature, "limit.temperature", 65, load.Heavy},
		{govern.Ratio, "limit.ppt", 400, load.Light},
	}
	for _, row := range rows {
		t.Run(string(row.name), func(t *testing.T) {
			settings := numbers(wide).With(trim.Settings{row.key: part.Number(row.value)})
			m := model(t, set, settings, silicon.Typical(set.Processor))
			if s := steady(t, m, row.kind, 24); s.Limiter != row.name {
				t.Errorf("solved: held by %s", s.Limiter)
			}
			live := machine.New(m, 24)
			live.SetLoad(row.kind, nil, 0)
			for range 60000 {
				live.Step(0.01)
			}
			if s := live.State(); s.Limiter != row.name {
				t.Errorf("stepped: held by %s", s.Limiter)
			}
		})
	}
}

// TestLoadsMoveOverTheCores: a one-core load visits each core in turn, a transition load bursts and rests, and a load on
// some cores leaves the others alone.
func TestLoadsMoveOverTheCores(t *testing.T) {
	set := parttest.Petrel(t)
	m := machine.New(model(t, set, nil, silicon.Typical(set.Processor)), 24)
	visited := func(seconds float64) string {
		order := ""
		last := -1
		for range int(seconds / 0.01) {
			m.Step(0.01)
			for c := range 8 {
				if m.Active(c) && c != last {
					order += fmt.Sprint(c)
					last = c
				}
			}
		}
		return order
	}
	m.SetLoad(load.Light, nil, 2)
	if got := visited(16); got != "01234567" {
		t.Errorf("in turn: %s", got)
	}
	m.SetLoad(load.Light, []int{5, 2}, 2)
	if got := visited(6); got != "525" {
		t.Errorf("two cores in turn: %s", got)
	}
	m.SetLoad(load.Transition, nil, 0)
	bursts, before := 0, false
	for range 700 {
		m.Step(0.01)
		if on := m.Active(0); on != before {
			before = on
			if on {
				bursts++
			}
		}
	}
	if bursts != 10 {
		t.Errorf("%d bursts in 7 s, want 10", bursts)
	}
	m.SetLoad(load.Heavy, []int{1, 6}, 0)
	for range 3000 {
		m.Step(0.01)
	}
	s := m.State()
	if d := s.Cores[1].TemperatureC - s.Cores[2].TemperatureC; d < 5 || math.Abs(s.Cores[1].TemperatureC-s.Cores[6].TemperatureC) > 1 {
		t.Errorf("loaded cores stand %.1f °C above the others", d)
	}
	if kind, since := m.Load(); kind != load.Heavy || math.Abs(since-30) > 0.02 {
		t.Errorf("load %s for %.2f s", kind, since)
	}
}

// TestLawsHoldOnEveryRig checks over random trims of the other rigs what must be so of any settled machine, whatever its
// style of limits, its rails and its kinds of core.
func TestLawsHoldOnEveryRig(t *testing.T) {
	r := rand.New(rand.NewPCG(31, 2))
	for i := range 120 {
		rig := parttest.Rigs[1+i%4]
		set := parttest.Rig(t, rig)
		settings, ambient := otherTrim(rig, r), 15+15*r.Float64()
		m := model(t, set, settings, silicon.Draw(set.Processor, r))
		tuning := m.Tuning()
		kind := []load.Kind{load.Heavy, load.Mixed, load.Light, load.Idle}[(i/4)%4]
		s := steady(t, m, kind, ambient)
		cores := 0.0
		for c, core := range s.Cores {
			cores += core.PowerW
			cluster := set.Processor.Clusters[set.Processor.ClusterOf(c)]
			top := tuning.Clocks.Top(set.Processor, c, clock.Alone, false)
			if core.RequestMHz > top+m.Bins().StepMHz && core.Active {
				t.Errorf("%d %s %s: core %d (%s) at %.0f MHz, its highest is %.0f", i, rig, kind, c, cluster.Kind, core.RequestMHz, top)
			}
			if core.DeliveredV > s.VoltageMaxV+1e-9 || core.EffectiveMHz > core.RequestMHz+1e-9 {
				t.Errorf("%d %s %s: core %d: %+v", i, rig, kind, c, core)
			}
		}
		limits := tuning.Limits
		laws := []struct {
			name string
			ok   bool
		}{
			{"the package draws what its cores and the rest draw", s.PackageW > cores},
			{"heat flows down: die, coolant, room", s.DieC >= s.CoolantC-1e-9 && s.CoolantC >= s.AmbientC-1e-9},
			{"the wall gives more than package and regulator take", s.WallW > s.PackageW+s.VRMLossW},
			{"transients enclose the steady voltage", s.DipV <= s.DeliveredV+1e-12},
			{"sustained power is kept", kind == load.Idle || s.ReportedW <= limits.SustainedW+1e-6 || s.MeanMHz <= m.Bins().MHz(1)},
			{"the temperature limit is kept", s.HottestC <= limits.TemperatureC+1e-2 || s.MeanMHz <= m.Bins().MHz(1)},
			{"idling is held by nothing", (s.Limiter == govern.None) == (kind == load.Idle)},
			{"short power limits only where a window is open", s.Limiter != govern.ShortPower || limits.SustainedW >= limits.ShortW},
		}
		for _, law := range laws {
			if !law.ok {
				t.Errorf("%d %s %s under %v: not so that %s: %+v", i, rig, kind, settings, law.name, s)
			}
		}
	}
}

// TestTurnsAreTheMeanOfTheClusters: a load that goes from core to core shows, on two unlike clusters, what lies between
// them; on one cluster it is the plain steady state.
func TestTurnsAreTheMeanOfTheClusters(t *testing.T) {
	for _, rig := range []string{"gannet", "skua"} {
		set := parttest.Rig(t, rig)
		m := model(t, set, nil, silicon.Typical(set.Processor))
		turn, err := m.SteadyInTurn(load.Light, 24)
		if err != nil {
			t.Fatal(err)
		}
		mean := 0.0
		for i, cluster := range set.Processor.Clusters {
			s, err := m.Steady(load.Light, []int{set.Processor.FirstCore(i)}, 24)
			if err != nil {
				t.Fatal(err)
			}
			mean += s.MeanMHz * float64(cluster.Cores) / float64(set.Processor.Cores())
			if !turn.Cores[set.Processor.FirstCore(i)].Active {
				t.Errorf("%s: the turn of cluster %d is not shown", rig, i)
			}
		}
		at, err := m.SettleAt(load.Light, turn.MeanMHz, 24, machine.At{})
		if math.Abs(turn.MeanMHz-mean) > 1e-6 || err != nil || math.Abs(at.DeliveredV-turn.DeliveredV) > 0.002 {
			t.Errorf("%s: %.1f MHz in turn, %.1f over the clusters; %.4f V in turn, settled at that clock %.4f V, %v", rig, turn.MeanMHz, mean,
				turn.DeliveredV, at.DeliveredV, err)
		}
	}
	set := parttest.Petrel(t)
	m := model(t, set, nil, silicon.Typical(set.Processor))
	turn, err := m.SteadyInTurn(load.Light, 24)
	if plain := steady(t, m, load.Light, 24); err != nil || turn.PackageW != plain.PackageW || turn.DeliveredV != plain.DeliveredV {
		t.Errorf("on one cluster %.3f W in turn, %.3f W plain, %v", turn.PackageW, plain.PackageW, err)
	}
}

// TestClusterRailsStandApart: on rails of their own two clusters get voltages of their own, and one that is switched off
// draws nothing; on a shared rail all stand at the highest request.
func TestClusterRailsStandApart(t *testing.T) {
	gannet, skua := parttest.Rig(t, "gannet"), parttest.Rig(t, "skua")
	own := steady(t, model(t, gannet, trim.Settings{"curve.cluster.1": part.Number(-40)}, silicon.Typical(gannet.Processor)), load.Mixed, 24)
	if d := own.Cores[0].DeliveredV - own.Cores[8].DeliveredV; d < 0.05 {
		t.Errorf("clusters of their own stand %.3f V apart", d)
	}
	shared := steady(t, model(t, skua, nil, silicon.Typical(skua.Processor)), load.Mixed, 24)
	if shared.Cores[0].DeliveredV != shared.Cores[10].DeliveredV {
		t.Errorf("on a shared rail %.3f and %.3f V", shared.Cores[0].DeliveredV, shared.Cores[10].DeliveredV)
	}
	off := steady(t, model(t, gannet, trim.Settings{"clock.clusterOn.1": part.Switch(false)}, silicon.Typical(gannet.Processor)), load.Heavy,
		24)
	for c := 8; c < 16; c++ {
		if off.Cores[c].PowerW != 0 || off.Cores[c].Active {
			t.Errorf("core %d is off and draws %.2f W", c, off.Cores[c].PowerW)
		}
	}
}

// TestOneCoreStandsForItsLikes: that cores made and loaded alike are settled once changes nothing. Cores whose leakage differs
// by less than any figure shows are each settled by themselves, and must show the same.
func TestOneCoreStandsForItsLikes(t *testing.T) {
	r := rand.New(rand.NewPCG(6, 28))
	for i := range 60 {
		rig := parttest.Rigs[i%len(parttest.Rigs)]
		set := parttest.Rig(t, rig)
		settings := trim.Stock(set.Processor, set.Board)
		if i%len(parttest.Rigs) > 0 {
			settings = otherTrim(rig, r)
		}
		chip := silicon.Typical(set.Processor)
		apart := silicon.Typical(set.Processor)
		for c := range apart.Leak {
			apart.Leak[c] *= 1 + 1e-12*float64(c)
		}
		kind := []load.Kind{load.Heavy, load.Mixed, load.Light, load.Idle}[(i/5)%4]
		together, alone := steady(t, model(t, set, settings, chip), kind, 22), steady(t, model(t, set, settings, apart), kind, 22)
		if together.Limiter != alone.Limiter || math.Abs(together.PackageW-alone.PackageW) > 1e-4 ||
			math.Abs(together.HottestC-alone.HottestC) > 1e-3 || together.MeanMHz != alone.MeanMHz {
			t.Errorf("%s under %s load: %+v\neach core by itself: %+v", rig, kind, together, alone)
		}
		for c := range together.Cores {
			if a, b := together.Cores[c], alone.Cores[c]; math.Abs(a.TemperatureC-b.TemperatureC) > 1e-3 || math.Abs(a.PowerW-b.PowerW) > 1e-4 {
				t.Errorf("%s under %s load, core %d: %+v, by itself %+v", rig, kind, c, a, b)
			}
		}
	}
}
