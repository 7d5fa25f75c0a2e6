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
	"zerokeel/core/silicon"
	"zerokeel/core/trim"
	"zerokeel/core/volt"
)

// Adjust is how one machine strays from its sheets beside its chip. The zero Adjust does not stray.
type Adjust struct {
	Switched  map[load.Kind]float64 // natural logarithm of the factor on the switched capacitance, by load
	DieR      float64               // natural logarithm of the factor on the resistance from core to base
	CoolerR   float64               // and from base to ambient
	AirPower  float64               // natural logarithm of the factor on the exponent by which a fan's speed cools
	ExtraMOhm float64               // of the path from regulator to die, beside the load line
	TiltV     float64               // V per GHz, by which the fused curves turn about their pivot
	CurveStep float64               // natural logarithm of the factor on the size of a curve step
	Uncore    float64               // and on the power of the package beside its cores
}

// pivotShare places the pivot of a fused curve, as a share of its highest clock: about where a loaded machine runs.
const pivotShare = 0.75

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
	every    []int       // all of the cores
	feeds    int         // groups of cores with a request of their own
	feedOf   []int       // per core
	size     []float64   // per core: capacitance against the sheet's; 0 for a core that is off
	fused    [][]float64 // per core and bin: voltage of the fused curve
	cold     [][]float64 // per core and bin: voltage requested under the tuning, when cold
	hot      [][]float64 // the same when hot; the same table where temperature does not matter
	highest  []int       // per core: the highest bin whose request keeps the voltage ceiling
	idleBin  int
	idleA    float64   // activity of a core without load
	lineOhms float64   // droop per ampere, the AC load line taken off
	liftOhms float64   // that what is asked for rises by per ampere
	hotter   []float64 // per core: its resistance to the die against the sheet's
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
		every: AllCores(n), feedOf: make([]int, n),
		size:   make([]float64, n),
		idleA:  p.Power.Activity[load.Idle],
		hotter: chip.CoreR,
	}
	m.path = m.heatPath()
	m.lineOhms, m.liftOhms = m.line(tuning.LoadLine)
	if len(m.hotter) != n {
		m.hotter = silicon.Typical(p).CoreR
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
			top = max(top, tuning.Clocks.Top(p, c, clock.Alone, false), tuning.IdleMHz)
		}
	}
	for active := range n {
		for c := range n {
			if tuning.On[c] {
				top = max(top, tuning.Clocks.Top(p, c, clock.Awake{Here: 1, Kind: active + 1, All: active + 1}, false))
			}
		}
	}
	m.bins = clock.NewBins(p, tuning.Clocks.ReferenceMHz, top)
	m.idleBin = m.bins.AtMost(tuning.IdleMHz)
	return m, m.fillTables()
}

// Like returns the same machine with another chip and other adjustments. It shares what does not depend on them.
func (m *Model) Like(chip silicon.Chip, adjust Adjust) (*Model, error) {
	if !slices.Equal(chip.ShiftV, m.chip.ShiftV) || adjust.TiltV != m.adjust.TiltV || adjust.CurveStep != m.adjust.CurveStep {
		return NewAdjustedModel(m.set, m.tuning, chip, adjust)
	}
	other := *m
	other.chip, other.adjust = chip, adjust
	other.path = other.heatPath()
	other.lineOhms, other.liftOhms = other.line(m.tuning.LoadLine)
	if other.hotter = chip.CoreR; len(other.hotter) != m.cores {
		other.hotter = m.hotter
	}
	return &other, nil
}

// Unlimited returns the same machine without any limit that lowers its clock.
func (m *Model) Unlimited() *Model {
	other, off := *m, math.Inf(1)
	other.tuning.Limits = govern.Limits{SustainedW: off, ShortW: off, SustainedA: off, PeakA: off, TemperatureC: off}
	return &other
}

// heatPath returns the machine's path of heat, as it strays.
func (m *Model) heatPath() heat.Path {
	path := heat.NewPath(m.set.Processor, m.set.Cooler, heat.PumpFactor(m.set.Cooler.Pump, m.tuning.Pump))
	return path.Scaled(math.Exp(m.adjust.DieR), math.Exp(m.adjust.CoolerR)).Exponent(math.Exp(m.adjust.AirPower))
}

// line returns the droop per ampere on a load line, less what the request rises by, and that rise. A fixed voltage is what was
// entered: nothing lifts it, so the die lies at or below it under load.
func (m *Model) line(l part.LoadLine) (lineOhms, liftOhms float64) {
	own := (l.MilliOhm + m.adjust.ExtraMOhm) * 1e-3
	if m.tuning.Mode == trim.Fixed {
		return max(0, own), 0
	}
	lift := m.tuning.ACMOhm * 1e-3
	return own - lift, lift
}

