package sounding_test

import (
	"errors"
	"maps"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"zerokeel/core/forecast"
	"zerokeel/core/load"
	"zerokeel/core/part"
	"zerokeel/core/part/parttest"
	"zerokeel/core/sounding"
	"zerokeel/core/survey"
	"zerokeel/core/trim"
	"zerokeel/core/verdict"
)

// without takes settings from a board.
func without(set *part.Set, starts ...string) *part.Set {
	board := *set.Board
	board.Settings = slices.DeleteFunc(slices.Clone(board.Settings), func(e part.BoardSetting) bool {
		return slices.ContainsFunc(starts, func(start string) bool { return strings.HasPrefix(e.Setting, start) })
	})
	out := *set
	out.Board = &board
	return &out
}

// TestWhatIsLookedFor: by core where a board can, else by cluster, else for all, else the rail's offset, or the voltage where it is
// fixed; and where nothing counts it says so.
func TestWhatIsLookedFor(t *testing.T) {
	fixed := trim.Settings{"voltage.core.mode": part.Choice(trim.Fixed)}
	rated := trim.Settings{"memory.profile": part.Choice(trim.ProfileRated)}
	gannet := parttest.Rig(t, "gannet")
	for _, row := range []struct {
		name     string
		set      *part.Set
		what     sounding.What
		settings trim.Settings
		each     survey.Each
		key      string // of the last core
		stepV    float64
	}{
		{"petrel", parttest.Petrel(t), sounding.Depths, nil, survey.EachCore, "curve.core.7", 0.004},
		{"gannet by cluster", without(gannet, "curve.core"), sounding.Depths, nil, survey.EachCluster, "curve.cluster.1", 0.004},
		{"gannet for all", without(gannet, "curve.core", "curve.cluster"), sounding.Depths, nil, survey.EachChip, "curve.all", 0.004},
		{"gannet by its rail", without(gannet, "curve"), sounding.Depths, nil, survey.EachChip, "voltage.core.offset", 0.00625},
		{"skua", parttest.Rig(t, "skua"), sounding.Depths, nil, survey.EachCluster, "voltage.efficiency.offset", 0.005},
		{"tern, locked", parttest.Rig(t, "tern"), sounding.Depths, nil, survey.EachChip, "voltage.core.offset", 0.005},
		{"petrel at a fixed voltage", parttest.Petrel(t), sounding.Depths, fixed, survey.EachChip, "voltage.core.fixed", 0.00625},
		{"skua at a fixed voltage", parttest.Rig(t, "skua"), sounding.Depths, fixed.With(trim.Settings{"clock.ratio.p": part.Number(46),
			"clock.ratio.e": part.Number(36)}), survey.EachChip, "voltage.core.fixed", 0.005},
		{"petrel at one that cannot be set", without(parttest.Petrel(t), "voltage.core.fixed"), sounding.Depths, fixed, "", "", 0},
		{"petrel without any", without(parttest.Petrel(t), "curve", "voltage.core.offset"), sounding.Depths, nil, "", "", 0},
		{"skua's AC load line", parttest.Rig(t, "skua"), sounding.ACLine, nil, survey.EachChip, "loadline.ac", 0},
		{"an AC load line on a part without", parttest.Petrel(t), sounding.ACLine, nil, "", "", 0},
		{"an AC load line at a fixed voltage", parttest.Rig(t, "skua"), sounding.ACLine, fixed, "", "", 0},
		{"gannet's bands", parttest.Rig(t, "gannet"), sounding.Bands, nil, survey.EachChip, "curve.band.2.cold", 0.004},
		{"bands on a board without", parttest.Petrel(t), sounding.Bands, nil, "", "", 0},
		{"petrel's kit", parttest.Petrel(t), sounding.MemoryRate, rated, survey.EachChip, "memory.rate", 0},
		{"skua's kit", parttest.Rig(t, "skua"), sounding.MemoryRate, nil, survey.EachChip, "memory.rate", 0},
		{"dunlin's timings", parttest.Rig(t, "dunlin"), sounding.Timings, rated, survey.EachChip, "memory.cl", 0},
		{"tern's kit, which a plain board runs as it is", parttest.Rig(t, "tern"), sounding.MemoryRate, nil, "", "", 0},
		{"skua's ring", parttest.Rig(t, "skua"), sounding.Ring, nil, survey.EachChip, "clock.ring", 0},
		{"a ring on a part without", parttest.Petrel(t), sounding.Ring, nil, "", "", 0},
		{"petrel's fabric", parttest.Petrel(t), sounding.Fabric, rated, survey.EachChip, "memory.fabric", 0},
		{"no such thing", parttest.Petrel(t), "depth", nil, "", "", 0},
	} {
		a, err := sounding.AxisFor(row.what, row.set, trim.Stock(row.set.Processor, row.set.Board).With(row.settings))
		if none := (*sounding.None)(nil); row.each == "" {
			if !errors.As(err, &none) || none.Why == "" {
				t.Errorf("%s: got %+v and %v, wanted a reason why not", row.name, a, err)
			}
			continue
		}
		if err != nil {
			t.Errorf("%s: %v", row.name, err)
			continue
		}
		if a.Each != row.each || a.Keys[len(a.Keys)-1] != row.key || row.stepV > 0 && math.Abs(a.StepV-row.stepV) > 1e-9 {
			t.Errorf("%s: %+v", row.name, a)
		}
		if _, err := survey.New(a.Setup(row.set.Processor, a.Prior(row.set.Processor), 0.05)); err != nil {
			t.Errorf("%s: no survey begins: %v", row.name, err)
		}
		// Whatever stood there before: depths that are set are those that are read, and the board takes them.
		r := rand.New(rand.NewPCG(1, 1))
		before := trim.Stock(row.set.Processor, row.set.Board).With(row.settings)
		for range 20 {
			depths := map[string]int{}
			want := make([]int, len(a.Cores))
			for i, key := range a.Keys {
				if _, known := depths[key]; !known {
					depths[key] = a.Min + r.IntN(a.Max-a.Min+1)
				}
				want[i] = depths[key]
			}
			now := before.With(a.Changes(want))
			if got := a.Depths(row.set.Processor, now); !slices.Equal(got, want) {
				t.Fatalf("%s: set %v, read %v", row.name, want, got)
			}
			if f := trim.Check(row.set.Processor, row.set.Board, now); len(f) > 0 {
				t.Fatalf("%s: the board refuses %v: %v", row.name, want, f)
			}
			before = now
		}
	}
}

