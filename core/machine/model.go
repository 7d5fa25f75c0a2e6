package machine

import (
	"fmt"
	"math"

	"zerokeel/core/clock"
	"zerokeel/core/govern"
	"zerokeel/core/heat"
	"zerokeel/core/load"
	"zerokeel/core/part"
	"zerokeel/core/power"
	"zerokeel/core/silicon"
	"zerokeel/core/volt"
)

// Model is a machine without its state: tables of clocks and voltage requests, and the constants of the load
// line, the power and the heat path. It is safe for concurrent use.
type Model struct {
	set    *part.Set
	tuning Tuning
	chip   silicon.Chip
	path   heat.Path
	bins   clock.Bins
	cores  int
	fused  [][]float64 // per core and bin: voltage of the fused curve
	asked  [][]float64 // per core and bin: voltage requested under the tuning
	rail   []float64   // per bin: the highest request of all cores, which feeds them all
	restG  float64     // switching current per volt of a core without load
}

// NewModel prepares a model. The set must be valid, and the chip have the processor's number of cores.
func NewModel(set *part.Set, tuning Tuning, chip silicon.Chip) (*Model, error) {
	p := set.Processor
	n := p.Cores()
	if len(chip.ShiftV) != n || len(chip.Leak) != n || len(tuning.CurveSteps) != n {
		return nil, fmt.Errorf("model of %s: chip and tuning are not for %d cores", p.Name, n)
	}
	curve, err := volt.NewCurve(p.VF)
	if err != nil {
		return nil, fmt.Errorf("model of %s: %w", p.Name, err)
	}
	m := &Model{set: set, tuning: tuning, chip: chip, path: heat.NewPath(p, set.Cooler), cores: n}
	m.bins = clock.NewBins(p, clock.Ceiling(p, 1, tuning.BoostOffsetMHz))
	m.rail = make([]float64, m.bins.Count)
	m.restG = power.Conductance(p.Power.Activity[load.Idle], p.Power.SwitchedNF, m.bins.FirstMHz)
	m.fused, m.asked = make([][]float64, n), make([][]float64, n)
	typical := make([]float64, m.bins.Count)
	for bin := range typical {
		typical[bin] = curve.At(m.bins.MHz(bin))
	}
	for c := range n {
		m.fused[c], m.asked[c] = make([]float64, m.bins.Count), make([]float64, m.bins.Count)
		for bin, v := range typical {
			m.fused[c][bin] = v + chip.ShiftV[c]
			m.asked[c][bin] = m.fused[c][bin] + p.CurveStepV*tuning.CurveSteps[c]
			m.rail[bin] = math.Max(m.rail[bin], m.asked[c][bin])
		}
	}
	return m, nil
}

// Set returns the parts that the model was made from.
func (m *Model) Set() *part.Set { return m.set }

// Tuning returns the tuning that the model was made with.
func (m *Model) Tuning() Tuning { return m.tuning }

// FusedV returns the voltage of a core's fused curve at a clock, in MHz rounded down to a bin.
func (m *Model) FusedV(core int, mhz float64) float64 { return m.fused[core][m.bins.AtMost(mhz)] }

// Residency of cores without load: the share of time that they are awake.
const idleResidency = 0.02

// demand is a load on chosen cores at one moment.
type demand struct {
	kind   load.Kind // what the active cores run; Idle when none is active
	active []bool
	count  int
	single int // the only active core, -1 when several are

	activity float64 // of the active cores
}

func (m *Model) newDemand(kind load.Kind, cores []int) demand {
	d := demand{kind: kind, active: make([]bool, m.cores), single: -1, activity: m.set.Processor.Power.Activity[kind]}
	if kind == load.Idle {
		return d
	}
	for _, c := range cores {
		if !d.active[c] {
			d.active[c] = true
			d.count++
			d.single = c
		}
	}
	if d.count != 1 {
		d.single = -1
	}
	if d.count == 0 {
		d.kind = load.Idle
	}
	return d
}

// topBin returns the bin of the clock ceiling for the demand.
func (m *Model) topBin(d *demand) int {
	if d.count == 0 {
		return 0
	}
	return m.bins.AtMost(clock.Ceiling(m.set.Processor, d.count, m.tuning.BoostOffsetMHz))
}

// request returns the voltage requested from the rail at a bin: the highest request of the active cores.
func (m *Model) request(d *demand, bin int) float64 {
	switch {
	case d.single >= 0:
		return m.asked[d.single][bin]
	case d.count == 0 || d.count == m.cores:
		return m.rail[bin]
	}
	v := 0.0
	for c, on := range d.active {
		if on {
			v = math.Max(v, m.asked[c][bin])
		}
	}
	return v
}

// leaks holds what depends on the cores' temperatures: their leakage at V0, its sum, and the largest of an
// active core.
type leaks struct {
	core         [part.MaxCores]float64
	sum, hottest float64
}

func (m *Model) leaks(d *demand, temperature *[part.MaxCores]float64, into *leaks) {
	p := &m.set.Processor.Power
	into.sum, into.hottest = 0, 0
	for c := range m.cores {
		l := power.LeakAt(p, m.chip.Leak[c], math.Min(temperature[c], runawayC))
		into.core[c] = l
		into.sum += l
		if (d.active[c] || d.count == 0) && l > into.hottest {
			into.hottest = l
		}
	}
}

// runawayC bounds the temperature in the leakage law, which holds for no living chip beyond.
const runawayC = 160.0

// operating is where the rail settles at a bin.
type operating struct {
	bin                      int
	requestV, dieV, amps     float64
	coresW, packageW, worstW float64 // worstW: the hottest core's power
	leakFactor               float64
}

// at solves the operating point at a bin. Inactive cores idle at the lowest clock on the same rail. A rail that
// collapses yields infinite power and current, so that every limit rejects the bin.
func (m *Model) at(d *demand, bin int, l *leaks) operating {
	p := m.set.Processor
	mhz := m.bins.MHz(bin)
	busy := power.Conductance(d.activity, p.Power.SwitchedNF, mhz)
	rest := m.restG
	op := operating{bin: bin, requestV: m.request(d, bin)}
	draw := power.Draw(&p.Power, float64(d.count)*busy+float64(m.cores-d.count)*rest, l.sum)
	v, amps, err := volt.Deliver(op.requestV, m.tuning.LoadLine.MilliOhm*1e-3, draw)
	if err != nil {
		op.amps, op.packageW, op.worstW = math.Inf(1), math.Inf(1), math.Inf(1)
		return op
	}
	if d.count == 0 {
		busy = rest
	}
	op.dieV, op.amps, op.coresW = v, amps, v*amps
	op.leakFactor = power.LeakFactor(&p.Power, v)
	op.worstW = power.Core(busy, l.hottest, v, op.leakFactor)
	op.packageW = op.coresW + power.Uncore(&p.Uncore, m.tuning.MemoryMTs, d.kind)
	return op
}

// corePower returns the power of one core at an operating point.
func (m *Model) corePower(d *demand, op *operating, l *leaks, core int) float64 {
	conductance := m.restG
	if d.active[core] {
		conductance = power.Conductance(d.activity, m.set.Processor.Power.SwitchedNF, m.bins.MHz(op.bin))
	}
	return power.Core(conductance, l.core[core], op.dieV, op.leakFactor)
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
	return govern.Reading{PowerW: op.packageW, Amps: op.amps, SustainedA: op.amps, HottestC: m.path.Core(n, op.worstW)}
}
