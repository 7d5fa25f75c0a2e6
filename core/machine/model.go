package machine

import (
	"fmt"
	"math"
	"slices"

	"zerokeel/core/clock"
	"zerokeel/core/govern"
	"zerokeel/core/heat"
	"zerokeel/core/load"
	"zerokeel/core/part"
	"zerokeel/core/power"
	"zerokeel/core/silicon"
	"zerokeel/core/trim"
	"zerokeel/core/volt"
)

// Adjust is how one machine strays from its sheets beside its chip. The zero Adjust does not stray.
type Adjust struct {
	Switched  map[load.Kind]float64 // natural logarithm of the factor on the switched capacitance, by load
	DieR      float64               // natural logarithm of the factor on the resistance from core to base
	CoolerR   float64               // and from base to ambient
	ExtraMOhm float64               // of the path from regulator to die, beside the load line
}

// Model is a machine without its state: tables of clocks and voltage requests, and the constants of the load
// line, the power and the heat path. It is safe for concurrent use.
type Model struct {
	set      *part.Set
	tuning   Tuning
	chip     silicon.Chip
	adjust   Adjust
	path     heat.Path
	bins     clock.Bins
	cores    int         // of the processor, whether switched on or not
	feeds    int         // groups of cores with a request of their own
	feedOf   []int       // per core
	size     []float64   // per core: capacitance against the sheet's; 0 for a core that is off
	fused    [][]float64 // per core and bin: voltage of the fused curve
	cold     [][]float64 // per core and bin: voltage requested under the tuning, when cold
	hot      [][]float64 // the same when hot; the same table where temperature does not matter
	highest  []int       // per core: the highest bin whose request keeps the voltage ceiling
	idleBin  int
	idleA    float64 // activity of a core without load
	lineOhms float64 // droop per ampere, the AC load line taken off
	uncoreW  float64
	restW    float64 // of the uncore when idle
}

// NewModel prepares a model. The set must be valid, and the chip have the processor's number of cores.
func NewModel(set *part.Set, tuning Tuning, chip silicon.Chip) (*Model, error) {
	return NewAdjustedModel(set, tuning, chip, Adjust{})
}

// NewAdjustedModel is NewModel for a machine that strays from its sheets.
func NewAdjustedModel(set *part.Set, tuning Tuning, chip silicon.Chip, adjust Adjust) (*Model, error) {
	p := set.Processor
	n := p.Cores()
	if len(chip.ShiftV) != n || len(chip.Leak) != n || len(tuning.OffsetV) != n {
		return nil, fmt.Errorf("model of %s: chip and tuning are not for %d cores", p.Name, n)
	}
	m := &Model{
		set: set, tuning: tuning, chip: chip, adjust: adjust, cores: n, feeds: 1,
		path:     heat.NewPath(p, set.Cooler, heat.PumpFactor(set.Cooler.Pump, tuning.Pump)).Scaled(math.Exp(adjust.DieR), math.Exp(adjust.CoolerR)),
		feedOf:   make([]int, n),
		size:     make([]float64, n),
		idleA:    p.Power.Activity[load.Idle],
		lineOhms: (tuning.LoadLine.MilliOhm + adjust.ExtraMOhm - tuning.ACMOhm) * 1e-3,
		uncoreW:  power.Uncore(p, &tuning.Rest, false),
		restW:    power.Uncore(p, &tuning.Rest, true),
	}
	if p.Rails == part.RailsCluster {
		m.feeds = len(p.Clusters)
	}
	if tuning.Awake {
		m.idleA *= awakeActivity
	}
	top := 0.0
	for c := range n {
		cluster := p.ClusterOf(c)
		if p.Rails == part.RailsCluster {
			m.feedOf[c] = cluster
		}
		if tuning.On[c] {
			m.size[c] = p.Clusters[cluster].SizeFactor()
			top = max(top, tuning.Clocks.Top(p, c, 1, 1, false), tuning.IdleMHz)
		}
	}
	for active := range n {
		for c := range n {
			if tuning.On[c] {
				top = max(top, tuning.Clocks.Top(p, c, 1, active+1, false))
			}
		}
	}
	m.bins = clock.NewBins(p, tuning.Clocks.ReferenceMHz, top)
	m.idleBin = m.bins.AtMost(tuning.IdleMHz)
	return m, m.fillTables()
}

