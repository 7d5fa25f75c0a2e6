package sounding

import (
	"math"
	"slices"
	"strings"

	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/survey"
	"zerokeel/core/trim"
	"zerokeel/core/verdict"
)

// Trial is a trial of a rig, or a start at which it did not come up.
type Trial struct {
	ID     int64
	Trim   int64
	NoPost bool
	Legs   []Leg
}

// Leg is a leg of a trial that was judged.
type Leg struct {
	Load    load.Kind
	Cores   []int // of the processor
	Seconds float64
	Verdict verdict.Verdict
	Core    int             // that failed; -1 where none was named
	Covered float64         // of a memory load: the share of its memory that held every pattern; 0 where that was not told
	AskedV  map[int]float64 // by core: what was requested while it alone was awake, V; nil where that was not told
}

// Use is daily use of a trim.
type Use struct {
	Trim    int64
	Seconds float64
	Faults  int
}

// Records are what a rig has been through.
type Records struct {
	Settings map[int64]trim.Settings // by trim
	Trials   []Trial
	Uses     []Use
}

// Told is what records say of an axis beside some settings.
type Told struct {
	Trials []survey.Past
	From   []From // each of them
	Uses   []survey.Use
	Asks   []float64 // by core: how much more than others of its rail it asks for, in steps; nil where that was not measured of all
	Left   int       // trials that are left out, since clocks, load line or the way of the voltage were others then
}

// From is where a trial comes from.
type From struct{ Trial, Trim int64 } // the trial is 0 for a start that failed

// Read gathers what a rig's records say of an axis, beside the settings that a survey keeps. A trial under other limits or another
// offset counts by how much higher its voltage stood above what the fuses ask for, as the rig's model has it.
func (a *Axis) Read(set *part.Set, rest trim.Settings, records *Records, model func(trim.Settings) (*machine.Model, error),
	ambientC float64) Told {
	if a.thing != nil {
		return a.readThing(set, rest, records)
	}
	var out Told
	all := a.newAsked(set.Processor, model)
	flat := a.Rest(rest)
	known := levelsBy{model: model, cores: a.Cores, ambientC: ambientC, kept: map[string]levels{}, few: map[fewKey]float64{}}
	base, ok := known.of(flat)
	shift := func(id int64) (survey.Shift, bool) {
		s, has := records.Settings[id]
		if !has || !ok || !a.alike(a.Rest(s), flat) || !slices.Equal(on(set, s), a.Cores) {
			return survey.Shift{}, false
		}
		l, ok := known.of(a.beside(s))
		there, also := base, true
		if a.Fixed() {
			there, also = known.unlimited(flat.With(trim.Settings{fixedKey: s[fixedKey]}))
		}
		if !ok || !also || !l.near(there) {
			return survey.Shift{}, false
		}
		return l.shift(there, a.StepV), true
	}
	for _, t := range records.Trials {
		moved, counts := shift(t.Trim)
		if !counts {
			out.Left++
			continue
		}
		p := survey.Past{Order: survey.Order{Offsets: a.Depths(set.Processor, records.Settings[t.Trim])}, Shift: moved,
			Outcome: survey.Outcome{Posted: !t.NoPost}}
		for i := range t.Legs {
			leg, ended, ok := a.leg(&t.Legs[i])
			all.gather(&t.Legs[i], t.Trim, records.Settings[t.Trim])
			if n := len(leg.Cores); ok && n < len(a.Cores) && leg.Load != load.Idle && !leg.Load.OneCore() {
				leg.Shift, ok = known.fewer(a.beside(records.Settings[t.Trim]), leg.Cores, a.StepV)
			}
			if ok {
				p.Order.Legs, p.Outcome.Legs = append(p.Order.Legs, leg), append(p.Outcome.Legs, ended)
			}
		}
		if t.NoPost || len(p.Order.Legs) > 0 {
			out.Trials, out.From = append(out.Trials, p), append(out.From, From{t.ID, t.Trim})
		}
	}
	out.Asks = all.asks()
	if vouched, has := a.vouched(set, flat, base, &known); has && !a.failedNearDelivered(set, records, shift) {
		out.Uses = append(out.Uses, vouched)
	}
	for _, u := range records.Uses {
		moved, counts := shift(u.Trim)
		depths := a.Depths(set.Processor, records.Settings[u.Trim])
		switch minutes := u.Seconds / 60; {
		case !counts || minutes == 0 && u.Faults == 0:
		case u.Faults > 0:
			out.Uses = append(out.Uses, survey.Use{Offsets: depths, Minutes: math.Max(minutes, leastUseMin*float64(u.Faults)), Faults: u.Faults,
				Shift: moved})
		case u.Faults == 0: // what it did in that time nobody knows; it was at rest at least
			out.Trials = append(out.Trials, survey.Past{Order: survey.Order{Offsets: depths, Legs: []survey.Leg{{Load: load.Idle,
				Minutes: minutes}}}, Shift: moved, Outcome: survey.Outcome{Posted: true,
				Legs: []survey.LegEnded{{Minutes: minutes, Verdict: verdict.Held}}}})
			out.From = append(out.From, From{0, u.Trim})
		}
	}
	return out
}

// vouchedMin is for how many minutes of mixed use without a fault a maker vouches at least, at the settings as delivered: what is sold
// fails less than once a month.
const vouchedMin = 30 * 24 * 60.0

