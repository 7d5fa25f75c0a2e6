package machine

import (
	"math"

	"zerokeel/core/govern"
	"zerokeel/core/heat"
	"zerokeel/core/part"
	"zerokeel/core/power"
	"zerokeel/core/trim"
	"zerokeel/core/volt"
)

// leaks holds what depends on the cores' temperatures: their leakage at V0, its sum per feed, and the hottest core.
type leaks struct {
	core     [part.MaxCores]float64
	sum      [maxFeeds]float64
	hottestC float64
}

const maxFeeds = 16

func (m *Model) leaks(temperature *[part.MaxCores]float64, into *leaks) {
	into.sum, into.hottestC = [maxFeeds]float64{}, math.Inf(-1)
	for c := range m.cores {
		into.core[c] = m.leakOf(c, temperature[c])
		into.sum[m.feedOf[c]] += into.core[c]
		into.hottestC = max(into.hottestC, temperature[c])
	}
}

// leaksAlike is leaks where cores that are alike have the temperature of their first.
func (m *Model) leaksAlike(d *demand, temperature *[part.MaxCores]float64, into *leaks) {
	into.sum, into.hottestC = [maxFeeds]float64{}, math.Inf(-1)
	for _, c := range d.firsts {
		into.core[c] = m.leakOf(c, temperature[c])
		into.hottestC = max(into.hottestC, temperature[c])
	}
	for c, first := range d.alike {
		into.core[c] = into.core[first]
		into.sum[m.feedOf[c]] += into.core[c]
	}
}

func (m *Model) leakOf(core int, temperature float64) float64 {
	return m.size[core] * power.LeakAt(&m.set.Processor.Power, m.chip.Leak[core], min(temperature, runawayC))
}

// runawayC, in °C, bounds the temperature in the leakage law, which holds for no living chip beyond: every sheet trips before.
const runawayC = 160.0

// operating is where the machine settles at a bin.
type operating struct {
	bin                         int
	droopV, amps                float64
	request                     [maxFeeds]float64 // per feed, the AC load line included
	die                         [maxFeeds]float64
	factor                      [maxFeeds]float64 // LeakFactor at die
	coresW, packageW, reportedW float64
	worstW                      float64 // that warms the hottest core above the die, at the sheet's resistance
}

// at solves the operating point at a bin. Inactive cores idle at the lowest clock on the same rail. A rail that
// collapses yields infinite power and current, so that every limit rejects the bin. The hottest core is looked for among some:
// all of them, or those that stand for the others.
func (m *Model) at(d *demand, bin int, l *leaks, among []int) operating {
	p := &m.set.Processor.Power
	if bin = min(bin, d.top); !d.filled[bin] {
		m.fillFeeds(d, bin)
	}
	op := operating{bin: bin}
	warmth := m.warmth(l.hottestC)
	var feeds [maxFeeds]volt.Feed
	for k := range m.feeds {
		f := &d.feeds[k]
		request := f.cold[bin] + warmth*(f.hot[bin]-f.cold[bin])
		if m.tuning.Mode != trim.Fixed {
			request = m.tuning.Corridor.Hold(request, l.hottestC)
		}
		if f.g[bin] > 0 && request < volt.LeastV {
			return op.impossible()
		}
		feeds[k] = volt.Feed{RequestV: request, Draw: power.Draw(p, f.g[bin], l.sum[k])}
	}
	droop, amps, err := volt.DeliverAll(feeds[:m.feeds], m.lineOhms)
	if err != nil {
		return op.impossible()
	}
	op.droopV, op.amps = droop, amps
	lift := amps * m.liftOhms
	for k := range m.feeds {
		op.request[k] = feeds[k].RequestV + lift
		op.die[k] = feeds[k].RequestV - droop
		op.factor[k] = power.LeakFactor(p, op.die[k])
		own, _ := feeds[k].Draw.At(op.die[k])
		op.coresW += own * op.die[k]
	}
	for _, c := range among {
		if d.active[c] || d.count == 0 {
			op.worstW = max(op.worstW, m.hotter[c]*m.corePower(d, &op, l, c))
		}
	}
	op.packageW = op.coresW + d.uncoreW[bin]
	op.reportedW = op.packageW
	if dc := m.tuning.DCMOhm; !math.IsNaN(dc) {
		// The processor takes its voltage to be the request less its own idea of the droop.
		op.reportedW += amps * (m.tuning.LoadLine.MilliOhm - dc) * 1e-3 * amps
	}
	return op
}

// impossible is an operating point that every limit rejects.
func (op operating) impossible() operating {
	op.amps, op.packageW, op.reportedW, op.worstW = math.Inf(1), math.Inf(1), math.Inf(1), math.Inf(1)
	return op
}

// corePower returns the power of one core at an operating point.
func (m *Model) corePower(d *demand, op *operating, l *leaks, core int) float64 {
	if m.size[core] == 0 {
		return 0
	}
	activity, mhz := m.idleA, m.bins.MHz(m.idleBin)
	if d.active[core] {
		activity, mhz = d.activity, m.bins.MHz(d.binOf(op.bin, core))
	}
	k := m.feedOf[core]
	return power.Core(power.Conductance(activity, m.set.Processor.Power.SwitchedNF*m.size[core], mhz), l.core[core], op.die[k], op.factor[k])
}

// place returns where a bin stands between the lowest clock (0) and the highest (1).
func (m *Model) place(bin int) float64 {
	if m.bins.Count < 2 {
		return 0
	}
	return float64(bin) / float64(m.bins.Count-1)
}

// reading turns an operating point into what the limits look at, at the nodes' temperatures.
func (m *Model) reading(op *operating, n heat.Nodes) govern.Reading {
	return govern.Reading{PowerW: op.reportedW, NowW: op.reportedW, Amps: op.amps, SustainedA: op.amps, HottestC: m.path.Core(n, op.worstW)}
}
