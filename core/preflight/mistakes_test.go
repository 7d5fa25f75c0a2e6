package preflight_test

import (
	"maps"
	"slices"
	"testing"

	"zerokeel/core/forecast"
	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/part/parttest"
	"zerokeel/core/preflight"
	"zerokeel/core/trim"
)

// proven returns the trim of a rig from which builders go on: inside the maker's limits, memory at its rated profile.
func proven(t testing.TB, rig string) (*part.Set, trim.Settings) {
	t.Helper()
	set := parttest.Rig(t, rig)
	s := trim.Stock(set.Processor, set.Board)
	s["memory.profile"] = part.Choice(trim.ProfileRated)
	for _, key := range []string{"limit.ppt", "limit.tdc", "limit.edc", "limit.pl1", "limit.pl2", "limit.tau", "limit.iccMax",
		"limit.temperature"} {
		if _, ok := s[key]; ok {
			def, _, _ := trim.Find(key)
			s[key] = def.Spec(set.Processor, 0)
		}
	}
	if _, ok := s["limit.beyondSpec"]; ok {
		s["limit.beyondSpec"] = part.Switch(false)
	}
	return set, s
}

type tried struct {
	name    string
	rig     string
	parent  trim.Settings // on top of the proven trim
	change  trim.Settings
	records preflight.Records
	rule    string // that must speak; "" for silence
	level   preflight.Level
}

var (
	n   = part.Number
	is  = part.Choice
	on  = part.Switch(true)
	off = part.Switch(false)
)

