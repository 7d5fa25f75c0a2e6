package part

import (
	"fmt"
	"math"

	"zerokeel/core/fault"
	"zerokeel/core/load"
)

// Style is a family of limits.
type Style string

// StyleCeiling limits package power (PPT), sustained current (TDC) and peak current (EDC), and boosts up
// to a clock ceiling that depends on how many cores are active.
const StyleCeiling Style = "ceiling"

// Processor is the sheet of a processor model.
type Processor struct {
	Name
	Style          Style     `json:"style"`
	Clusters       []Cluster `json:"clusters"`
	ThreadsPerCore int       `json:"threadsPerCore"` // 1 or 2
	BaseClockMHz   float64   `json:"baseClockMHz"`
	RatioStep      float64   `json:"ratioStep"` // smallest step of a core ratio, such as 0.25
	MinRatio       float64   `json:"minRatio"`
	BaseMHz        float64   `json:"baseMHz"` // clock that the maker promises on all cores
	Boost          []Boost   `json:"boost"`   // clock ceiling by active cores
	VF             []VFPoint `json:"vf"`      // fused voltage/frequency points of a typical chip
	Spread         Spread    `json:"spread"`
	CurveStepV     float64   `json:"curveStepV"` // volts per curve step
	Limits         Limits    `json:"limits"`     // as the maker specifies them
	VoltageMaxV    float64   `json:"voltageMaxV"`
	TransientMaxV  float64   `json:"transientMaxV"`
	Power          CorePower `json:"power"`
	Uncore         Uncore    `json:"uncore"`
	Heat           DieHeat   `json:"heat"`
	Work           Work      `json:"work"`
}

// Cluster is a group of cores on one die or of one kind.
type Cluster struct {
	Name  string `json:"name"`
	Kind  string `json:"kind"` // "performance" or "efficiency"
	Cores int    `json:"cores"`
}

// Boost is the highest clock while at most Cores cores are active.
type Boost struct {
	Cores int     `json:"cores"`
	MHz   float64 `json:"mhz"`
}

// VFPoint is one fused point: the voltage requested at a clock.
type VFPoint struct {
	MHz float64 `json:"mhz"`
	V   float64 `json:"v"`
}

// Spread tells how chips of the model differ: standard deviations of the shift of their voltage curve
// and, as a share of the typical value, of their leakage.
type Spread struct {
	ChipV   float64 `json:"chipV"`
	CoreV   float64 `json:"coreV"`
	Leakage float64 `json:"leakage"`
}

// Limits are the maker's limits.
type Limits struct {
	PPTW         float64 `json:"pptW"`
	TDCA         float64 `json:"tdcA"`
	EDCA         float64 `json:"edcA"`
	TemperatureC float64 `json:"temperatureC"`
}

// CorePower holds the constants of the power model (package power): switched capacitance per core and the
// leakage current I0·exp(α(V−V0)+β(T−T0)).
type CorePower struct {
	SwitchedNF float64               `json:"switchedNF"`
	Activity   map[load.Kind]float64 `json:"activity"` // share of SwitchedNF that a load switches, 0 to 2
	LeakA      float64               `json:"leakA"`
	LeakPerV   float64               `json:"leakPerV"`
	LeakPerK   float64               `json:"leakPerK"`
	LeakV0     float64               `json:"leakV0"`
	LeakT0C    float64               `json:"leakT0C"`
}

// Uncore is what the processor draws beside its cores: a base and a share that grows with memory rate.
type Uncore struct {
	BaseW     float64 `json:"baseW"`
	PerGTs    float64 `json:"perGTs"`    // W per 1,000 MT/s
	IdleShare float64 `json:"idleShare"` // share of both that remains when idle
}

// DieHeat is the part of the heat path that belongs to the processor.
type DieHeat struct {
	CoreKPerW float64 `json:"coreKPerW"` // core above die, per watt of that core
	DieKPerW  float64 `json:"dieKPerW"`  // die above spreader, per watt of the package
	DieJPerK  float64 `json:"dieJPerK"`
	BaseJPerK float64 `json:"baseJPerK"` // spreader and cooler base
}

