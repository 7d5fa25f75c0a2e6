package machine

import (
	"math"

	"zerokeel/core/clock"
	"zerokeel/core/govern"
	"zerokeel/core/load"
	"zerokeel/core/part"
	"zerokeel/core/power"
	"zerokeel/core/trim"
)

// Residency of cores without load: the share of time that they are awake, as a quiet system wakes them for its own work.
const idleResidency = 0.02

// demand is a load on chosen cores at one moment.
type demand struct {
	kind   load.Kind // what the active cores run; Idle when none is active
	active []bool
	count  int
	single int // the only active core, -1 when several are

	activity float64 // of the active cores
	caps     []int   // per active core: the highest bin it may take
	follows  []bool  // per core: it gives its clock up in proportion with the fastest, instead of keeping it as long as it can
	top      int     // the highest of them
	held     bool    // by the voltage ceiling, below what the ratios allow
	feeds    []feed
	uncoreW  []float64 // per bin: of the package beside its cores
	filled   []bool    // bins at which the feeds are known
	alike    []int     // per core: the first core that settles exactly as it does
	firsts   []int     // those that stand for others or for themselves
}

// feed is what a group of cores asks for and switches, by bin. A bin is worked out when the machine is first held there.
type feed struct {
	busy      bool      // some core of it is active
	g         []float64 // switching current per volt
	cold, hot []float64 // highest request
}

func (m *Model) newDemand(kind load.Kind, cores []int) demand {
	d := demand{kind: kind, active: make([]bool, m.cores), single: -1, activity: m.activity(kind), caps: make([]int, m.cores),
		follows: make([]bool, m.cores)}
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
	d.filled, d.feeds, d.uncoreW = make([]bool, d.top+1), make([]feed, m.feeds), make([]float64, d.top+1)
	bins := make([]float64, 3*m.feeds*(d.top+1))
	for k := range d.feeds {
		f := &d.feeds[k]
		for _, list := range []*[]float64{&f.g, &f.cold, &f.hot} {
			*list, bins = bins[:d.top+1], bins[d.top+1:]
		}
	}
	for c, on := range d.active {
		if on {
			d.feeds[m.feedOf[c]].busy = true
		}
	}
	m.pairAlike(&d)
	return d
}

// pairAlike finds cores that are made and loaded alike. On a settled machine they show the same, so one stands for all: of a
// chip that is known by its sheets alone, two or three stand for sixteen.
func (m *Model) pairAlike(d *demand) {
	d.alike = make([]int, m.cores)
	for c := range m.cores {
		d.alike[c] = c
		for _, first := range d.firsts {
			if m.feedOf[c] == m.feedOf[first] && m.size[c] == m.size[first] && m.chip.Leak[c] == m.chip.Leak[first] &&
				m.hotter[c] == m.hotter[first] &&
				d.active[c] == d.active[first] && d.caps[c] == d.caps[first] {
				d.alike[c] = first
				break
			}
		}
		if d.alike[c] == c {
			d.firsts = append(d.firsts, c)
		}
	}
}

// activity is the share of the capacitance that a load switches on this machine.
func (m *Model) activity(kind load.Kind) float64 {
	class, share := kind.Class()
	a := share * m.set.Processor.Power.Activity[class] * math.Exp(m.adjust.Switched[class])
	if kind != load.Idle && !m.tuning.SMT && m.set.Processor.ThreadsPerCore > 1 {
		a *= m.set.Processor.Power.OneThreadShare()
	}
	return a
}

// capCores works out the highest bin of each active core.
func (m *Model) capCores(d *demand) {
	p := m.set.Processor
	here, kinds := make([]int, len(p.Clusters)), map[string]int{}
	for c, on := range d.active {
		if on {
			here[p.ClusterOf(c)]++
			kinds[p.Clusters[p.ClusterOf(c)].Kind]++
		}
	}
	d.top = m.idleBin
	first := true
	for c, on := range d.active {
		if !on {
			d.caps[c] = m.idleBin
			continue
		}
		cluster := p.ClusterOf(c)
		kind := p.Clusters[cluster].Kind
		d.follows[c] = kind == part.KindEfficiency && kinds[part.KindPerformance] > 0
		ratio := m.bins.AtMost(m.tuning.Clocks.Top(p, c, clock.Awake{Here: here[cluster], Kind: kinds[kind], All: d.count},
			d.kind.WideVectors()))
		d.caps[c] = min(ratio, m.highest[c])
		d.held = d.held || m.highest[c] < ratio
		if first || d.caps[c] > d.top {
			d.top, first = d.caps[c], false
		}
	}
}

// fillFeeds works out the requests and the switching of each feed at a bin. A feed without an active core stands at the
// request of its idle clock.
func (m *Model) fillFeeds(d *demand, bin int) {
	d.filled[bin] = true
	switched := m.set.Processor.Power.SwitchedNF
	for c, on := range d.active {
		if !m.tuning.On[c] {
			continue
		}
		f := &d.feeds[m.feedOf[c]]
		activity, at := m.idleA, m.idleBin
		if on {
			activity, at = d.activity, d.binOf(bin, c)
		}
		f.g[bin] += power.Conductance(activity, switched*m.size[c], m.bins.MHz(at))
		if on || !f.busy {
			f.cold[bin], f.hot[bin] = max(f.cold[bin], m.cold[c][at]), max(f.hot[bin], m.hot[c][at])
		}
	}
	rest := m.ringAt(d, bin)
	d.uncoreW[bin] = math.Exp(m.adjust.Uncore) * power.Uncore(m.set.Processor, &rest, d.count == 0)
	ring := m.ringCounts(d)
	lifted := m.tuning.Mode != trim.Fixed && d.count <= max(1, m.cores/4)
	for k := range d.feeds {
		f := &d.feeds[k]
		if ring {
			f.cold[bin], f.hot[bin] = max(f.cold[bin], rest.RingV), max(f.hot[bin], rest.RingV)
		}
		if lifted {
			f.cold[bin] += m.tuning.LightLiftV
			f.hot[bin] += m.tuning.LightLiftV
		}
	}
}

// ringAt tells how the package beside its cores runs while the fastest core takes a bin. The ring follows the cores down, in
// proportion and never above them, so that it does not hold their rail at its full clock while they are slow.
func (m *Model) ringAt(d *demand, bin int) power.Rest {
	rest := m.tuning.Rest
	if d.count == 0 || rest.RingMHz == 0 {
		return rest
	}
	mhz := min(rest.RingMHz*m.bins.MHz(bin)/m.bins.MHz(d.top), m.bins.MHz(bin))
	if mhz < rest.RingMHz {
		rest.RingV -= m.tuning.RingVPerMHz * (rest.RingMHz - mhz)
		rest.RingMHz = mhz
	}
	return rest
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
	return m.bins.MHz(d.binOf(bin, core))
}

// binOf returns the bin of an active core while the fastest may take one. E-cores beside P-cores give way in proportion.
func (d *demand) binOf(bin, core int) int {
	most := d.caps[core]
	if d.follows[core] && bin < d.top && d.top > 0 {
		return most * bin / d.top
	}
	return min(bin, most)
}

// atTop names the limiter of a demand that runs at its highest bin.
func (d *demand) atTop() govern.Limiter {
	if d.held {
		return govern.Voltage
	}
	return govern.Ratio
}