// mistakes are those that builders tell of, each on the rig where it happens.
func mistakes(t testing.TB) []tried {
	t.Helper()
	deepest := trim.Settings{"voltage.core.offset": n(-200), "curve.all": n(-50), "curve.cluster.0": n(-50), "curve.cluster.1": n(-50)}
	for core := range 16 {
		deepest[trim.At("curve.core.*", core)] = n(-50)
	}
	static := trim.Settings{"voltage.core.mode": is(trim.Fixed), "voltage.core.fixed": n(1.2)}
	deep := trim.Settings{"curve.all": n(-15)}
	failed := preflight.Records{Failed: map[int]float64{5: -20}}
	froze := func(rig string, settings trim.Settings) preflight.Records {
		daring, err := machine.NewDaring(parttest.Rig(t, rig), settings)
		if err != nil {
			t.Fatal(err)
		}
		return preflight.Records{Failures: []preflight.Failure{{Trim: "T3", What: "froze at idle in trial 7", Regime: load.RegimeIdle, Core: -1,
			Daring: daring}}}
	}
	fleet := preflight.Records{Fleet: map[string][]float64{"voltage.core.offset": {-70, -90, -100, -85}, "limit.pl1": {65, 65, 65}}}
	stop, caution, note := preflight.Stop, preflight.Caution, preflight.Note
	return []tried{
		{"sign lost on the curve", "petrel", nil, trim.Settings{"curve.all": n(10)}, preflight.Records{}, "sign-lost", caution},
		{"sign lost on one core", "petrel", deep, trim.Settings{"curve.core.3": n(5)}, preflight.Records{}, "sign-lost", caution},
		{"sign lost on an offset", "tern", nil, trim.Settings{"voltage.core.offset": n(50)}, preflight.Records{}, "sign-lost", caution},
		{"sign lost on a band", "gannet", nil, trim.Settings{"curve.band.3.hot": n(8)}, preflight.Records{}, "sign-lost", caution},
		{"sign lost on the SoC", "petrel", nil, trim.Settings{"voltage.soc.offset": n(25)}, preflight.Records{}, "sign-lost", caution},
		{"curve ten times too deep", "petrel", nil, trim.Settings{"curve.all": n(-100)}, preflight.Records{}, "board-range", stop},
		{"decimal slip in volts", "tern", nil, trim.Settings{"voltage.core.offset": n(-700)}, preflight.Records{}, "board-range", stop},
		{"volts for millivolts", "tern", nil, trim.Settings{"voltage.core.offset": n(-0.07)}, preflight.Records{}, "board-range", stop},
		{"millivolts for volts", "skua", static, trim.Settings{"voltage.core.fixed": n(1200)}, preflight.Records{}, "board-range", stop},
		{"milliwatts for watts", "petrel", nil, trim.Settings{"limit.ppt": n(142000)}, preflight.Records{}, "board-range", stop},
		{"off the board's step", "petrel", nil, trim.Settings{"clock.boostOffset": n(30)}, preflight.Records{}, "board-range", stop},
		{"another board's offset step", "skua", nil, trim.Settings{"voltage.core.offset": n(-56.25)}, preflight.Records{}, "board-range", stop},
		{"another board's level", "skua", nil, trim.Settings{"loadline.level": n(8)}, preflight.Records{}, "board-range", stop},
		{"another board's setting", "petrel", nil, trim.Settings{"limit.pl1": n(125)}, preflight.Records{}, "board-range", stop},
		{"deeper than the board's range", "tern", nil, trim.Settings{"voltage.core.offset": n(-160)}, preflight.Records{}, "board-range", stop},
		{"a word for a number", "petrel", nil, trim.Settings{"limit.ppt": is("much")}, preflight.Records{}, "board-range", stop},
		{"offset ten times the parent's", "tern", trim.Settings{"voltage.core.offset": n(-10)}, trim.Settings{"voltage.core.offset": n(-100)},
			preflight.Records{}, "decimal-slip", caution},
		{"limit a tenth of the parent's", "skua", trim.Settings{"limit.tau": n(56)}, trim.Settings{"limit.tau": n(6)}, preflight.Records{},
			"decimal-slip", caution},
		{"unlike the fleet", "tern", trim.Settings{"voltage.core.offset": n(-30)}, trim.Settings{"voltage.core.offset": n(-150)}, fleet,
			"unlike-fleet", caution},
		{"limit unlike the fleet", "tern", nil, trim.Settings{"limit.pl1": n(30)}, fleet, "unlike-fleet", caution},
		{"no temperature limit", "petrel", nil, trim.Settings{"limit.temperatureOn": off}, preflight.Records{}, "no-temperature-limit", stop},
		{"no temperature limit, other board", "skua", nil, trim.Settings{"limit.temperatureOn": off}, preflight.Records{},
			"no-temperature-limit", stop},
		{"temperature limit above the maker's", "petrel", nil, trim.Settings{"limit.temperature": n(105)}, preflight.Records{},
			"no-temperature-limit", caution},
		{"trips before it slows", "petrel", nil, trim.Settings{"limit.trip": n(90)}, preflight.Records{}, "trip-below-limit", stop},
		{"power unlimited", "skua", nil, trim.Settings{"limit.pl2": is(trim.Unlimited)}, preflight.Records{}, "unlimited", caution},
		{"current unlimited", "petrel", nil, trim.Settings{"limit.tdc": is(trim.Unlimited)}, preflight.Records{}, "unlimited", caution},
		{"board's own limits of power on", "skua", nil, trim.Settings{"limit.beyondSpec": part.Choice(trim.PowerOnly)}, preflight.Records{},
			"board-beyond-spec", caution},
		{"board's own limits on", "skua", nil, trim.Settings{"limit.beyondSpec": on}, preflight.Records{}, "board-beyond-spec", caution},
		{"power beyond the maker's", "petrel", nil, trim.Settings{"limit.ppt": n(200)}, preflight.Records{}, "beyond-spec", note},
		{"short power beyond the maker's", "tern", nil, trim.Settings{"limit.pl2": n(160)}, preflight.Records{}, "beyond-spec", note},
		{"current beyond the regulator", "petrel", nil, trim.Settings{"limit.edc": n(380)}, preflight.Records{}, "beyond-regulator", caution},
		{"PL1 and PL2 mixed up", "skua", nil, trim.Settings{"limit.pl1": n(188), "limit.pl2": n(125)}, preflight.Records{}, "pl1-above-pl2",
			caution},
		{"tau of a blink", "skua", nil, trim.Settings{"limit.tau": n(1)}, preflight.Records{}, "tau-absurd", caution},
		{"tau of seven minutes", "skua", nil, trim.Settings{"limit.tau": n(448)}, preflight.Records{}, "tau-absurd", caution},
		{"EDC and TDC mixed up", "petrel", nil, trim.Settings{"limit.tdc": n(180), "limit.edc": n(125)}, preflight.Records{}, "edc-below-tdc",
			caution},
		{"fan off under load", "dunlin", nil, trim.Settings{"fan.point.1.duty": n(0), "fan.point.2.duty": n(0), "fan.point.3.duty": n(0),
			"fan.point.4.duty": n(0), "limit.temperature": n(115), "limit.ppt": is(trim.Unlimited), "limit.tdc": is(trim.Unlimited),
			"limit.edc": is(trim.Unlimited)}, preflight.Records{}, "overheats", caution},
		{"fixed voltage above the ceiling", "skua", static, trim.Settings{"voltage.core.fixed": n(1.55)}, preflight.Records{},
			"voltage-above-ceiling", stop},
		{"adaptive target above the ceiling", "skua", nil, trim.Settings{"voltage.core.mode": is(trim.Adaptive), "voltage.core.target": n(1.55),
			"clock.lift": n(1)}, preflight.Records{}, "voltage-above-ceiling", stop},
		{"voltage above the stacked cache's ceiling", "gannet", nil,
			trim.Settings{"voltage.core.mode": is(trim.Fixed), "voltage.core.fixed": n(1.35)}, preflight.Records{}, "voltage-above-ceiling", stop},
		{"flattest load line for a high voltage", "petrel", trim.Settings{"voltage.core.mode": is(trim.Fixed), "voltage.core.fixed": n(1.4)},
			trim.Settings{"loadline.level": n(8)}, preflight.Records{}, "flat-load-line", caution},
		{"flattest load line", "petrel", nil, trim.Settings{"loadline.level": n(8)}, preflight.Records{}, "flat-load-line", caution},
		{"flattest load line, other direction", "skua", nil, trim.Settings{"loadline.level": n(1)}, preflight.Records{}, "flat-load-line",
			caution},
		{"as deep as what failed, at a higher clock", "petrel", deep, trim.Settings{"curve.all": n(-22), "clock.boostOffset": n(50)},
			froze("petrel", trim.Settings{"curve.all": n(-20)}), "as-daring-as-failed", caution},
		{"the offset that failed, deeper", "tern", nil, trim.Settings{"voltage.core.offset": n(-90)},
			froze("tern", trim.Settings{"voltage.core.offset": n(-80)}), "as-daring-as-failed", caution},
		{"temperature limit under the board's own", "skua", nil, trim.Settings{"limit.beyondSpec": on, "limit.temperature": n(90)},
			preflight.Records{}, "temperature-overridden", caution},
		{"a limit that nothing reaches", "petrel", trim.Settings{"limit.ppt": n(200), "clock.boostOffset": n(-800)},
			trim.Settings{"limit.ppt": n(190)}, preflight.Records{}, "limit-binds-nothing", note},
		{"close to what the part stands", "skua", static, trim.Settings{"voltage.core.fixed": n(1.49), "loadline.level": n(2)},
			preflight.Records{}, "above-fixed", caution},
		{"timings beyond the kit", "petrel", nil, trim.Settings{"memory.profile": is(trim.ProfileManual), "memory.rate": n(6000),
			"memory.cl": n(28), "memory.rcd": n(38), "memory.rp": n(38)}, preflight.Records{}, "memory-tighter-than-kit", caution},
		{"a ratio that power does not allow", "skua", nil, trim.Settings{"clock.ratio.p": n(48)}, preflight.Records{}, "ratio-not-reached",
			note},
		{"a row for more cores than count", "skua", nil, trim.Settings{"clock.active.9": n(50)}, preflight.Records{}, "row-never-acts", note},
		{"built on a trim that froze", "petrel", deep, trim.Settings{"curve.all": n(-18)},
			preflight.Records{ParentUnproven: true, ParentFailed: "froze at idle in trial 12"}, "parent-failed", caution},
		{"beyond the end of the board's range", "tern", nil, trim.Settings{"voltage.core.offset": n(-900)}, preflight.Records{}, "board-range",
			stop},
		{"a voltage that collapses", "gannet", nil, deepest, preflight.Records{}, "no-operating-point", stop},
		{"overshoot above the ceiling", "skua", static, trim.Settings{"voltage.core.fixed": n(1.52), "loadline.level": n(2)},
			preflight.Records{}, "overshoot-above-ceiling", caution},
		{"fixed voltage at idle", "petrel", nil, static, preflight.Records{}, "fixed-at-idle", caution},
		{"fixed voltage, C-states off", "skua", trim.Settings{"platform.cStates": off}, static, preflight.Records{}, "fixed-at-idle", caution},
		{"fan by a coolant that is not there", "dunlin", nil, trim.Settings{"fan.source": part.Choice(trim.SourceCoolant)},
			preflight.Records{}, "fan-without-coolant", caution},
		{"corridor upside down", "gannet", nil, trim.Settings{"voltage.corridor": on, "voltage.corridor.floorHot": n(1.3),
			"voltage.corridor.ceilingHot": n(1.1)}, preflight.Records{}, "corridor-crossed", stop},
		{"corridor crossed between its ends", "gannet", nil, trim.Settings{"voltage.corridor": on, "voltage.corridor.floorCold": n(1.3),
			"voltage.corridor.floorHot": n(0.7), "voltage.corridor.coldC": n(40), "voltage.corridor.hotC": n(100),
			"voltage.corridor.ceilingCold": n(1.4), "voltage.corridor.ceilingHot": n(0.9), "voltage.corridor.ceilingColdC": n(20),
			"voltage.corridor.ceilingHotC": n(60)}, preflight.Records{}, "corridor-crossed", stop},
		{"ceiling cold where it is hot", "gannet", nil, trim.Settings{"voltage.corridor": on, "voltage.corridor.ceilingColdC": n(60),
			"voltage.corridor.ceilingHotC": n(55)}, preflight.Records{}, "corridor-crossed", stop},
		{"adaptive target below the curve", "skua", nil, trim.Settings{"voltage.core.mode": is(trim.Adaptive), "voltage.core.target": n(1.2),
			"clock.lift": n(1)}, preflight.Records{}, "target-below-curve", caution},
		{"level six is more droop here", "skua", nil, trim.Settings{"loadline.level": n(6)}, preflight.Records{}, "level-direction", note},
		{"ratio of a locked part", "tern", nil, trim.Settings{"clock.ratio.all": n(46)}, preflight.Records{}, "no-effect", caution},
		{"boost offset of a locked part", "dunlin", nil, trim.Settings{"clock.boostOffset": n(100)}, preflight.Records{}, "no-effect", caution},
		{"curve under a fixed voltage", "petrel", static, trim.Settings{"curve.all": n(-10)}, preflight.Records{}, "overridden", caution},
		{"limit under the board's own", "skua", trim.Settings{"limit.beyondSpec": on}, trim.Settings{"limit.pl1": n(100)}, preflight.Records{},
			"overridden", caution},
		{"target without adaptive mode", "skua", nil, trim.Settings{"voltage.core.target": n(1.35)}, preflight.Records{}, "overridden", caution},
		{"base clock without memory", "dunlin", nil, trim.Settings{"clock.base": n(103)}, preflight.Records{}, "reference-moves-memory", caution},
		{"memory beyond its kit", "petrel", nil, trim.Settings{"memory.profile": is(trim.ProfileManual), "memory.rate": n(7200),
			"memory.cl": n(36)}, preflight.Records{}, "memory-beyond-proven", caution},
		{"processor tuned on unproven memory", "petrel", nil, trim.Settings{"curve.all": n(-10)}, preflight.Records{MemoryUnproven: true},
			"memory-unproven", caution},
		{"clock up, curve kept", "petrel", deep, trim.Settings{"clock.boostOffset": n(100)}, preflight.Records{}, "clock-up-curve-kept", caution},
		{"lift on a lowered voltage", "skua", trim.Settings{"voltage.core.offset": n(-80)}, trim.Settings{"clock.lift": n(1)},
			preflight.Records{}, "clock-up-curve-kept", caution},
		{"most cores off", "petrel", nil, trim.Settings{"clock.coreOn.1": off, "clock.coreOn.2": off, "clock.coreOn.3": off,
			"clock.coreOn.4": off, "clock.coreOn.5": off}, preflight.Records{}, "few-cores", caution},
		{"as deep as the core failed", "petrel", deep, trim.Settings{"curve.all": n(-20)}, failed, "deeper-than-failure", caution},
		{"close to where the core failed", "petrel", deep, trim.Settings{"curve.core.5": n(-3)}, failed, "deeper-than-failure", caution},
		{"likely to fail by the soundings", "petrel", nil, trim.Settings{"curve.core.5": n(-12)}, preflight.Records{Believed: &preflight.Believed{
			Risk24h: 0.4, Words: "fails with a chance of 4 in 10 a day", Core: 5, Key: "curve.core.5", Steps: 6}}, "risky-as-believed", caution},
		{"fan stands when hot", "petrel", nil, trim.Settings{"fan.point.1.duty": n(0), "fan.point.2.duty": n(0),
			"fan.point.2.temperature": n(65)}, preflight.Records{}, "fan-stops-hot", caution},
		{"start duty above the curve", "tern", nil, trim.Settings{"fan.point.3.duty": n(10), "fan.point.1.duty": n(5),
			"fan.point.2.duty": n(8)}, preflight.Records{}, "fan-stops-hot", caution},
		{"fan slows down when hotter", "petrel", nil, trim.Settings{"fan.point.3.duty": n(40)}, preflight.Records{}, "fan-curve-falls", caution},
		{"fan points out of order", "petrel", nil, trim.Settings{"fan.point.2.temperature": n(85)}, preflight.Records{}, "fan-curve-falls",
			caution},
		{"pump on the fan curve", "petrel", nil, trim.Settings{"pump.mode": is(trim.PumpCurve)}, preflight.Records{}, "pump-on-curve", caution},
		{"curve and limits at once", "petrel", nil, trim.Settings{"curve.all": n(-10), "limit.ppt": n(120)}, preflight.Records{},
			"several-groups", caution},
		{"memory and voltage at once", "tern", trim.Settings{"memory.profile": is(trim.ProfileSafe)},
			trim.Settings{"memory.profile": is(trim.ProfileRated), "voltage.core.offset": n(-50)}, preflight.Records{}, "several-groups", caution},
		{"built on a trim that failed", "petrel", deep, trim.Settings{"curve.all": n(-18)}, preflight.Records{ParentUnproven: true},
			"parent-unproven", caution},
		{"firmware updated since", "petrel", nil, trim.Settings{"curve.all": n(-5)},
			preflight.Records{Firmware: "1.5.0", ParentFirmware: "1.4.2"}, "firmware-changed", caution},
		{"nothing changed", "petrel", nil, nil, preflight.Records{}, "no-change", note},
	}
}

