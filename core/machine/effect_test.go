package machine_test

import (
	"math"
	"testing"

	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/part/parttest"
	"zerokeel/core/silicon"
	"zerokeel/core/throughput"
	"zerokeel/core/trim"
)

// figure is what is looked at of a settled machine.
type figure func(m *machine.Model, s machine.State) float64

func meanClock(_ *machine.Model, s machine.State) float64 { return s.MeanMHz }
func hottest(_ *machine.Model, s machine.State) float64   { return s.HottestC }
func watts(_ *machine.Model, s machine.State) float64     { return s.PackageW }
func delivered(_ *machine.Model, s machine.State) float64 { return s.DeliveredV }
func requested(_ *machine.Model, s machine.State) float64 { return s.RequestV }
func overshoot(_ *machine.Model, s machine.State) float64 { return s.OvershootV }
func reported(_ *machine.Model, s machine.State) float64  { return s.ReportedW }
func vrmLoss(_ *machine.Model, s machine.State) float64   { return s.VRMLossW }
func fanDuty(_ *machine.Model, s machine.State) float64   { return s.FanDuty }
func tripsAt(m *machine.Model, _ machine.State) float64   { return m.Tuning().TripC }

func coreClock(core int) figure {
	return func(_ *machine.Model, s machine.State) float64 { return s.Cores[core].EffectiveMHz }
}

func coreAsks(core int) figure {
	return func(_ *machine.Model, s machine.State) float64 { return s.Cores[core].RequestV }
}

func points(m *machine.Model, s machine.State) float64 {
	mhz := make([]float64, len(s.Cores))
	for i, c := range s.Cores {
		mhz[i] = c.EffectiveMHz
	}
	return throughput.AllCore(m.Set().Processor, mhz, m.Tuning().SMT, &m.Tuning().Memory)
}

// boostS is how long the machine stays above PL1 from idle, stepped through time.
func boostS(m *machine.Model, _ machine.State) float64 {
	live := machine.New(m, 24)
	live.SetLoad(load.Heavy, nil, 0)
	for live.Time() < 400 {
		live.Step(0.02)
		if s := live.State(); live.Time() > 1 && s.ReportedW < m.Tuning().Limits.SustainedW {
			return live.Time()
		}
	}
	return math.Inf(1)
}

// fanAfterSpike is the fan's duty two seconds into a load.
func fanAfterSpike(m *machine.Model, _ machine.State) float64 {
	live := machine.New(m, 24)
	live.SetLoad(load.Heavy, nil, 0)
	for live.Time() < 2 {
		live.Step(0.02)
	}
	return live.State().FanDuty
}

type effect struct {
	rig    string
	base   trim.Settings // before and after
	from   part.Value    // of the setting before; unset for as delivered
	to     part.Value
	load   load.Kind
	figure figure
	up     bool // whether the figure rises
}