// TestWhatTrialsTell: trials under other limits count with a shift, those under another load line, clock or voltage do not, and neither
// do cores that were off; legs of the memory say nothing, daily use is rest at least, and a chip that failed as delivered is vouched
// for by nobody.
func TestWhatTrialsTell(t *testing.T) {
	set := parttest.Petrel(t)
	stock := trim.Stock(set.Processor, set.Board)
	a, err := sounding.AxisOf(set, stock)
	if err != nil {
		t.Fatal(err)
	}
	number := part.Number
	limits := trim.Settings{"limit.ppt": number(90), "limit.tdc": number(70), "limit.edc": number(110)}
	leg := sounding.Leg{Load: load.Heavy, Cores: []int{0, 1, 2, 3, 4, 5, 6, 7}, Seconds: 120, Verdict: verdict.Held, Core: -1}
	failed := leg
	failed.Verdict, failed.Core = verdict.Miscalculated, 5
	alone := leg
	alone.Cores = []int{3}
	read := func(rest trim.Settings, settings trim.Settings, legs ...sounding.Leg) sounding.Told {
		fit := forecast.Prior(set)
		return a.Read(set, stock.With(rest), &sounding.Records{Settings: map[int64]trim.Settings{7: stock.With(settings)},
			Trials: []sounding.Trial{{ID: 1, Trim: 7, Legs: legs}}}, fit.Model, 23)
	}
	deep := trim.Settings{"curve.all": number(-10), "curve.core.5": number(4)}
	told := read(nil, deep, leg, failed)
	if len(told.Trials) != 1 || told.Left != 0 || len(told.Uses) != 1 {
		t.Fatalf("told %+v", told)
	}
	p := told.Trials[0]
	if !slices.Equal(p.Order.Offsets, []int{-10, -10, -10, -10, -10, -6, -10, -10}) || *p.Outcome.Legs[1].Core != 5 ||
		p.Shift.All[load.RegimeHeavy] != 0 {
		t.Errorf("the trial is told as %+v", p)
	}
	tight := read(nil, deep.With(limits), leg).Trials[0]
	if x := tight.Shift.All[load.RegimeHeavy]; x < 0.5 || x > 15 || tight.Shift.All[load.RegimeLight] != 0 {
		t.Errorf("under tight limits, which draw less and droop less, voltages stood %.1f steps higher under heavy load and %.1f at light",
			x, tight.Shift.All[load.RegimeLight])
	}
	if back := read(limits, deep, leg).Trials[0].Shift.All[load.RegimeHeavy]; math.Abs(back+tight.Shift.All[load.RegimeHeavy]) > 1e-9 {
		t.Errorf("the other way round %.2f", back)
	}
	offset := read(nil, trim.Settings{"voltage.core.offset": number(-50)}, leg).Trials[0]
	if x := offset.Shift.All[load.RegimeLight]; math.Abs(x+12.5) > 0.5 {
		t.Errorf("an offset of −50 mV counts as %.1f steps", x)
	}
	if x := read(nil, deep, alone).Trials[0].Order.Legs[0].Shift; x < 1 || x > 30 {
		t.Errorf("a core alone, beside which nothing makes the voltage droop, stands %.1f steps higher", x)
	}
	for name, other := range map[string]trim.Settings{"load line": {"loadline.level": number(1)}, "clock": {"clock.boostOffset": number(100)},
		"fixed": {"voltage.core.mode": part.Choice(trim.Fixed)}, "core off": {"clock.coreOn.3": part.Switch(false)}} {
		if !trim.Offers(set.Processor, set.Board, slices.Sorted(maps.Keys(other))[0]) {
			t.Logf("%s: not on this board", name)
			continue
		}
		if told := read(nil, other, leg); told.Left != 1 || len(told.Trials) != 0 {
			t.Errorf("%s: %d left, %d told", name, told.Left, len(told.Trials))
		}
	}
	memory, void := leg, leg
	memory.Load, memory.Verdict = load.Memory, verdict.Miscalculated
	void.Verdict = verdict.Void
	if told := read(nil, deep, memory, void); len(told.Trials) != 0 || told.Left != 0 {
		t.Errorf("a memory fault and a void leg are told as %+v", told)
	}
	if told := read(nil, nil, failed); len(told.Uses) != 0 {
		t.Errorf("it failed as delivered, and is vouched for: %+v", told.Uses)
	}
	near := failed
	near.Core = 3
	if told := read(nil, deep.With(trim.Settings{"curve.core.3": number(6)}), near); len(told.Uses) != 0 {
		t.Errorf("a core failed 16 mV below what is delivered, and a month is vouched for: %+v", told.Uses)
	}
	fit := forecast.Prior(set)
	used := a.Read(set, stock, &sounding.Records{Settings: map[int64]trim.Settings{7: stock.With(deep)},
		Trials: []sounding.Trial{{Trim: 7, NoPost: true}},
		Uses:   []sounding.Use{{Trim: 7, Seconds: 7200}, {Trim: 7, Seconds: 60, Faults: 2}}}, fit.Model, 23)
	if len(used.Trials) != 2 || used.Trials[0].Outcome.Posted || used.Trials[1].Order.Legs[0].Load != load.Idle ||
		used.Trials[1].Outcome.Legs[0].Minutes != 120 || len(used.Uses) != 2 || used.Uses[1].Faults != 2 || used.Uses[1].Minutes != 120 {
		t.Errorf("starts and use are told as %+v", used)
	}
}