// sane are steps that careful builders take; nothing is to be said of them.
func sane() []tried {
	step := func(rig string, parent, change trim.Settings) tried {
		return tried{rig: rig, parent: parent, change: change}
	}
	deep := trim.Settings{"curve.all": n(-10)}
	tuned := preflight.Records{ProvenMTs: 6400, Failed: map[int]float64{5: -20}, Firmware: "1.4.2", ParentFirmware: "1.4.2",
		Fleet: map[string][]float64{"curve.all": {-10, -15, -20}}}
	adaptive := trim.Settings{"voltage.core.mode": is(trim.Adaptive), "voltage.core.target": n(1.4), "clock.lift": n(1)}
	rows := []tried{
		step("petrel", nil, trim.Settings{"curve.all": n(-10)}),
		step("petrel", deep, trim.Settings{"curve.all": n(-15)}),
		step("petrel", deep, trim.Settings{"curve.all": n(-5)}),
		step("petrel", deep, trim.Settings{"curve.core.1": n(-8), "curve.core.5": n(4), "curve.all": n(-14)}),
		step("petrel", nil, trim.Settings{"limit.ppt": n(120)}),
		step("petrel", nil, trim.Settings{"limit.ppt": n(88), "limit.tdc": n(75), "limit.edc": n(110)}),
		step("petrel", nil, trim.Settings{"limit.temperature": n(78)}),
		step("petrel", nil, trim.Settings{"limit.trip": n(105)}),
		step("petrel", nil, trim.Settings{"loadline.level": n(4)}),
		step("petrel", nil, trim.Settings{"loadline.level": n(5)}),
		step("petrel", nil, trim.Settings{"loadline.phases": is(trim.PhasesAll)}),
		step("petrel", nil, trim.Settings{"clock.boostOffset": n(-100)}),
		step("petrel", nil, trim.Settings{"clock.boostOffset": n(50)}),
		step("petrel", nil, trim.Settings{"voltage.core.offset": n(-50)}),
		step("petrel", nil, trim.Settings{"voltage.soc.offset": n(-25)}),
		step("petrel", nil, trim.Settings{"fan.point.2.duty": n(50), "fan.point.3.duty": n(80)}),
		step("petrel", nil, trim.Settings{"fan.point.1.duty": n(0), "fan.point.1.temperature": n(40)}),
		step("petrel", nil, trim.Settings{"fan.response": n(3), "fan.smoothing": n(6)}),
		step("petrel", nil, trim.Settings{"fan.source": is(trim.SourceCoolant), "fan.point.1.temperature": n(25),
			"fan.point.2.temperature": n(32), "fan.point.3.temperature": n(38), "fan.point.4.temperature": n(45)}),
		step("petrel", nil, trim.Settings{"pump.mode": is(trim.PumpBalanced)}),
		step("petrel", nil, trim.Settings{"platform.smt": off}),
		step("petrel", trim.Settings{"memory.profile": is(trim.ProfileSafe)}, trim.Settings{"memory.profile": is(trim.ProfileRated)}),
		step("petrel", nil, trim.Settings{"memory.profile": is(trim.ProfileManual), "memory.rate": n(6000), "memory.cl": n(32),
			"memory.rcd": n(38), "memory.rp": n(38), "memory.ras": n(84), "memory.voltage": n(1.35)}),
		step("gannet", nil, trim.Settings{"curve.cluster.1": n(-15)}),
		step("gannet", nil, trim.Settings{"curve.cluster.0": n(-8), "curve.cluster.1": n(-20)}),
		step("gannet", nil, trim.Settings{"curve.band.1.cold": n(-5), "curve.band.2.cold": n(-10), "curve.band.3.hot": n(-15)}),
		step("gannet", nil, trim.Settings{"limit.ppt": n(160)}),
		step("gannet", nil, trim.Settings{"voltage.corridor": on, "voltage.corridor.ceilingHot": n(1.3)}),
		step("skua", nil, trim.Settings{"limit.pl1": n(110)}),
		step("skua", nil, trim.Settings{"limit.pl1": n(120), "limit.pl2": n(180), "limit.tau": n(28)}),
		step("skua", nil, trim.Settings{"loadline.ac": n(0.5)}),
		step("skua", nil, trim.Settings{"loadline.level": n(3)}),
		step("skua", nil, trim.Settings{"voltage.core.offset": n(-50)}),
		step("petrel", nil, trim.Settings{"limit.endurance": n(2)}),
		step("skua", adaptive, trim.Settings{"voltage.core.target": n(1.385)}),
		step("skua", nil, trim.Settings{"clock.vectorOffset": n(2)}),
		step("tern", nil, trim.Settings{"voltage.core.offset": n(-50)}),
		step("tern", trim.Settings{"voltage.core.offset": n(-50)}, trim.Settings{"voltage.core.offset": n(-60)}),
		step("tern", nil, trim.Settings{"limit.pl1": n(55)}),
		step("dunlin", nil, trim.Settings{"clock.reference": n(103)}),
		step("dunlin", nil, trim.Settings{"limit.ppt": n(45), "limit.tdc": n(40), "limit.edc": n(65)}),
		step("dunlin", nil, trim.Settings{"curve.all": n(-15)}),
	}
	rows = append(rows,
		tried{rig: "petrel", parent: deep, change: trim.Settings{"curve.all": n(-16)}, records: tuned},
		tried{rig: "petrel", parent: deep, change: trim.Settings{"memory.profile": is(trim.ProfileManual), "memory.rate": n(6400),
			"memory.cl": n(36), "memory.rcd": n(42), "memory.rp": n(42)}, records: tuned},
	)
	return rows
}

