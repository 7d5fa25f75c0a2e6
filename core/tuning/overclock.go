package tuning

import (
	"fmt"
	"math"
	"slices"
	"sort"

	"zerokeel/core/forecast"
	"zerokeel/core/load"
	"zerokeel/core/part"
	"zerokeel/core/sounding"
	"zerokeel/core/trim"
	"zerokeel/core/yardstick"
)

// HopedV is by how much less than as delivered a chip is hoped to hold before anything was tried, in V: most do.
const HopedV = 0.03

// leastClock is the lowest clock that is looked at, as a share of that of all cores as delivered.
const leastClock = 0.6

const (
	modeKey  = "voltage.core.mode"
	fixedKey = "voltage.core.fixed"

	efficientKey = "clock.ratio.e"
)

// Overclock works out one clock for all cores at one voltage: the highest at which a voltage that lies lessV below what would be
// delivered there stays within the volts, watts and degrees that are allowed while all cores work hard.
func (m *Machine) Overclock(from trim.Settings, ask *Ask, lessV float64) Change {
	key := sounding.RatioKey(m.Set, from)
	if key == "" {
		return skip("the part is locked, or the board offers no ratio for all cores")
	}
	if _, err := sounding.AxisOf(m.Set, from.With(trim.Settings{modeKey: part.Choice(trim.Fixed)})); err != nil {
		return skip("%v", err)
	}
	p, now := m.Set.Processor, m.now(from)
	entry, _ := m.Set.Board.Lookup(key)
	base := now.Number("clock.base", p.BaseClockMHz)
	step := max(entry.Step, p.RatioStep)
	low, high := max(entry.Min, leastClock*p.CeilingMHz(p.Cores())/base), min(entry.Max, m.highestMHz()/base)
	at := func(i int) trim.Settings { return m.atRatio(from, key, entry.Nearest(low+float64(i)*step), lessV) }
	// what passes a bound at one clock does so at any higher one
	n := sort.Search(max(0, int((high-low)/step)+1), func(i int) bool {
		s := at(i)
		return s == nil || !m.within(from.With(s), entry.Nearest(low+float64(i)*step)*base, ask)
	})
	if n == 0 {
		return skip("no clock of all cores stays within what is allowed")
	}
	out := at(n - 1)
	ratio, _ := out[key].Number()
	volts, _ := out[fixedKey].Number()
	was, _ := now[key].Number()
	switch fixed := now.Word(modeKey) == trim.Fixed; {
	case fixed && was == ratio:
		return skip("%g × is the highest ratio already that stays within what is allowed", ratio)
	case !fixed:
		if gain, known := m.gain(from, from.With(out), yardstick.Sustained); known && gain < leastGain {
			return skip("all cores at %.2f GHz, the highest clock within what is allowed, would gain %.1f %%, less than can be told apart",
				ratio*base/1000, 100*gain)
		}
	}
	why := fmt.Sprintf("All cores at %.2f GHz: the highest clock that stays within the volts, watts and degrees that are allowed, if %.3f V hold it.",
		ratio*base/1000, volts)
	if lost := p.HighestMHz() - ratio*base; lost >= 1 {
		why += fmt.Sprintf(" Few cores lose %.2f GHz.", lost/1000)
	}
	return Change{Settings: out, Name: clockName(ratio * base), Why: why}
}

func clockName(mhz float64) string { return fmt.Sprintf("%.2f GHz", mhz/1000) }

// Slower works out a lower clock for all cores, where no voltage that is allowed holds the one that settings have: a whole ratio less, at
// what would be delivered there.
func (m *Machine) Slower(from trim.Settings) Change {
	key, now := sounding.RatioKey(m.Set, from), m.now(from)
	was, set := now[key].Number()
	entry, _ := m.Set.Board.Lookup(key)
	if key == "" || !set || was-1 < entry.Min {
		return skip("the board offers no lower clock")
	}
	ratio := entry.Nearest(was - 1)
	out := m.atRatio(from, key, ratio, 0)
	if out == nil {
		return skip("the board does not take a lower clock")
	}
	base := now.Number("clock.base", m.Set.Processor.BaseClockMHz)
	why := fmt.Sprintf("No voltage that is allowed holds %s for long.", clockName(was*base))
	return Change{Settings: out, Name: clockName(ratio * base), Why: why}
}