// TestWhatTrialsTellOfOtherThings: a memory's trial counts for as much as it covered, a fault only where nothing else may have failed
// instead, and names no core; a kit that failed as rated is vouched for by nobody; and a trial with other depths, core by core, tells of
// bands what the difference makes of it.
func TestWhatTrialsTellOfOtherThings(t *testing.T) {
	set := parttest.Petrel(t)
	number := part.Number
	rest := trim.Stock(set.Processor, set.Board).With(trim.Settings{"memory.profile": part.Choice(trim.ProfileRated), "curve.all": number(-8)})
	leg := func(v verdict.Verdict, covered float64) sounding.Leg {
		return sounding.Leg{Load: load.Memory, Cores: []int{0, 1, 2, 3, 4, 5, 6, 7}, Seconds: 600, Verdict: v, Core: 3, Covered: covered}
	}
	a, err := sounding.AxisFor(sounding.MemoryRate, set, rest)
	if err != nil {
		t.Fatal(err)
	}
	for _, row := range []struct {
		name    string
		changes trim.Settings
		leg     sounding.Leg
		minutes float64 // that it tells of; 0 for a trial that is left out
		vouched bool
	}{
		{"it held", nil, leg(verdict.Held, 0), 10, true},
		{"and went through half of it", nil, leg(verdict.Held, 0.5), 5, true},
		{"faster", a.Changes([]int{-3}), leg(verdict.Miscalculated, 0.5), 10, true},
		{"it failed as rated", nil, leg(verdict.Miscalculated, 0), 10, false},
		{"it held with cores that are deeper", trim.Settings{"curve.all": number(-12)}, leg(verdict.Held, 0), 10, true},
		{"it failed with cores that are deeper", trim.Settings{"curve.all": number(-12)}, leg(verdict.Froze, 0), 0, true},
		{"with times beyond the kit's", a.Changes([]int{0}).With(trim.Settings{"memory.cl": number(30)}), leg(verdict.Held, 0), 10, true},
		{"at another voltage", a.Changes([]int{-3}).With(trim.Settings{"memory.voltage": number(1.3)}), leg(verdict.Held, 0), 0, true},
	} {
		told := a.Read(set, rest, &sounding.Records{Settings: map[int64]trim.Settings{7: rest.With(row.changes)},
			Trials: []sounding.Trial{{ID: 1, Trim: 7, Legs: []sounding.Leg{row.leg}}}}, forecast.Prior(set).Model, 23)
		if (len(told.Uses) > 0) != row.vouched || (row.minutes == 0) != (told.Left == 1) || len(told.Trials)+told.Left != 1 {
			t.Errorf("%s: told %+v", row.name, told)
		} else if row.minutes > 0 && (told.Trials[0].Outcome.Legs[0].Minutes != row.minutes || told.Trials[0].Outcome.Legs[0].Core != nil) {
			t.Errorf("%s: told %+v", row.name, told.Trials[0].Outcome)
		}
	}
	tight := rest.With(a.Changes([]int{0})).With(trim.Settings{"memory.cl": number(30)}) // 1/15 less than its 32 clocks
	if x := a.Depths(set.Processor, tight)[0]; x != -4 {
		t.Errorf("CL 30 instead of 32 counts as %d steps of 100 MT/s", x)
	}
	gannet := parttest.Rig(t, "gannet")
	stock := trim.Stock(gannet.Processor, gannet.Board)
	bands, err := sounding.AxisFor(sounding.Bands, gannet, stock)
	if err != nil {
		t.Fatal(err)
	}
	heavy := sounding.Leg{Load: load.Heavy, Cores: bands.Cores, Seconds: 600, Verdict: verdict.Held, Core: -1}
	uneven := stock.With(trim.Settings{"curve.core.2": number(-10)})
	told := bands.Read(gannet, stock, &sounding.Records{Settings: map[int64]trim.Settings{7: uneven},
		Trials: []sounding.Trial{{ID: 1, Trim: 7, Legs: []sounding.Leg{heavy}}}}, forecast.Prior(gannet).Model, 23)
	if len(told.Trials) != 1 || told.Trials[0].Order.Offsets[2] != 0 {
		t.Fatalf("told %+v", told)
	}
	shift := &told.Trials[0].Shift
	if deep, other := shift.Of(2, load.RegimeLight), shift.Of(3, load.RegimeLight); math.Abs(deep+10) > 0.1 || math.Abs(other) > 0.1 {
		t.Errorf("core 2 stood 10 steps deeper than the others, and is told %.2f, core 3 %.2f", deep, other)
	}
}