func check(t testing.TB, row tried) []preflight.Finding {
	t.Helper()
	set, base := proven(t, row.rig)
	parent := base.With(row.parent)
	before, err := forecast.FromSheets(set, parent, 24)
	if err != nil {
		t.Fatal(err)
	}
	return preflight.Check(preflight.Input{Set: set, Settings: parent.With(row.change), Parent: parent, ParentForecast: before,
		Records: row.records})
}

func TestMistakesAreCaught(t *testing.T) {
	rows := mistakes(t)
	if len(rows) < 60 {
		t.Errorf("only %d mistakes", len(rows))
	}
	spoke := map[string]bool{}
	for _, row := range rows {
		t.Run(row.name, func(t *testing.T) {
			var rules []string
			found := false
			for _, f := range check(t, row) {
				rules = append(rules, f.Rule)
				if f.Rule == row.rule && f.Level == row.level {
					found = true
				}
				if f.Reason == "" || f.Remedy == "" || f.Fields == nil {
					t.Errorf("%s says too little: %+v", f.Rule, f)
				}
			}
			if !found {
				t.Errorf("%s as %s was wanted, got %q", row.rule, row.level, rules)
			}
			spoke[row.rule] = true
		})
	}
	for _, rule := range preflight.Rules {
		if !spoke[rule.ID] {
			t.Errorf("no mistake is for rule %s", rule.ID)
		}
	}
}

