package tuning

import (
	"fmt"
	"math"
	"sort"

	"zerokeel/core/forecast"
	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/sounding"
	"zerokeel/core/trim"
	"zerokeel/core/yardstick"
)

// Machine is what a tuning is for.
type Machine struct {
	Set      *part.Set
	Forecast func(trim.Settings) *forecast.Result // nil for settings that the board does not take
}

// Change is what a step changes: nothing where it says why it is left out.
type Change struct {
	Settings trim.Settings
	Name     string // of the trim that it makes; empty for that of its kind
	Why      string // what it is for
	Skip     string // why it is left out
}

func skip(format string, args ...any) Change { return Change{Skip: fmt.Sprintf(format, args...)} }

// Below these a gain could not be shown: runs and rooms differ by as much.
const (
	leastShare   = 0.03 // of the watts
	leastGain    = 0.01 // of the score
	leastQuieter = 1.0  // dB
)

// Change works out what a step of a kind changes on settings, and why. Kinds that change nothing by themselves return none.
func (m *Machine) Change(kind Kind, from trim.Settings, ask *Ask) Change {
	switch kind {
	case Memory:
		return m.memory(from)
	case Limits:
		return m.limits(from, ask)
	case Clocks:
		return m.clocks(from)
	case Ratio:
		return m.Overclock(from, ask, HopedV)
	case LoadLine, Bands:
		return m.surveyed(kind, from)
	case Power:
		return m.power(from, ask)
	case Fans:
		return m.fans(from, ask)
	}
	return Change{}
}

// surveyed leaves a survey out where a machine has nothing to look for.
func (m *Machine) surveyed(kind Kind, from trim.Settings) Change {
	if _, err := sounding.AxisFor(kind.What(sounding.Depths), m.Set, m.now(from)); err != nil {
		return Change{Skip: err.Error()}
	}
	return Change{}
}

func (m *Machine) offers(key string, settings trim.Settings) bool {
	return trim.Offers(m.Set.Processor, m.Set.Board, key) && trim.Inert(m.Set, settings, key) == ""
}

// memory turns on the kit's rated profile.
func (m *Machine) memory(from trim.Settings) Change {
	const key = "memory.profile"
	entry, ok := m.Set.Board.Lookup(key)
	if _, spelt := entry.Values[trim.ProfileRated]; !ok || !spelt {
		return skip("the board has no rated profile")
	}
	switch now := m.now(from)[key]; now {
	case part.Choice(trim.ProfileRated):
		return skip("the rated profile is on already")
	case part.Choice(trim.ProfileManual):
		return skip("the memory is set by hand, and stays so")
	}
	return Change{Settings: trim.Settings{key: part.Choice(trim.ProfileRated)},
		Why: "The kit's rated profile, tried by itself, so that no fault of the memory is blamed on a core."}
}

func (m *Machine) now(from trim.Settings) trim.Settings {
	return trim.Stock(m.Set.Processor, m.Set.Board).With(from)
}

// limits brings those beyond the maker's back, or, where watts are allowed, to what is allowed.
func (m *Machine) limits(from trim.Settings, ask *Ask) Change {
	p := m.Set.Processor
	out := trim.Guarded(p, m.Set.Board, from)
	why := "Back inside the maker's limits, with a limit of temperature."
	if ask.MostW > 0 {
		power, maker := "limit.ppt", p.Limits.PPTW
		also := map[string]float64{"limit.tdc": p.Limits.TDCA, "limit.edc": p.Limits.EDCA}
		if p.Style == part.StyleWindow {
			power, maker = "limit.pl1", p.Limits.PL1W
			also = map[string]float64{"limit.iccMax": p.Limits.ICCMaxA}
			m.set(out, from, "limit.pl2", m.most(ask, p.Limits.PL2W))
		}
		if watts := m.most(ask, maker); m.set(out, from, power, watts) && ask.more() && watts > maker {
			for key, amps := range also {
				m.set(out, from, key, amps*watts/maker)
			}
			why = fmt.Sprintf("As many watts as are allowed, %g, and the currents that go with them; a limit of temperature.", watts)
		} else if watts < maker {
			why = fmt.Sprintf("No more than the %g W that are allowed, and a limit of temperature.", watts)
		}
	}
	if len(out) == 0 {
		return skip("no limit stands beyond the maker's")
	}
	return Change{Settings: out, Why: why}
}