// TestAFixedVoltage: it is counted from what the sheet's curve asks for at the clock that is set, a core whose curve asks for less gets as
// much more, and what was tried at a near clock tells of this one by how far the curve is from there to here; what was tried at a far one,
// or at a voltage that moves, does not.
func TestAFixedVoltage(t *testing.T) {
	set := parttest.Petrel(t)
	at := func(ratio, v float64) trim.Settings {
		return trim.Stock(set.Processor, set.Board).With(trim.Settings{"voltage.core.mode": part.Choice(trim.Fixed),
			"voltage.core.fixed": part.Number(v), "clock.ratio.all": part.Number(ratio),
			"limit.ppt": part.Number(400), "limit.tdc": part.Number(300), "limit.edc": part.Number(400)})
	}
	level := set.Board.LoadLine[len(set.Board.LoadLine)-1]
	rest := at(48, 1.2).With(trim.Settings{"loadline.level": part.Number(float64(level.Level))})
	a, err := sounding.AxisOf(set, rest)
	if err != nil {
		t.Fatal(err)
	}
	const asked = 1.122                                             // V at 4.8 GHz, by the sheet
	if droops := asked - a.Zero; droops < 0.002 || droops > 0.015 { // by what one core draws on the load line as delivered
		t.Errorf("counted from %.4f V; the sheet asks for %.3f V, less what it droops by", a.Zero, asked)
	}
	soft, err := sounding.AxisOf(set, at(48, 1.2).With(trim.Settings{"loadline.level": part.Number(1)}))
	if err != nil {
		t.Fatal(err)
	}
	if droops := soft.Zero - asked; droops < 0.01 || droops > 0.1 {
		t.Errorf("counted from %.4f V where the load line takes more than it does as delivered", soft.Zero)
	}
	if got := a.Say(-3); !strings.HasSuffix(got, " V") || a.SayAll([]int{-3, -3}) != got {
		t.Errorf("said as %q", got)
	}
	setup := a.Setup(set.Processor, a.Prior(set.Processor), 0.05)
	if lift := setup.Cores[0].Lift[""]; lift < 5 || len(setup.Rails) > 0 || float64(setup.MaxSteps)*a.StepV > 0.05 {
		t.Errorf("it starts at a lower clock, %.1f steps up: %+v", lift, setup)
	}
	leg := sounding.Leg{Load: load.Light, Cores: a.Cores, Seconds: 240, Verdict: verdict.Held, Core: -1}
	read := func(rest, s trim.Settings) sounding.Told {
		fit := forecast.Prior(set)
		return a.Read(set, rest, &sounding.Records{Settings: map[int64]trim.Settings{7: s}, Trials: []sounding.Trial{{Trim: 7,
			Legs: []sounding.Leg{leg}}}}, fit.Model, 23)
	}
	same := rest.With(trim.Settings{"voltage.core.fixed": part.Number(a.Zero - 4*a.Per)})
	if told := read(rest, same); len(told.Trials) != 1 || told.Trials[0].Order.Offsets[3] != -4 ||
		told.Trials[0].Shift.All[load.RegimeLight] != 0 {
		t.Errorf("told of the clock itself: %+v", told)
	}
	higher := same.With(trim.Settings{"clock.ratio.all": part.Number(51)}) // where the sheet asks for 1.195 V
	if told := read(rest, higher); len(told.Trials) != 1 || math.Abs(told.Trials[0].Shift.All[load.RegimeLight]+(1.195-asked)/a.StepV) > 0.1 {
		t.Errorf("told of a higher clock: %+v", told)
	}
	for name, other := range map[string]trim.Settings{"far": {"clock.ratio.all": part.Number(43)},
		"dynamic": {"voltage.core.mode": part.Choice(trim.Dynamic)}} {
		if told := read(rest, same.With(other)); told.Left != 1 || len(told.Trials) > 0 || len(told.Uses) > 0 {
			t.Errorf("told of one that is %s: %+v", name, told)
		}
	}
	// Limits that hold the clock down at what is delivered do not hold it at what was tried, and move nothing then.
	for _, watts := range []float64{400, 230, 140} {
		held := trim.Settings{"limit.ppt": part.Number(watts)}
		told := read(rest.With(held), higher.With(held).With(trim.Settings{"voltage.core.fixed": part.Number(1.0)}))
		if got, want := told.Trials[0].Shift.All[load.RegimeHeavy], -(1.195-asked)/a.StepV; math.Abs(got-want) > 2.5 {
			t.Errorf("held to %.0f W, a higher clock under heavy load stood %.1f steps shallower, and the curve %.1f", watts, got, want)
		}
	}
	skua := parttest.Rig(t, "skua")
	mixed, err := sounding.AxisOf(skua, trim.Stock(skua.Processor, skua.Board).With(trim.Settings{"voltage.core.mode": part.Choice(trim.Fixed),
		"voltage.core.fixed": part.Number(1.12), "clock.ratio.p": part.Number(46), "clock.ratio.e": part.Number(28)}))
	if err != nil {
		t.Fatal(err)
	}
	cores := mixed.Setup(skua.Processor, mixed.Prior(skua.Processor), 0.05).Cores
	for _, regime := range sounding.Regimes {
		if p, e := cores[0].Lift[regime], cores[len(cores)-1].Lift[regime]; e < p+10 {
			t.Errorf("%s: E-cores at 2.8 GHz get %.1f steps more than is set, and P-cores at 4.6 %.1f", regime, e, p)
		}
	}
}