func TestSaneTrimsPassInSilence(t *testing.T) {
	rows := sane()
	if len(rows) < 40 {
		t.Errorf("only %d trims", len(rows))
	}
	for i, row := range rows {
		for _, f := range check(t, row) {
			t.Errorf("%d, %s %v: %s: %s", i, row.rig, slices.Collect(maps.Keys(row.change)), f.Rule, f.Reason)
		}
	}
}

// TestWhatIsNoSlip: what looks like a slip, and is meant, is not called one.
func TestWhatIsNoSlip(t *testing.T) {
	for _, row := range []struct {
		tried
		never string
	}{
		{tried{rig: "petrel", parent: trim.Settings{"limit.endurance": n(1)}, change: trim.Settings{"limit.endurance": n(10)}}, "decimal-slip"},
		{tried{rig: "skua", parent: trim.Settings{"clock.ratio.p": n(46)}, change: trim.Settings{"clock.ratio.p": n(48),
			"voltage.core.offset": n(50)}}, "sign-lost"},
		{tried{rig: "petrel", change: trim.Settings{"clock.boostOffset": n(100), "curve.all": n(5)}}, "sign-lost"},
	} {
		for _, f := range check(t, row.tried) {
			if f.Rule == row.never {
				t.Errorf("%v: %s", row.change, f.Reason)
			}
		}
	}
	for _, row := range []struct {
		rig   string
		asked float64
		key   string
		fix   string
	}{{"tern", -183, "voltage.core.offset", "-150"}, {"petrel", -83, "voltage.core.offset", "-81.25"}} {
		for _, f := range check(t, tried{rig: row.rig, change: trim.Settings{row.key: n(row.asked)}}) {
			if f.Rule == "board-range" && f.Fix[row.key].String() != row.fix {
				t.Errorf("%s of %g: %s is offered (%s)", row.key, row.asked, f.Fix[row.key], f.Remedy)
			}
		}
	}
}