// Work tells how fast the model computes: points per MHz of one core, what a second thread adds, and
// the share of the all-core work that follows the memory rate instead of the clock.
type Work struct {
	PerMHz      float64 `json:"perMHz"`
	SMTGain     float64 `json:"smtGain"`
	MemoryShare float64 `json:"memoryShare"`
}

// Cores returns the number of cores of all clusters.
func (p *Processor) Cores() int {
	n := 0
	for _, c := range p.Clusters {
		n += c.Cores
	}
	return n
}

// ClusterOf returns the index of the cluster that core belongs to, or -1.
func (p *Processor) ClusterOf(core int) int {
	for i, c := range p.Clusters {
		if core < c.Cores {
			return i
		}
		core -= c.Cores
	}
	return -1
}

// CeilingMHz returns the sheet's clock ceiling with n active cores.
func (p *Processor) CeilingMHz(n int) float64 {
	for _, b := range p.Boost {
		if n <= b.Cores {
			return b.MHz
		}
	}
	return p.Boost[len(p.Boost)-1].MHz
}

// HardTripC is the temperature at which the processor switches itself off.
func (p *Processor) HardTripC() float64 { return p.Limits.TemperatureC + 15 }

// MaxCores is the largest number of cores that the models take.
const MaxCores = 64

// Validate lists every fault of the sheet.
func (p *Processor) Validate() fault.List {
	var f fault.List
	p.validate(&f)
	if p.Style != StyleCeiling {
		f.Add("style", "use \"ceiling\" (PPT, TDC, EDC)", "%q is no style of limits known here", p.Style)
	}
	if len(p.Clusters) == 0 {
		f.Add("clusters", "name at least one cluster of cores", "the list is empty")
	}
	for i, c := range p.Clusters {
		at := fmt.Sprintf("clusters[%d]", i)
		if c.Cores < 1 || c.Cores > MaxCores {
			f.Add(at+".cores", "give 1 to 64", "%d cores", c.Cores)
		}
		if c.Kind != "performance" && c.Kind != "efficiency" {
			f.Add(at+".kind", "use \"performance\" or \"efficiency\"", "%q is no kind of core", c.Kind)
		}
	}
	if n := p.Cores(); n > MaxCores {
		f.Add("clusters", "give at most 64 cores in all", "%d cores", n)
	}
	within := func(field string, x, low, high float64, unit string) {
		if !(x >= low && x <= high) {
			f.Add(field, fmt.Sprintf("give %g to %g %s", low, high, unit), "%g %s is out of range", x, unit)
		}
	}
	within("threadsPerCore", float64(p.ThreadsPerCore), 1, 2, "threads")
	within("baseClockMHz", p.BaseClockMHz, 50, 400, "MHz")
	within("ratioStep", p.RatioStep, 0.05, 2, "")
	within("minRatio", p.MinRatio, 1, 40, "")
	within("baseMHz", p.BaseMHz, 500, 8000, "MHz")
	within("curveStepV", p.CurveStepV, 0.0005, 0.02, "V")
	within("limits.pptW", p.Limits.PPTW, 5, 1000, "W")
	within("limits.tdcA", p.Limits.TDCA, 5, 1000, "A")
	within("limits.edcA", p.Limits.EDCA, 5, 1500, "A")
	within("limits.temperatureC", p.Limits.TemperatureC, 50, 115, "°C")
	within("voltageMaxV", p.VoltageMaxV, 0.7, 2, "V")
	within("transientMaxV", p.TransientMaxV, p.VoltageMaxV, 2.2, "V")
	within("spread.chipV", p.Spread.ChipV, 0, 0.1, "V")
	within("spread.coreV", p.Spread.CoreV, 0, 0.1, "V")
	within("spread.leakage", p.Spread.Leakage, 0, 1, "")
	within("power.switchedNF", p.Power.SwitchedNF, 0.05, 20, "nF")
	within("power.leakA", p.Power.LeakA, 0, 20, "A")
	within("power.leakPerV", p.Power.LeakPerV, 0, 12, "1/V")
	within("power.leakPerK", p.Power.LeakPerK, 0, 0.05, "1/K")
	within("power.leakV0", p.Power.LeakV0, 0.5, 1.6, "V")
	within("power.leakT0C", p.Power.LeakT0C, 0, 110, "°C")
	for _, k := range load.Kinds {
		if a, ok := p.Power.Activity[k]; !ok {
			f.Add("power.activity."+string(k), "give the share of the capacitance that this load switches", "missing")
		} else {
			within("power.activity."+string(k), a, 0, 2, "")
		}
	}
	for k := range p.Power.Activity {
		if !k.Valid() {
			f.Add("power.activity."+string(k), "remove it", "no such load")
		}
	}
	within("uncore.baseW", p.Uncore.BaseW, 0, 200, "W")
	within("uncore.perGTs", p.Uncore.PerGTs, 0, 20, "W per 1,000 MT/s")
	within("uncore.idleShare", p.Uncore.IdleShare, 0, 1, "")
	within("heat.coreKPerW", p.Heat.CoreKPerW, 0, 5, "K/W")
	within("heat.dieKPerW", p.Heat.DieKPerW, 0.01, 2, "K/W")
	within("heat.dieJPerK", p.Heat.DieJPerK, 0.5, 200, "J/K")
	within("heat.baseJPerK", p.Heat.BaseJPerK, 5, 2000, "J/K")
	within("work.perMHz", p.Work.PerMHz, 0.001, 100, "points per MHz")
	within("work.smtGain", p.Work.SMTGain, 0, 1, "")
	within("work.memoryShare", p.Work.MemoryShare, 0, 0.9, "")
	p.validateVF(&f)
	p.validateBoost(&f)
	return f
}