// vouched is what the maker vouches for, unless this board as delivered goes about voltages otherwise than the settings that stay.
func (a *Axis) vouched(set *part.Set, flat trim.Settings, base levels, known *levelsBy) (survey.Use, bool) {
	stock := trim.Stock(set.Processor, set.Board)
	l, ok := known.of(a.Rest(stock))
	if !ok || !a.alike(a.Rest(stock), flat) {
		return survey.Use{}, false
	}
	return survey.Use{Offsets: a.Depths(set.Processor, stock), Minutes: vouchedMin, Shift: l.shift(base, a.StepV),
		Vouched: true}, true
}

// nearV is how close to what is delivered a fault tells that the maker cannot vouch for this machine: what fails there within minutes would
// need a slope steeper than any chip's to stand a month as delivered.
const nearV = 0.02

// failedNearDelivered reports whether the rig failed with voltages about as high as delivered, or higher: those of the core that failed,
// where that is known.
func (a *Axis) failedNearDelivered(set *part.Set, records *Records, shift func(int64) (survey.Shift, bool)) bool {
	near := func(id int64, core int) bool {
		depths := a.Depths(set.Processor, records.Settings[id])
		moved, _ := shift(id)
		from, to := 0, len(depths)
		if i := slices.Index(a.Cores, core); i >= 0 {
			from, to = i, i+1
		}
		for i := from; i < to; i++ {
			if a.StepV*(a.above(i, depths[i])+moved.Of(i, load.RegimeHeavy)) < -nearV {
				return false
			}
		}
		return true
	}
	return slices.ContainsFunc(records.Trials, func(t Trial) bool {
		return t.NoPost && near(t.Trim, -1) || slices.ContainsFunc(t.Legs, func(l Leg) bool {
			return l.Verdict.Failed() && l.Verdict != verdict.Overheated && slices.Contains(Regimes, l.Load.Regime()) && near(t.Trim, l.Core)
		})
	}) || slices.ContainsFunc(records.Uses, func(u Use) bool { return u.Faults > 0 && near(u.Trim, -1) })
}

// above is by how many steps a core stands above what is delivered at a depth, while all work.
func (a *Axis) above(core, depth int) float64 {
	if a.gains == nil {
		return float64(depth)
	}
	return a.lifts[core][load.RegimeHeavy] + a.gains[core][load.RegimeHeavy]*float64(depth)
}

// leastUseMin is for how many minutes a machine was used at least before it failed in use.
const leastUseMin = 60.0

// leg turns a leg into what a survey takes; false where it says nothing of the cores' voltage.
func (a *Axis) leg(l *Leg) (survey.Leg, survey.LegEnded, bool) {
	if !slices.Contains(Regimes, l.Load.Regime()) {
		return survey.Leg{}, survey.LegEnded{}, false
	}
	leg := survey.Leg{Load: l.Load, Minutes: l.Seconds / 60}
	for _, core := range l.Cores {
		if i := slices.Index(a.Cores, core); i >= 0 {
			leg.Cores = append(leg.Cores, i)
		}
	}
	ended := survey.LegEnded{Minutes: l.Seconds / 60, Verdict: l.Verdict}
	switch l.Verdict {
	case verdict.Held, verdict.Froze, verdict.Restarted:
	case verdict.Stopped: // until then it held
		ended.Verdict = verdict.Held
	case verdict.Miscalculated, verdict.CoreDropped:
		if i := slices.Index(a.Cores, l.Core); i >= 0 {
			ended.Core = &i
		}
	default:
		return leg, ended, false
	}
	return leg, ended, len(leg.Cores) > 0 || l.Load == load.Idle
}

// Regimes are those that a survey looks into. The memory's is none of the cores'.
var Regimes = []load.Regime{load.RegimeHeavy, load.RegimeLight, load.RegimeTransition, load.RegimeIdle}

// Rest are settings with the axis at zero: what stays the same in a survey.
func (a *Axis) Rest(s trim.Settings) trim.Settings {
	return s.With(a.Changes(make([]int, len(a.Keys))))
}

// beside are settings as what reaches the cores beside the axis is worked out under: with that at zero or, where the voltage is fixed, as
// they were. A fixed voltage at zero would be held down by limits that the trial never came to, and a level that is counted from a clock
// which was not there moves what was tried by many steps.
func (a *Axis) beside(s trim.Settings) trim.Settings {
	if a.Fixed() {
		return s
	}
	return a.Rest(s)
}

// unlike are settings, by the start of their keys, under which other figures than the axis' decide what a core stands. What an AC load line
// or a curve band moves is a level.
var unlike = []string{"clock.", "loadline.level", "loadline.phases", "loadline.switching", "voltage.core.mode",
	"voltage.core.fixed", "voltage.core.target", "voltage.ceiling", "voltage.corridor", "voltage.lightLift", "platform.smt",
	"platform.cStates"}

// alike reports whether what held or failed under some settings, the axis apart, can be told of others. At a fixed voltage it can under
// another clock too, while that is near.
func (a *Axis) alike(s, other trim.Settings) bool {
	return !slices.ContainsFunc(trim.Diff(s, other), func(c trim.Change) bool {
		return slices.ContainsFunc(unlike, func(start string) bool {
			return strings.HasPrefix(c.Key, start) && !(a.Fixed() && start == "clock." && c.Key != "clock.ring")
		})
	})
}