// Like returns the same machine with another chip and other adjustments. It shares what does not depend on them.
func (m *Model) Like(chip silicon.Chip, adjust Adjust) (*Model, error) {
	if !slices.Equal(chip.ShiftV, m.chip.ShiftV) {
		return NewAdjustedModel(m.set, m.tuning, chip, adjust)
	}
	other := *m
	other.chip, other.adjust = chip, adjust
	other.path = heat.NewPath(m.set.Processor, m.set.Cooler, heat.PumpFactor(m.set.Cooler.Pump, m.tuning.Pump)).Scaled(math.Exp(adjust.DieR), math.Exp(adjust.CoolerR))
	other.lineOhms = (m.tuning.LoadLine.MilliOhm + adjust.ExtraMOhm - m.tuning.ACMOhm) * 1e-3
	return &other, nil
}

// awakeActivity is how much more a core without load switches when it may not sleep.
const awakeActivity = 6.0

func (m *Model) fillTables() error {
	p := m.set.Processor
	m.fused, m.cold, m.hot = make([][]float64, m.cores), make([][]float64, m.cores), make([][]float64, m.cores)
	m.highest = make([]int, m.cores)
	var typical []float64
	fusedTop, fusedTopV := p.HighestMHz(), 0.0
	last := -1
	for c := range m.cores {
		cluster := p.ClusterOf(c)
		if cluster != last {
			last = cluster
			curve, err := volt.NewCurve(p.ClusterVF(cluster))
			if err != nil {
				return fmt.Errorf("model of %s: %w", p.Name, err)
			}
			typical = make([]float64, m.bins.Count)
			for bin := range typical {
				typical[bin] = curve.At(m.bins.MHz(bin))
			}
			fusedTopV = curve.At(fusedTop)
		}
		shift := m.chip.ShiftV[c]
		m.fused[c], m.cold[c] = make([]float64, m.bins.Count), make([]float64, m.bins.Count)
		m.hot[c] = m.cold[c]
		if len(m.tuning.Bands.At) > 0 {
			m.hot[c] = make([]float64, m.bins.Count)
		}
		for bin, v := range typical {
			mhz := m.bins.MHz(bin)
			m.fused[c][bin] = v + shift
			m.cold[c][bin], m.hot[c][bin] = m.asks(c, mhz, v+shift, fusedTop, fusedTopV+shift)
		}
		for m.highest[c] = m.bins.Count - 1; m.highest[c] > 0; m.highest[c]-- {
			if max(m.cold[c][m.highest[c]], m.hot[c][m.highest[c]]) <= m.tuning.CeilingV[cluster]+1e-9 {
				break
			}
		}
	}
	return nil
}

// asks returns what a core asks for at a clock, cold and hot.
func (m *Model) asks(core int, mhz, fusedV, fusedTopMHz, fusedTopV float64) (cold, hot float64) {
	t := &m.tuning
	if t.Mode == trim.Fixed {
		return t.FixedV, t.FixedV
	}
	v := fusedV + t.OffsetV[core]
	efficient := m.set.Processor.Clusters[m.set.Processor.ClusterOf(core)].Kind == part.KindEfficiency
	if t.Mode == trim.Adaptive && !efficient {
		v = volt.Adapt(v, mhz, fusedTopMHz, fusedTopV+t.OffsetV[core], m.bins.MHz(m.bins.Count-1), t.TargetV)
	}
	c, h := t.Bands.ColdHot(mhz)
	return v + c, v + h
}

// Set returns the parts that the model was made from.
func (m *Model) Set() *part.Set { return m.set }

// Tuning returns the tuning that the model was made with.
func (m *Model) Tuning() *Tuning { return &m.tuning }

// Bins returns the clocks that the model's machine can run at.
func (m *Model) Bins() clock.Bins { return m.bins }

// FusedV returns the voltage of a core's fused curve at a clock, in MHz rounded down to a bin.
func (m *Model) FusedV(core int, mhz float64) float64 { return m.fused[core][m.bins.AtMost(mhz)] }

// AskedV returns what a core asks for at a clock, in MHz rounded down to a bin, and a temperature: its own request, before
// corridor and load line.
func (m *Model) AskedV(core int, mhz, temperatureC float64) float64 {
	return m.askedAt(core, m.bins.AtMost(mhz), m.warmth(temperatureC))
}

func (m *Model) askedAt(core, bin int, warmth float64) float64 {
	cold := m.cold[core][bin]
	return cold + warmth*(m.hot[core][bin]-cold)
}

func (m *Model) warmth(c float64) float64 {
	return volt.Warmth(c, m.tuning.Bands.ColdC, m.tuning.Bands.HotC)
}