// TestThePlaneOfClockAndVoltage: it lies about the clock that is set, and more of either draws more and grows hotter, until a limit holds;
// where the clock is left to the processor there is none.
func TestThePlaneOfClockAndVoltage(t *testing.T) {
	for name, clocks := range map[string]trim.Settings{"petrel": {"clock.ratio.all": part.Number(47.5)},
		"skua": {"clock.ratio.p": part.Number(46), "clock.ratio.e": part.Number(36)}} {
		set := parttest.Rig(t, name)
		fixed := trim.Stock(set.Processor, set.Board).With(trim.Settings{"voltage.core.mode": part.Choice(trim.Fixed),
			"voltage.core.fixed": part.Number(1.1), "limit.pl1": part.Number(250), "limit.pl2": part.Number(250), "limit.ppt": part.Number(250)})
		rest := fixed.With(clocks)
		for key := range rest {
			if !trim.Offers(set.Processor, set.Board, key) {
				delete(rest, key)
			}
		}
		a, err := sounding.AxisOf(set, rest)
		if err != nil {
			t.Fatal(err)
		}
		p := a.Plane(set, rest, forecast.Prior(set).Model, 23)
		if p == nil || !slices.Contains(p.Clocks, p.MHz) || !slices.IsSorted(p.Clocks) || !slices.IsSorted(p.Delivered) || len(p.Clocks) < 5 {
			t.Fatalf("%s: %+v", name, p)
		}
		if at := slices.Index(p.Clocks, p.MHz); p.Delivered[at] != a.Zero {
			t.Errorf("%s: counted from %g V, and as delivered %g", name, a.Zero, p.Delivered[at])
		}
		for i := range p.Clocks {
			for row := 1; row < 4; row++ { // no limit holds so low
				if !(p.Watts[row][i] > p.Watts[row-1][i] && p.Degrees[row][i] > p.Degrees[row-1][i]) {
					t.Errorf("%s: at %g V and %g MHz it draws %.1f W at %.1f °C", name, p.Volts[row], p.Clocks[i], p.Watts[row][i], p.Degrees[row][i])
				}
			}
		}
		if auto, err := sounding.AxisOf(set, fixed); err == nil && auto.Plane(set, fixed, forecast.Prior(set).Model, 23) != nil {
			t.Errorf("%s: a plane about a clock that nobody set", name)
		}
	}
}