// most is how many watts a limit of the maker becomes under what is allowed.
func (m *Machine) most(ask *Ask, maker float64) float64 {
	if ask.more() {
		return ask.MostW
	}
	return math.Min(maker, ask.MostW)
}

// set puts a number on a setting, as near to it as the board comes without passing it, and reports whether the board has the setting.
func (m *Machine) set(out, from trim.Settings, key string, x float64) bool {
	if key == "" || !trim.Offers(m.Set.Processor, m.Set.Board, key) {
		return false
	}
	x = math.Floor(x)
	entry, _ := m.Set.Board.Lookup(key)
	x = math.Max(entry.Min, math.Min(entry.Max, x))
	if near := entry.Nearest(x); near <= x {
		x = near
	} else if below := entry.Nearest(x - entry.Step); below >= entry.Min {
		x = below
	}
	if m.now(from)[key] != part.Number(x) {
		out[key] = part.Number(x)
	} else {
		delete(out, key)
	}
	return true
}

// By how much the clocks step raises the highest clock.
const (
	raiseMHz  = 100.0
	raiseStep = 1.0 // of a ratio
)

// clocks raises the highest clock of few cores by a step.
func (m *Machine) clocks(from trim.Settings) Change {
	for _, one := range []struct {
		key string
		by  float64
	}{{"clock.boostOffset", raiseMHz}, {"clock.lift", raiseStep}} {
		if !m.offers(one.key, from) {
			continue
		}
		entry, _ := m.Set.Board.Lookup(one.key)
		was, _ := m.now(from)[one.key].Number()
		x := entry.Nearest(math.Min(entry.Max, was+one.by))
		if x <= was {
			return skip("the board raises the clock no further")
		}
		out := trim.Settings{one.key: part.Number(x)}
		if gain, known := m.gain(from, from.With(out), "single-core"); known && gain < leastGain {
			return skip("it would gain %.1f %% on one core, less than runs differ by", 100*gain)
		}
		return Change{Settings: out, Why: "A higher clock on few cores; the depths are found for it."}
	}
	return skip("the part is locked, or the board offers no higher clock")
}

// gain is by which share a forecast score rises.
func (m *Machine) gain(from, to trim.Settings, id string) (share float64, known bool) {
	a, okA := score(m.Forecast(from), id)
	b, okB := score(m.Forecast(to), id)
	return b/a - 1, okA && okB && a > 0
}

func score(r *forecast.Result, id string) (float64, bool) {
	if r == nil {
		return 0, false
	}
	for _, s := range r.Scores {
		if s.Yardstick == id {
			return s.Value, true
		}
	}
	return 0, false
}

// The power limits that are looked at: down to leastPower of the one that counts, in shares of powerStep.
const (
	leastPower = 0.3
	powerStep  = 0.025
)

// sustained is the limit of sustained power.
func (m *Machine) sustained() string {
	if m.Set.Processor.Style == part.StyleWindow {
		return "limit.pl1"
	}
	return "limit.ppt"
}

// power lowers the sustained limit as far as the speed on all cores that must be kept allows, sustained and in a burst.
func (m *Machine) power(from trim.Settings, ask *Ask) Change {
	goal, now := ask.Goal.at(), m.Forecast(from)
	key, more := m.sustained(), ""
	if m.Set.Processor.Style == part.StyleWindow && !goal.had { // what keeps all of its speed keeps it in bursts too
		more = "limit.pl2"
	}
	if !m.limited(from) {
		return skip("the board has no limit of sustained power that counts")
	}
	before, had := now, ""
	if goal.had {
		before, had = m.Forecast(ask.Before), " that it had before"
	}
	heavy, known := m.heavy(from)
	if sustained, told := score(before, yardstick.Sustained); !known || !told || sustained <= 0 {
		return skip("no forecast tells what less power would cost")
	}
	keeps := func(r *forecast.Result) bool {
		for _, id := range []string{yardstick.Sustained, yardstick.Burst} {
			was, told := score(before, id)
			if is, known := score(r, id); told && !(known && is >= goal.keep*was) {
				return false
			}
		}
		return true
	}
	if !keeps(now) {
		return skip("all cores together are slower than they were, in a burst or sustained, and less power would make them slower still")
	}
	lower := func(share float64) trim.Settings {
		out := trim.Settings{}
		for _, one := range []string{key, more} {
			m.set(out, from, one, share*heavy.PackageW)
		}
		return out
	}
	share := furthest(powerStep, leastPower, func(share float64) bool { return keeps(m.Forecast(from.With(lower(share)))) })
	best, watts := lower(share), heavy.PackageW
	if at, ok := m.heavy(from.With(best)); ok && share < 1 {
		watts = at.PackageW
	}
	if saved := heavy.PackageW - watts; saved < leastShare*heavy.PackageW {
		return skip("it would save %.1f W under heavy load, less than can be told apart", saved)
	}
	return Change{Settings: best, Why: fmt.Sprintf("The lowest limit that is expected to keep %.0f %% of the speed on all cores%s: %.0f W instead of %.0f.",
		100*goal.keep, had, watts, heavy.PackageW)}
}