// awakeActivity is the factor on what a core without load switches when it may not sleep: its clock runs on, its units rest.
const awakeActivity = 6.0

func (m *Model) fillTables() error {
	p := m.set.Processor
	m.fused, m.cold, m.hot = make([][]float64, m.cores), make([][]float64, m.cores), make([][]float64, m.cores)
	m.highest = make([]int, m.cores)
	var typical []float64
	steps := math.Exp(m.adjust.CurveStep)
	fusedTop, fusedTopV := p.HighestMHz(), 0.0
	last := -1
	for c := range m.cores {
		cluster := p.ClusterOf(c)
		if cluster != last {
			last = cluster
			points := p.ClusterVF(cluster)
			curve, err := volt.NewCurve(points)
			if err != nil {
				return fmt.Errorf("model of %s: %w", p.Name, err)
			}
			typical = make([]float64, m.bins.Count)
			for bin := range typical {
				typical[bin] = curve.At(m.bins.MHz(bin)) + m.tilted(points, m.bins.MHz(bin))
			}
			fusedTopV = curve.At(fusedTop) + m.tilted(points, fusedTop)
		}
		shift := m.chip.ShiftV[c]
		if like := m.asksLike(c); like >= 0 {
			m.fused[c], m.cold[c], m.hot[c], m.highest[c] = m.fused[like], m.cold[like], m.hot[like], m.highest[like]
			continue
		}
		m.fused[c], m.cold[c] = make([]float64, m.bins.Count), make([]float64, m.bins.Count)
		m.hot[c] = m.cold[c]
		if len(m.tuning.Bands.At) > 0 {
			m.hot[c] = make([]float64, m.bins.Count)
		}
		for bin, v := range typical {
			mhz := m.bins.MHz(bin)
			m.fused[c][bin] = v + shift
			m.cold[c][bin], m.hot[c][bin] = m.asks(c, mhz, v+shift, fusedTop, fusedTopV+shift, steps)
		}
		for m.highest[c] = m.bins.Count - 1; m.highest[c] > 0; m.highest[c]-- {
			if max(m.cold[c][m.highest[c]], m.hot[c][m.highest[c]]) <= m.tuning.CeilingV[cluster]+1e-9 {
				break
			}
		}
	}
	return nil
}

// tilted returns by how much the tilt lifts a fused curve at a clock.
func (m *Model) tilted(points []part.VFPoint, mhz float64) float64 {
	return m.adjust.TiltV * (mhz - pivotShare*points[len(points)-1].MHz) / 1000
}

// asksLike returns an earlier core whose tables are the same; −1 for none.
func (m *Model) asksLike(core int) int {
	for c := core - 1; c >= 0 && m.set.Processor.ClusterOf(c) == m.set.Processor.ClusterOf(core); c-- {
		if m.chip.ShiftV[c] == m.chip.ShiftV[core] && m.tuning.OffsetV[c] == m.tuning.OffsetV[core] &&
			m.tuning.StepsV[c] == m.tuning.StepsV[core] {
			return c
		}
	}
	return -1
}

// asks returns what a core asks for at a clock, cold and hot. steps is the factor on the size of a curve step.
func (m *Model) asks(core int, mhz, fusedV, fusedTopMHz, fusedTopV, steps float64) (cold, hot float64) {
	t := &m.tuning
	if t.Mode == trim.Fixed {
		return t.FixedV, t.FixedV
	}
	offset := t.OffsetV[core] + (steps-1)*t.StepsV[core]
	v := max(fusedV+offset, min(fusedV, m.set.Processor.VoltageMinV))
	efficient := m.set.Processor.Clusters[m.set.Processor.ClusterOf(core)].Kind == part.KindEfficiency
	if t.Mode == trim.Adaptive && !efficient {
		v = volt.Adapt(v, mhz, fusedTopMHz, fusedTopV+offset, m.bins.MHz(m.bins.Count-1), t.TargetV)
	}
	c, h := t.Bands.ColdHot(mhz)
	return v + steps*c, v + steps*h
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

// AloneMHz returns the highest clock of a core that works alone, in MHz: by its ratios, and as far as its request keeps the voltage
// ceiling.
func (m *Model) AloneMHz(core int) float64 {
	ratio := m.bins.AtMost(m.tuning.Clocks.Top(m.set.Processor, core, clock.Alone, false))
	return m.bins.MHz(min(ratio, m.highest[core]))
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