// TestWhatCoresAskFor: what was requested while one core after the other was awake tells by how much they differ, whatever was set
// meanwhile; of fewer than all it tells nothing.
func TestWhatCoresAskFor(t *testing.T) {
	set := parttest.Petrel(t)
	stock := trim.Stock(set.Processor, set.Board)
	a, err := sounding.AxisOf(set, stock)
	if err != nil {
		t.Fatal(err)
	}
	sheet := []float64{1.3481, 1.3481, 1.3481, 1.3481, 1.3481, 1.3481, 1.3481, 1.3481} // V at the top clock, whatever it is
	more := []float64{0.006, -0.010, 0.003, -0.009, 0.001, 0.015, 0.002, -0.008}       // V, zero on average
	read := func(cores int) sounding.Told {
		records := &sounding.Records{Settings: map[int64]trim.Settings{}}
		for id, steps := range []float64{0, -10, -20} {
			records.Settings[int64(id)] = stock.With(trim.Settings{"curve.all": part.Number(steps)})
			leg := sounding.Leg{Load: load.Light, Cores: a.Cores, Seconds: 240, Verdict: verdict.Held, Core: -1, AskedV: map[int]float64{}}
			for _, core := range a.Cores[:cores] {
				leg.AskedV[core] = sheet[core] + more[core] + steps*a.StepV
			}
			records.Trials = append(records.Trials, sounding.Trial{ID: int64(id), Trim: int64(id), Legs: []sounding.Leg{leg}})
		}
		return a.Read(set, stock, records, forecast.Prior(set).Model, 23)
	}
	told, setup := read(8), a.Setup(set.Processor, a.Prior(set.Processor), 0.05)
	for core, v := range more {
		if told.Asks == nil || math.Abs(told.Asks[core]-v/a.StepV) > 0.3 {
			t.Fatalf("core %d asks for %g mV more, and %v steps are told", core, 1000*v, told.Asks)
		}
	}
	before := setup.RailSD
	if a.Know(&setup, &told); setup.RailSD >= before || len(setup.Asks) != 8 {
		t.Errorf("measured, it is known to %.2f steps as before", setup.RailSD)
	}
	if some := read(7); some.Asks != nil {
		t.Errorf("of a core that was not measured: %v", some.Asks)
	}
}

// TestCostsOf: a rig's own costs take the place of the usual ones where enough of its fittings tell them, and one that somebody forgot
// over night moves nothing.
func TestCostsOf(t *testing.T) {
	usual := sounding.Costs
	for _, row := range []struct {
		fitted, cleared []float64
		want            survey.Costs
	}{
		{nil, nil, usual},
		{[]float64{1, 1}, []float64{6}, usual},
		{[]float64{1, 600, 1.2}, nil, survey.Costs{RestartMin: 1.2, CrashMin: 1.7, ClearMin: usual.ClearMin}},
		{[]float64{4, 4, 5}, []float64{14, 16}, survey.Costs{RestartMin: 4, CrashMin: 4.5, ClearMin: 12}},
		{[]float64{4, 4, 5}, []float64{3, 3}, survey.Costs{RestartMin: 4, CrashMin: 4.5, ClearMin: 0.2}},
		{[]float64{600, 600, 0}, nil, survey.Costs{RestartMin: 60, CrashMin: 60.5, ClearMin: usual.ClearMin}},
	} {
		if got := sounding.CostsOf(row.fitted, row.cleared); got != row.want {
			t.Errorf("%v and %v: %+v, want %+v", row.fitted, row.cleared, got, row.want)
		}
	}
}
