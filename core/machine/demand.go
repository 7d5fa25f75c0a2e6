package machine

import (
	"math"

	"zerokeel/core/govern"
	"zerokeel/core/load"
	"zerokeel/core/part"
	"zerokeel/core/power"
	"zerokeel/core/trim"
)

// Residency of cores without load: the share of time that they are awake.
const idleResidency = 0.02

// demand is a load on chosen cores at one moment.
type demand struct {
	kind   load.Kind // what the active cores run; Idle when none is active
	active []bool
	count  int
	single int // the only active core, -1 when several are

	activity float64 // of the active cores
	caps     []int   // per active core: the highest bin it may take
	top      int     // the highest of them
	held     bool    // by the voltage ceiling, below what the ratios allow
	feeds    []feed
}

// feed is what a group of cores asks for and switches, by bin.
type feed struct {
	g         []float64 // switching current per volt
	cold, hot []float64 // highest request
}

func (m *Model) newDemand(kind load.Kind, cores []int) demand {
	d := demand{kind: kind, active: make([]bool, m.cores), single: -1, activity: m.activity(kind), caps: make([]int, m.cores)}
	if kind != load.Idle {
		for _, c := range cores {
			if !d.active[c] && m.tuning.On[c] {
				d.active[c] = true
				d.count++
				d.single = c
			}
		}
	}
	if d.count != 1 {
		d.single = -1
	}
	if d.count == 0 {
		d.kind = load.Idle
	}
	m.capCores(&d)
	m.fillFeeds(&d)
	return d
}

// activity is the share of the capacitance that a load switches on this machine.
func (m *Model) activity(kind load.Kind) float64 {
	class, share := kind.Class()
	a := share * m.set.Processor.Power.Activity[class] * math.Exp(m.adjust.Switched[class])
	if kind != load.Idle && !m.tuning.SMT && m.set.Processor.ThreadsPerCore > 1 {
		a *= oneThreadActivity
	}
	return a
}

// oneThreadActivity is how much less a core switches when only one thread runs on it.
const oneThreadActivity = 0.92

// capCores works out the highest bin of each active core.
func (m *Model) capCores(d *demand) {
	p := m.set.Processor
	here := make([]int, len(p.Clusters))
	for c, on := range d.active {
		if on {
			here[p.ClusterOf(c)]++
		}
	}
	d.top = m.idleBin
	first := true
	for c, on := range d.active {
		if !on {
			d.caps[c] = m.idleBin
			continue
		}
		ratio := m.bins.AtMost(m.tuning.Clocks.Top(p, c, here[p.ClusterOf(c)], d.count, d.kind.WideVectors()))
		d.caps[c] = min(ratio, m.highest[c])
		d.held = d.held || m.highest[c] < ratio
		if first || d.caps[c] > d.top {
			d.top, first = d.caps[c], false
		}
	}
}

// fillFeeds works out the requests and the switching of each feed up to the highest bin. A feed without an active core
// stands at the request of its idle clock.
func (m *Model) fillFeeds(d *demand) {
	switched := m.set.Processor.Power.SwitchedNF
	d.feeds = make([]feed, m.feeds)
	for k := range d.feeds {
		f := feed{g: make([]float64, d.top+1), cold: make([]float64, d.top+1), hot: make([]float64, d.top+1)}
		busy := false
		for c, on := range d.active {
			busy = busy || (on && m.feedOf[c] == k)
		}
		for c, on := range d.active {
			if m.feedOf[c] != k || !m.tuning.On[c] {
				continue
			}
			if !on {
				rest := power.Conductance(m.idleA, switched*m.size[c], m.bins.MHz(m.idleBin))
				for bin := range f.g {
					f.g[bin] += rest
				}
				if !busy {
					for bin := range f.cold {
						f.cold[bin], f.hot[bin] = max(f.cold[bin], m.cold[c][m.idleBin]), max(f.hot[bin], m.hot[c][m.idleBin])
					}
				}
				continue
			}
			perMHz := power.Conductance(d.activity, switched*m.size[c], 1)
			cold, hot, most := m.cold[c], m.hot[c], d.caps[c]
			for bin := range f.g {
				at := min(bin, most)
				f.g[bin] += perMHz * m.bins.MHz(at)
				f.cold[bin], f.hot[bin] = max(f.cold[bin], cold[at]), max(f.hot[bin], hot[at])
			}
		}
		if m.ringCounts(d) {
			for bin := range f.cold {
				f.cold[bin], f.hot[bin] = math.Max(f.cold[bin], m.tuning.RingV), math.Max(f.hot[bin], m.tuning.RingV)
			}
		}
		if m.tuning.Mode != trim.Fixed && d.count <= max(1, m.cores/4) {
			for bin := range f.cold {
				f.cold[bin] += m.tuning.LightLiftV
				f.hot[bin] += m.tuning.LightLiftV
			}
		}
		d.feeds[k] = f
	}
}

// ringCounts reports whether the ring's request counts for the rail that it shares with the cores: it sleeps with them.
func (m *Model) ringCounts(d *demand) bool {
	return m.set.Processor.Rails != part.RailsCluster && m.tuning.RingV > 0 && m.tuning.Mode != trim.Fixed && (d.count > 0 || m.tuning.Awake)
}

// clockOf returns the clock of a core at a bin.
func (m *Model) clockOf(d *demand, core, bin int) float64 {
	if !d.active[core] {
		return m.bins.MHz(m.idleBin)
	}
	return m.bins.MHz(min(bin, d.caps[core]))
}

// atTop names the limiter of a demand that runs at its highest bin.
func (d *demand) atTop() govern.Limiter {
	if d.held {
		return govern.Voltage
	}
	return govern.Ratio
}