// Fans are slowed down in these shares, to a temperature that stays belowLimitC under what is allowed.
const (
	fanStep     = 0.05
	leastFan    = 0.3
	belowLimitC = 3.0
)

// fans lowers the duty at every point of the fan curve as far as the temperature allows: that of the machine as it was before the
// tuning, or what is allowed.
func (m *Machine) fans(from trim.Settings, ask *Ask) Change {
	points, now := m.Set.Board.Fan.Points, m.now(from)
	key := func(i int) string { return trim.At("fan.point.*.duty", i) }
	if points == 0 || !m.offers(key(1), from) {
		return skip("the board's fan curve cannot be set")
	}
	before, was := m.Forecast(from), m.Forecast(ask.Before)
	if before == nil || was == nil {
		return skip("no forecast tells what slower fans would cost")
	}
	most := ask.mostC(m.Set.Processor) - belowLimitC
	if at, ok := was.Load(load.Heavy); ok {
		most = math.Min(most, at.HottestC)
	}
	slower := func(share float64) trim.Settings {
		out := trim.Settings{}
		for i := 1; i < points; i++ { // the last point stays: whatever happens, there the fan runs as it did
			duty, _ := now[key(i)].Number()
			m.set(out, from, key(i), math.Max(m.Set.Cooler.Fan.StallDuty, share*duty))
		}
		return out
	}
	share := furthest(fanStep, leastFan, func(share float64) bool {
		r := m.Forecast(from.With(slower(share)))
		if r == nil {
			return false
		}
		at, _ := r.Load(load.Heavy)
		return at.HottestC+spreadOf(r) <= most
	})
	loud, _ := before.Load(load.Heavy)
	best, quiet, degrees := slower(share), loud.NoiseDB, loud.HottestC
	if at, ok := m.heavy(from.With(best)); ok && share < 1 {
		quiet, degrees = at.NoiseDB, at.HottestC
	}
	if loud.NoiseDB-quiet < leastQuieter {
		return skip("slower fans would be %.1f dB quieter at most without more heat than before", loud.NoiseDB-quiet)
	}
	return Change{Settings: best, Why: fmt.Sprintf("Slower fans: %.0f dB instead of %.0f under heavy load, at an expected %.0f °C.", quiet, loud.NoiseDB, degrees)}
}

// furthest is the smallest share, from 1 down to least in steps, up to which something holds; 1 where it holds for none below. What does
// not hold for a share holds for no smaller one.
func furthest(step, least float64, holds func(share float64) bool) float64 {
	n := int(math.Floor((1-least)/step + 1e-9))
	return 1 - step*float64(sort.Search(n, func(i int) bool { return !holds(1 - step*float64(i+1)) }))
}

// heavy is the forecast of settings under heavy load.
func (m *Machine) heavy(s trim.Settings) (machine.State, bool) {
	r := m.Forecast(s)
	if r == nil {
		return machine.State{}, false
	}
	return r.Load(load.Heavy)
}

// spreadOf is the half width of the 90 % interval of the hottest core under heavy load.
func spreadOf(r *forecast.Result) float64 {
	for i, s := range r.Loads {
		if s.Load == load.Heavy && i < len(r.Spreads) {
			return r.Spreads[i].HottestC
		}
	}
	return 0
}