// OnCores lists the cores that are switched on.
func (m *Model) OnCores() []int {
	var cores []int
	for c, on := range m.tuning.On {
		if on {
			cores = append(cores, c)
		}
	}
	return cores
}

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
	a := m.set.Processor.Power.Activity[kind] * math.Exp(m.adjust.Switched[kind])
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
		ratio := m.bins.AtMost(m.tuning.Clocks.Top(p, c, here[p.ClusterOf(c)], d.count, d.kind == load.Heavy))
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

// leaks holds what depends on the cores' temperatures: their leakage at V0, its sum per feed, and the hottest core.
type leaks struct {
	core     [part.MaxCores]float64
	sum      [maxFeeds]float64
	hottestC float64
}

const maxFeeds = 16

func (m *Model) leaks(temperature *[part.MaxCores]float64, into *leaks) {
	p := &m.set.Processor.Power
	into.sum, into.hottestC = [maxFeeds]float64{}, math.Inf(-1)
	for c := range m.cores {
		l := m.size[c] * power.LeakAt(p, m.chip.Leak[c], min(temperature[c], runawayC))
		into.core[c] = l
		into.sum[m.feedOf[c]] += l
		into.hottestC = max(into.hottestC, temperature[c])
	}
}

// runawayC bounds the temperature in the leakage law, which holds for no living chip beyond.
const runawayC = 160.0

// operating is where the machine settles at a bin.
type operating struct {
	bin                         int
	droopV, amps                float64
	request                     [maxFeeds]float64 // per feed, the AC load line included
	die                         [maxFeeds]float64
	factor                      [maxFeeds]float64 // LeakFactor at die
	coresW, packageW, reportedW float64
	worstW                      float64 // the hottest core's power
}

// at solves the operating point at a bin. Inactive cores idle at the lowest clock on the same rail. A rail that
// collapses yields infinite power and current, so that every limit rejects the bin.
func (m *Model) at(d *demand, bin int, l *leaks) operating {
	p := &m.set.Processor.Power
	bin = min(bin, d.top)
	op := operating{bin: bin}
	warmth := m.warmth(l.hottestC)
	var feeds [maxFeeds]volt.Feed
	for k := range m.feeds {
		f := &d.feeds[k]
		request := f.cold[bin] + warmth*(f.hot[bin]-f.cold[bin])
		if m.tuning.Mode != trim.Fixed {
			request = m.tuning.Corridor.Hold(request, l.hottestC)
		}
		feeds[k] = volt.Feed{RequestV: request, Draw: power.Draw(p, f.g[bin], l.sum[k])}
	}
	droop, amps, err := volt.DeliverAll(feeds[:m.feeds], m.lineOhms)
	if err != nil {
		op.amps, op.packageW, op.reportedW, op.worstW = math.Inf(1), math.Inf(1), math.Inf(1), math.Inf(1)
		return op
	}
	op.droopV, op.amps = droop, amps
	lift := amps * m.tuning.ACMOhm * 1e-3
	for k := range m.feeds {
		op.request[k] = feeds[k].RequestV + lift
		op.die[k] = feeds[k].RequestV - droop
		op.factor[k] = power.LeakFactor(p, op.die[k])
		own, _ := feeds[k].Draw.At(op.die[k])
		op.coresW += own * op.die[k]
	}
	for c := range m.cores {
		if d.active[c] || d.count == 0 {
			op.worstW = max(op.worstW, m.corePower(d, &op, l, c))
		}
	}
	op.packageW = op.coresW + m.uncoreW
	if d.count == 0 {
		op.packageW = op.coresW + m.restW
	}
	op.reportedW = op.packageW
	if dc := m.tuning.DCMOhm; !math.IsNaN(dc) {
		// The processor takes its voltage to be the request less its own idea of the droop.
		op.reportedW += amps * (m.tuning.LoadLine.MilliOhm - dc) * 1e-3 * amps
	}
	return op
}

// corePower returns the power of one core at an operating point.
func (m *Model) corePower(d *demand, op *operating, l *leaks, core int) float64 {
	if m.size[core] == 0 {
		return 0
	}
	activity, mhz := m.idleA, m.bins.MHz(m.idleBin)
	if d.active[core] {
		activity, mhz = d.activity, m.bins.MHz(min(op.bin, d.caps[core]))
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

// atTop names the limiter of a demand that runs at its highest bin.
func (d *demand) atTop() govern.Limiter {
	if d.held {
		return govern.Voltage
	}
	return govern.Ratio
}