// TestToldOnce: on a descent what was so before is marked as no news; what is new, and what stops, never is.
func TestToldOnce(t *testing.T) {
	set, base := proven(t, "skua")
	parent := base.With(trim.Settings{"limit.beyondSpec": on, "voltage.core.offset": n(-50)})
	before, err := forecast.FromSheets(set, parent, 24)
	if err != nil {
		t.Fatal(err)
	}
	marked := map[string]bool{}
	deeper := parent.With(trim.Settings{"voltage.core.offset": n(-60)})
	for _, f := range preflight.Check(preflight.Input{Set: set, Settings: deeper, Parent: parent, ParentForecast: before}) {
		marked[f.Rule] = f.Before
	}
	if !marked["board-beyond-spec"] {
		t.Errorf("the board's own limits are told again: %v", marked)
	}
	for _, f := range preflight.Check(preflight.Input{Set: set, Settings: parent, Parent: base, ParentForecast: before}) {
		if f.Before {
			t.Errorf("%s is new, and called old: %s", f.Rule, f.Reason)
		}
	}
}

// TestOneClickRemedies applies each fix that is offered for a mistake: the board takes it, and the finding is gone.
func TestOneClickRemedies(t *testing.T) {
	fixes := 0
	for _, row := range mistakes(t) {
		set, base := proven(t, row.rig)
		parent := base.With(row.parent)
		settings := parent.With(row.change)
		for _, f := range preflight.Check(preflight.Input{Set: set, Settings: settings, Parent: parent, Records: row.records}) {
			if f.Fix == nil || f.Rule != row.rule {
				continue
			}
			fixes++
			for _, again := range preflight.Check(preflight.Input{Set: set, Settings: settings.With(f.Fix), Parent: parent, Records: row.records}) {
				if again.Rule == f.Rule && slices.Equal(again.Fields, f.Fields) {
					t.Errorf("%s: still there after its remedy: %s", row.name, again.Reason)
				}
			}
			break
		}
	}
	if fixes < 25 {
		t.Errorf("only %d remedies", fixes)
	}
}

func BenchmarkCheck(b *testing.B) {
	set, base := proven(b, "gannet")
	in := preflight.Input{Set: set, Settings: base.With(trim.Settings{"curve.cluster.1": n(-15)}), Parent: base}
	for b.Loop() {
		preflight.Check(in)
	}
}