// highestMHz is the highest clock that the sheet tells a voltage for.
func (m *Machine) highestMHz() float64 {
	vf := m.Set.Processor.ClusterVF(0)
	return vf[len(vf)-1].MHz
}

// atRatio is what to change to give all cores a ratio, at a voltage so far below what would be delivered there; nil where the board does
// not take that. Cores that have a ratio of their own get the highest at which they need no more voltage than the others.
func (m *Machine) atRatio(from trim.Settings, key string, ratio, lessV float64) trim.Settings {
	out := trim.Settings{modeKey: part.Choice(trim.Fixed), key: part.Number(ratio)}
	p := m.Set.Processor
	axis := func(with trim.Settings) *sounding.Axis {
		a, err := sounding.AxisOf(m.Set, from.With(out).With(with))
		if err != nil {
			return nil
		}
		return a
	}
	if m.offers(efficientKey, from.With(out)) {
		entry, _ := m.Set.Board.Lookup(efficientKey)
		at := func(i int) trim.Settings {
			return trim.Settings{efficientKey: part.Number(entry.Nearest(entry.Min + float64(i)*entry.Step))}
		}
		most := min(entry.Max, m.efficientMHz()/p.BaseClockMHz)
		n := sort.Search(int((most-entry.Min)/entry.Step)+1, func(i int) bool {
			a := axis(at(i))
			return a == nil || p.Clusters[p.ClusterOf(a.Tightest())].Kind == part.KindEfficiency
		})
		out = out.With(at(max(0, n-1)))
	}
	a := axis(nil)
	if a == nil {
		return nil
	}
	depth := max(a.Min, min(a.Max, -int(math.Round(lessV/a.StepV))))
	return out.With(a.Changes(slices.Repeat([]int{depth}, len(a.Cores))))
}

// efficientMHz is the highest clock of efficiency cores as delivered.
func (m *Machine) efficientMHz() float64 {
	p := m.Set.Processor
	for i := range p.Clusters {
		if p.Clusters[i].Kind == part.KindEfficiency {
			return p.ClusterCeilingMHz(i, p.Clusters[i].Cores, p.Cores())
		}
	}
	return p.HighestMHz()
}

// keptClock is the share of a clock that is expected to be kept where it is called kept: forecasts are in some doubt.
const keptClock = 0.99

// within reports whether cores keep a clock under heavy load within the volts, watts and degrees that are allowed.
func (m *Machine) within(s trim.Settings, mhz float64, ask *Ask) bool {
	r := m.Forecast(s)
	if r == nil {
		return false
	}
	heavy, ok := r.Load(load.Heavy)
	first, hottest := m.Set.Processor.FirstCore(0), heavy.HottestC
	if r.Records > 0 { // sheets alone are in too much doubt to be held to it, and a machine is tried before it comes to this
		hottest += spreadOf(r)
	}
	return ok && heavy.Cores[first].RequestMHz >= keptClock*mhz && !heavy.Overheats && (ask.MostW == 0 || heavy.PackageW <= ask.MostW) &&
		hottest <= ask.mostC(m.Set.Processor)-belowLimitC && m.HoldsVolts(s, r, ask.MostV)
}

// HoldsVolts reports whether settings at a fixed voltage stay within the volts that are allowed, by their forecast and with those that
// swing over it; where none are named, within what the sheet says that the part stands.
func (m *Machine) HoldsVolts(s trim.Settings, r *forecast.Result, mostV float64) bool {
	p := m.Set.Processor
	most, swing := mostV, mostV
	if mostV == 0 {
		most, swing = p.VoltageMaxV, p.TransientMaxV
	}
	for i := range p.Clusters {
		most = min(most, p.ClusterMaxV(i))
	}
	highest := 0.0
	for _, l := range r.Loads {
		highest = max(highest, l.VoltageMaxV)
	}
	return s.Number(fixedKey, 0) <= most && highest <= swing
}