// effects holds, for every setting of the registry that has an effect, one machine on which it shows.
func effects() map[string]effect {
	n, is, on, off := part.Number, part.Choice, part.Switch(true), part.Switch(false)
	var none part.Value
	free := trim.Settings{"limit.ppt": is(trim.Unlimited), "limit.tdc": is(trim.Unlimited), "limit.edc": is(trim.Unlimited)}
	inSpec := trim.Settings{"limit.beyondSpec": off}
	manual := trim.Settings{"memory.profile": is(trim.ProfileManual), "memory.rate": n(6000), "memory.cl": n(32), "memory.rcd": n(36),
		"memory.rp": n(36), "memory.ras": n(80)}
	adaptive := inSpec.With(trim.Settings{"voltage.core.mode": is(trim.Adaptive), "clock.lift": n(2), "voltage.core.target": n(1.4)})
	fixed := inSpec.With(trim.Settings{"voltage.core.mode": is(trim.Fixed), "voltage.core.fixed": n(1.2)})
	corridor := free.With(trim.Settings{"voltage.corridor": on, "voltage.corridor.floorCold": n(0.5), "voltage.corridor.floorHot": n(0.5),
		"voltage.corridor.ceilingCold": n(0.9), "voltage.corridor.ceilingHot": n(0.9), "voltage.corridor.coldC": n(30),
		"voltage.corridor.hotC": n(85)})
	sloped := corridor.With(trim.Settings{"voltage.corridor.coldC": n(20), "voltage.corridor.floorCold": n(0.85),
		"voltage.corridor.reach": n(200)})
	return map[string]effect{
		"memory.profile":     {"petrel", nil, none, is(trim.ProfileRated), load.Mixed, points, true},
		"memory.rate":        {"petrel", manual, none, n(6400), load.Mixed, points, true},
		"memory.cl":          {"petrel", manual, none, n(28), load.Mixed, points, true},
		"memory.rcd":         {"petrel", manual, none, n(32), load.Mixed, points, true},
		"memory.rp":          {"petrel", manual, none, n(32), load.Mixed, points, true},
		"memory.ras":         {"petrel", manual, none, n(60), load.Mixed, points, true},
		"memory.commandRate": {"petrel", manual, none, is("2T"), load.Mixed, points, false},
		"memory.voltage":     {"petrel", nil, none, n(1.4), load.Idle, func(_ *machine.Model, s machine.State) float64 { return s.WallW }, true},
		"memory.fabric":      {"petrel", manual, none, n(1600), load.Mixed, points, false},
		"memory.synchronous": {"petrel", manual, none, is("1:2"), load.Mixed, points, false},
		"memory.powerDown":   {"petrel", nil, none, on, load.Idle, watts, false},

		"limit.beyondSpec":    {"skua", nil, none, off, load.Heavy, watts, false},
		"limit.ppt":           {"petrel", nil, none, n(100), load.Heavy, watts, false},
		"limit.tdc":           {"petrel", nil, none, n(70), load.Heavy, watts, false},
		"limit.edc":           {"petrel", nil, none, n(80), load.Heavy, watts, false},
		"limit.endurance":     {"petrel", trim.Settings{"clock.boostOffset": n(200)}, none, n(10), load.Light, meanClock, true},
		"limit.pl1":           {"skua", inSpec, none, n(90), load.Heavy, watts, false},
		"limit.pl2":           {"skua", inSpec, none, n(140), load.Heavy, boostS, true},
		"limit.tau":           {"skua", inSpec, none, n(20), load.Heavy, boostS, false},
		"limit.iccMax":        {"skua", inSpec, none, n(80), load.Heavy, watts, false},
		"limit.temperatureOn": {"petrel", free, none, off, load.Heavy, hottest, true},
		"limit.temperature":   {"petrel", nil, none, n(65), load.Heavy, hottest, false},
		"limit.trip":          {"petrel", nil, none, n(100), load.Heavy, tripsAt, false},

		"clock.base":            {"petrel", nil, none, n(103), load.Light, meanClock, true},
		"clock.reference":       {"dunlin", nil, none, n(103), load.Light, meanClock, true},
		"clock.boost":           {"petrel", nil, none, off, load.Light, meanClock, false},
		"clock.boostOffset":     {"petrel", nil, none, n(75), load.Light, meanClock, true},
		"clock.ratio.all":       {"petrel", nil, none, n(48), load.Light, meanClock, false},
		"clock.ratio.p":         {"skua", nil, none, n(48), load.Light, meanClock, false},
		"clock.ratio.e":         {"skua", nil, none, n(30), load.Mixed, coreClock(10), false},
		"clock.active.1":        {"skua", nil, none, n(56), load.Light, meanClock, true},
		"clock.lift":            {"skua", nil, none, n(1), load.Light, meanClock, true},
		"clock.ratio.cluster.1": {"gannet", nil, none, n(45), load.Mixed, coreClock(12), false},
		"clock.ratio.core.0":    {"skua", nil, none, n(45), load.Light, meanClock, false},
		"clock.ring":            {"skua", nil, none, n(48), load.Mixed, watts, true},
		"clock.vectorOffset":    {"gannet", free, none, n(10), load.Heavy, meanClock, false},
		"clock.clusterOn.1":     {"gannet", nil, none, off, load.Mixed, watts, false},
		"clock.coreOn.3":        {"petrel", nil, none, off, load.Heavy, coreClock(3), false},

		"voltage.core.mode":         {"skua", adaptive, is(trim.Dynamic), is(trim.Adaptive), load.Light, requested, false},
		"voltage.core.offset":       {"tern", nil, none, n(-50), load.Light, delivered, false},
		"voltage.core.target":       {"skua", adaptive, none, n(1.45), load.Light, requested, true},
		"voltage.core.fixed":        {"skua", fixed, none, n(1.25), load.Idle, delivered, true},
		"voltage.efficiency.offset": {"skua", nil, none, n(-50), load.Mixed, coreAsks(10), false},
		"voltage.ring.mode":         {"skua", inSpec, none, is(trim.Fixed), load.Idle, watts, true},
		"voltage.ring.offset":       {"skua", inSpec, none, n(-50), load.Mixed, watts, false},
		"voltage.ring.fixed": {"skua", inSpec.With(trim.Settings{"voltage.ring.mode": is(trim.Fixed)}), none, n(1.2), load.Idle,
			watts, true},
		"voltage.soc.mode":          {"skua", trim.Settings{"voltage.soc.fixed": n(1.1)}, none, is(trim.Fixed), load.Idle, watts, true},
		"voltage.soc.offset":        {"petrel", nil, none, n(-50), load.Idle, watts, false},
		"voltage.soc.fixed":         {"skua", trim.Settings{"voltage.soc.mode": is(trim.Fixed)}, none, n(1.1), load.Idle, watts, true},
		"voltage.controller.mode":   {"skua", trim.Settings{"voltage.controller.fixed": n(1.1)}, none, is(trim.Fixed), load.Idle, watts, true},
		"voltage.controller.offset": {"petrel", nil, none, n(-50), load.Idle, watts, false},
		"voltage.controller.fixed":  {"skua", trim.Settings{"voltage.controller.mode": is(trim.Fixed)}, none, n(1.1), load.Idle, watts, true},
		"voltage.lightLift":         {"gannet", nil, none, n(30), load.Light, delivered, true},
		"voltage.ceiling":           {"gannet", nil, none, n(1.2), load.Light, meanClock, false},
		"voltage.corridor":          {"gannet", corridor, off, on, load.Light, requested, false},
		"voltage.corridor.ceilingColdC": {"gannet", corridor.With(trim.Settings{"voltage.corridor.ceilingCold": n(1.15),
			"voltage.corridor.reach": n(200)}), none, n(50), load.Light, requested, true},
		"voltage.corridor.ceilingHotC": {"gannet", corridor.With(trim.Settings{"voltage.corridor.ceilingCold": n(1.15),
			"voltage.corridor.reach": n(200)}), none, n(60), load.Light, requested, false},
		"voltage.corridor.coldC":     {"gannet", sloped, none, n(5), load.Idle, requested, false},
		"voltage.corridor.hotC":      {"gannet", sloped, none, n(50), load.Idle, requested, false},
		"voltage.corridor.floorCold": {"gannet", corridor, none, n(0.85), load.Idle, requested, true},
		"voltage.corridor.floorHot": {"gannet", corridor.With(trim.Settings{"voltage.corridor.coldC": n(0), "voltage.corridor.hotC": n(50)}),
			none, n(0.85), load.Idle, requested, true},
		"voltage.corridor.ceilingCold": {"gannet", corridor.With(trim.Settings{"voltage.corridor.reach": n(200)}), none, n(1.4), load.Light,
			requested, true},
		"voltage.corridor.ceilingHot": {"gannet", corridor.With(trim.Settings{"voltage.corridor.reach": n(200)}), none, n(1.4), load.Heavy,
			requested, true},
		"voltage.corridor.reach": {"gannet", corridor, none, n(100), load.Light, requested, false},

		"loadline.level": {"petrel", nil, none, n(8), load.Light, delivered, true},
		"loadline.ac":    {"skua", inSpec, none, n(0.3), load.Light, requested, false},
		"loadline.dc": {"skua", inSpec.With(trim.Settings{"limit.pl1": is(trim.Unlimited), "limit.pl2": is(trim.Unlimited)}), none,
			n(1.1), load.Heavy, reported, false},
		"loadline.phases":    {"petrel", nil, none, is(trim.PhasesSaving), load.Idle, vrmLoss, false},
		"loadline.switching": {"petrel", nil, none, n(800), load.Heavy, overshoot, false},
		"loadline.capability": {"gannet", free, none, n(80), load.Heavy,
			func(m *machine.Model, _ machine.State) float64 { return m.Tuning().Limits.PeakA }, false},

		"curve.all":         {"petrel", free, none, n(-10), load.Light, delivered, false},
		"curve.cluster.1":   {"gannet", nil, none, n(-20), load.Mixed, coreAsks(12), false},
		"curve.core.0":      {"petrel", nil, none, n(-10), load.Light, delivered, false},
		"curve.band.1.cold": {"gannet", nil, none, n(-20), load.Idle, delivered, false},
		"curve.band.5.hot":  {"gannet", nil, none, n(-20), load.Light, requested, false},

		"fan.source":              {"petrel", nil, none, is(trim.SourceCoolant), load.Heavy, fanDuty, false},
		"fan.point.3.temperature": {"petrel", trim.Settings{"limit.ppt": n(90)}, none, n(61), load.Heavy, fanDuty, true},
		"fan.point.2.duty":        {"petrel", trim.Settings{"limit.ppt": n(90)}, none, n(70), load.Heavy, hottest, false},
		"fan.start":               {"petrel", nil, none, n(50), load.Idle, fanDuty, false},
		"fan.response":            {"petrel", trim.Settings{"fan.smoothing": n(0)}, none, n(20), load.Heavy, fanAfterSpike, false},
		"fan.smoothing":           {"petrel", nil, none, n(40), load.Heavy, fanAfterSpike, false},
		"pump.mode":               {"petrel", nil, none, is(trim.PumpQuiet), load.Light, hottest, true},

		"system.ceiling":            {"petrel", nil, none, part.Number(4000), load.Mixed, coreClock(0), false},
		"platform.smt":              {"petrel", nil, none, off, load.Mixed, points, false},
		"platform.cStates":          {"petrel", nil, none, off, load.Idle, watts, true},
		"platform.frequencyControl": {"petrel", nil, none, off, load.Idle, watts, true},
		"platform.spread":           {"petrel", nil, none, on, load.Light, meanClock, false},
	}
}

