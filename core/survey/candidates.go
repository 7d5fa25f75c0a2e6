package survey

import (
	"cmp"
	"math"
	"slices"

	"zerokeel/core/load"
)

// candidate is an order that is looked at.
type candidate struct {
	order  Order
	alone  []int   // the cores of one setting that is tried alone; none where all are
	faults float64 // that are expected

	gain, cost float64 // of the outcomes that were supposed: steps of doubt, of all cores together, and minutes
	supposed   int
	noPost     float64 // the chance that the machine does not come up
}

// worth is in steps of doubt a minute.
func (c *candidate) worth() float64 { return c.gain / c.cost }

// minutes are those that it is expected to take.
func (c *candidate) minutes() float64 { return c.cost / float64(c.supposed) }

// plan is the legs of an order that is looked at, in minutes by regime: on all cores, and perhaps on one alone as well.
type plan struct {
	minutes map[load.Regime]float64
	alone   bool
}

func legs(heavy, light, transition, idle float64, alone bool) plan {
	return plan{map[load.Regime]float64{load.RegimeHeavy: heavy, load.RegimeLight: light, load.RegimeTransition: transition,
		load.RegimeIdle: idle}, alone}
}

// memoryToo adds a load on the memory.
func (p plan) memoryToo(minutes float64) plan {
	p.minutes[load.RegimeMemory] = minutes
	return p
}

var plans = []plan{
	legs(1, 2, 1, 1, true), legs(2, 4, 2, 2, true), legs(4, 8, 4, 4, false), legs(8, 16, 8, 8, false), legs(2, 0, 2, 0, false),
	legs(5, 0, 5, 0, false), legs(2, 0, 0, 0, true), legs(0, 4, 0, 0, true), legs(0, 0, 2, 0, true), legs(0, 0, 0, 2, false),
	legs(0, 0, 0, 6, false), legs(0, 10, 0, 0, false),
	legs(0, 0, 0, 0, false).memoryToo(5), legs(0, 0, 0, 0, false).memoryToo(15), legs(0, 0, 0, 0, false).memoryToo(40),
	legs(2, 0, 4, 0, false).memoryToo(6), legs(4, 4, 8, 4, false).memoryToo(12),
}

// mostAlone is the longest leg of one core alone, in minutes.
const mostAlone = 4.0

// chances are how many faults may be expected of all cores of an order, and of one alone while the others are spared.
var (
	chances      = []float64{0.1, 0.3, 0.8, 2, 6, 30, 300, 5000}
	chancesAlone = []float64{1, 10, 300}
	timid        = []float64{1e-7, 1e-5, 1e-3, 1e-2} // of all cores too, where starts that fail are few
)

const spared = 0.02

// candidates lists the orders that are looked at.
func (c *chooser) candidates() []candidate {
	var out []candidate
	n := len(c.setup.Cores)
	all := make([]int, c.setup.asked())
	for i := range all {
		all[i] = i
	}
	for _, plan := range plans {
		if plan.minutes[load.RegimeMemory] > 0 && !slices.Contains(c.setup.Regimes, load.RegimeMemory) {
			continue
		}
		var legs []Leg
		sum := 0.0
		for _, regime := range c.setup.Regimes {
			if m := plan.minutes[regime]; m > 0 {
				legs = append(legs, Leg{Load: loads[regime], Cores: all, Minutes: m})
				sum += m
			}
		}
		if len(legs) == 0 {
			continue
		}
		if most := c.left - c.setup.Costs.RestartMin; sum > most {
			for i := range legs {
				legs[i].Minutes *= most / sum
			}
		}
		mean, slope := make([]float64, n), make([]float64, n)
		even := func(faults float64) []int {
			x := make([]int, n)
			for k := range x {
				x[k] = c.at(mean[k], slope[k], faults/float64(n))
			}
			return c.setup.level(x)
		}
		for k := range n {
			mean[k], slope[k] = c.depth(k, legs)
		}
		expected := chances
		if c.setup.ClearsLeft != nil {
			expected = slices.Concat(timid, chances)
		}
		for _, faults := range expected {
			out = append(out, candidate{order: Order{even(faults), legs}, faults: faults})
		}
		if !plan.alone || len(c.setup.groups) == 1 {
			continue
		}
		for _, cores := range c.doubtful() {
			var own []Leg
			for _, l := range legs {
				if !c.setup.together(l.Load.Regime()) { // alone it would draw less, and feel another voltage
					own = append(own, Leg{Load: l.Load, Cores: cores, Minutes: math.Min(l.Minutes, mostAlone)})
				}
			}
			if len(own) == 0 {
				break
			}
			for _, faults := range chancesAlone {
				o := Order{even(spared), own}
				for _, k := range cores {
					mean, slope := c.depth(k, own)
					o.Offsets[k] = c.at(mean, slope, faults/float64(len(cores)))
				}
				out = append(out, candidate{order: Order{c.setup.level(o.Offsets), own}, alone: cores, faults: faults})
			}
		}
	}
	return out
}

// depth returns the setting at which one fault is expected of a core in some legs, on average over the chips, and the slope.
func (c *chooser) depth(core int, legs []Leg) (mean, slope float64) {
	minutes := make([]float64, len(c.belief.regimes))
	for i := range legs {
		minutes[c.regime(&legs[i])] = legs[i].Minutes * c.belief.share(&legs[i], core)
	}
	rates := c.origin[core*len(minutes):][:len(minutes)]
	if len(c.setup.Cores[core].Gain) > 0 {
		return c.depthByGain(core, minutes, rates)
	}
	for i := range c.worlds {
		sum, own := 0.0, c.worlds[i].slopes[core]
		for g, m := range minutes {
			sum += m * rates[g][i]
		}
		mean += own * math.Log(sum)
		slope += own
	}
	n := float64(len(c.worlds))
	return c.belief.origin() + mean/n, slope / n
}

// leastPace bounds how far apart settings are looked at that hardly move anything.
const leastPace = 0.02

// depthByGain is depth where the regimes get different shares of a step.
func (c *chooser) depthByGain(core int, minutes []float64, rates [][]float64) (mean, slope float64) {
	n := float64(len(c.worlds))
	for i := range c.worlds {
		var parts []part
		own := c.worlds[i].slopes[core]
		for g, m := range minutes {
			if m > 0 {
				parts = append(parts, part{c.belief.gain(core, g) / own, math.Log(m*rates[g][i]) + c.belief.origin()/own})
			}
		}
		x, pace := c.setup.one(parts)
		mean, slope = mean+x/n, slope+1/math.Max(pace, leastPace)/n
	}
	return mean, slope
}

// at returns the setting at which so many faults are expected of a core in some legs.
func (c *chooser) at(mean, slope, faults float64) int {
	return c.setup.within(int(math.Round(mean - slope*math.Log(faults))))
}

// mostTriedAlone is how many settings are looked at alone.
const mostTriedAlone = 16

// doubtful lists the groups of cores of whose need least is known.
func (c *chooser) doubtful() [][]int {
	groups := make([]int, len(c.setup.groups))
	spreads := make([]float64, len(groups))
	for g := range groups {
		groups[g], spreads[g] = g, c.spread(g)
	}
	slices.SortStableFunc(groups, func(a, b int) int { return cmp.Compare(spreads[b], spreads[a]) })
	var out [][]int
	for _, g := range groups[:min(mostTriedAlone, len(groups))] {
		out = append(out, c.setup.groups[g])
	}
	return out
}