func (p *Processor) validateVF(f *fault.List) {
	if len(p.VF) < 3 || len(p.VF) > 32 {
		f.Add("vf", "give 3 to 32 points", "%d points", len(p.VF))
	}
	for i, pt := range p.VF {
		if !(pt.MHz > 0 && pt.MHz <= 10000) {
			f.Add(fmt.Sprintf("vf[%d].mhz", i), "give a clock up to 10,000 MHz", "%g MHz is out of range", pt.MHz)
		}
		if !(pt.V >= 0.3 && pt.V <= 2) {
			f.Add(fmt.Sprintf("vf[%d].v", i), "give 0.3 to 2 V (volts, not millivolts)", "%g V is out of range", pt.V)
		}
		if i == 0 {
			continue
		}
		if before := p.VF[i-1]; pt.MHz <= before.MHz {
			f.Add(fmt.Sprintf("vf[%d].mhz", i), "order the points by rising clock", "%g MHz follows %g MHz", pt.MHz, before.MHz)
		} else if pt.V < before.V {
			f.Add(fmt.Sprintf("vf[%d].v", i), "let the voltage rise with the clock", "%g V follows %g V", pt.V, before.V)
		}
	}
}

func (p *Processor) validateBoost(f *fault.List) {
	if len(p.Boost) == 0 {
		f.Add("boost", "give the clock ceiling for all cores at least", "the list is empty")
		return
	}
	for i, b := range p.Boost {
		at := fmt.Sprintf("boost[%d]", i)
		if !(b.MHz >= p.MinRatio*p.BaseClockMHz && b.MHz <= 10000) || math.IsNaN(b.MHz) {
			f.Add(at+".mhz", "give a clock between the lowest ratio and 10,000 MHz", "%g MHz is out of range", b.MHz)
		}
		if i > 0 && b.Cores <= p.Boost[i-1].Cores {
			f.Add(at+".cores", "order the rows by rising number of cores", "%d follows %d", b.Cores, p.Boost[i-1].Cores)
		}
		if i > 0 && b.MHz > p.Boost[i-1].MHz {
			f.Add(at+".mhz", "let the ceiling fall with more active cores", "%g MHz follows %g MHz", b.MHz, p.Boost[i-1].MHz)
		}
	}
	if last := p.Boost[len(p.Boost)-1].Cores; last != p.Cores() {
		f.Add("boost", "end with the row for all cores", "the last row is for %d of %d cores", last, p.Cores())
	}
}