// TestEverySettingHasItsEffect goes through the registry: each setting moves a machine, in the direction told here, or
// says why it moves none.
func TestEverySettingHasItsEffect(t *testing.T) {
	rows := effects()
	for _, def := range trim.Registry {
		key, row, found := def.Key, effect{}, false
		for k, e := range rows {
			if pattern, _ := part.Pattern(k); pattern == def.Key {
				key, row, found = k, e, true
			}
		}
		if def.NoEffect != "" {
			if found {
				t.Errorf("%s has an effect, and says that it has none", key)
			}
			continue
		}
		if !found {
			t.Errorf("%s has neither an effect here nor a reason for having none", def.Key)
			continue
		}
		t.Run(key, func(t *testing.T) {
			set := parttest.Rig(t, row.rig)
			if def.Running { // what no firmware has
				set.Board.Settings = append(set.Board.Settings, part.BoardSetting{Setting: def.Key, Min: 400, Max: 6000, Step: 1,
					Default: part.Choice(trim.Auto), Words: map[string]int{trim.Auto: 0}})
			}
			before := row.base.With(nil)
			if row.from.IsSet() {
				before[key] = row.from
			}
			after := before.With(trim.Settings{key: row.to})
			chip := silicon.Typical(set.Processor)
			figures := [2]float64{}
			for i, settings := range []trim.Settings{before, after} {
				m := model(t, set, settings, chip)
				figures[i] = row.figure(m, steady(t, m, row.load, 24))
			}
			if was, is := figures[0], figures[1]; was == is || (is > was) != row.up {
				t.Errorf("from %.5f to %.5f", was, is)
			}
			if why := trim.Inert(set, after, key); why != "" {
				t.Errorf("it moves the machine, and yet: %s", why)
			}
		})
	}
}
