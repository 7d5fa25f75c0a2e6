package part

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zerokeel/core/invalid"
	"zerokeel/core/load"
)

// Style is a family of limits.
type Style string

// StyleCeiling limits package power (PPT), sustained current (TDC) and peak current (EDC), and boosts up
// to a clock ceiling that depends on how many cores are active. StyleWindow limits the running average of
// package power over a time window (PL1, tau), power at any moment (PL2) and current (ICCmax).
const (
	StyleCeiling Style = "ceiling"
	StyleWindow  Style = "window"
)

// Rails says how the cores are fed.
type Rails string

const (
	RailsShared  Rails = "shared"  // one rail for all: it stands at the highest request of any of them
	RailsCluster Rails = "cluster" // each cluster stands at its own request, behind one load line
)

// Processor is the sheet of a processor model.
type Processor struct {
	Name
	Style          Style     `json:"style"`
	Locked         []string  `json:"locked,omitempty"` // settings that the part ignores, by the start of their keys
	Rails          Rails     `json:"rails,omitempty"`  // empty means shared
	Clusters       []Cluster `json:"clusters"`
	ThreadsPerCore int       `json:"threadsPerCore"` // 1 or 2
	BaseClockMHz   float64   `json:"baseClockMHz"`
	RatioStep      float64   `json:"ratioStep"` // smallest step of a core ratio, such as 0.25
	MinRatio       float64   `json:"minRatio"`
	BaseMHz        float64   `json:"baseMHz"` // clock that the maker promises on all cores
	Boost          []Boost   `json:"boost"`   // clock ceiling by active cores
	VF             []VFPoint `json:"vf"`      // fused voltage/frequency points of a typical chip
	Spread         Spread    `json:"spread"`
	CurveStepV     float64   `json:"curveStepV"`            // volts per curve step
	Limits         Limits    `json:"limits"`                // as the maker specifies them
	VoltageMinV    float64   `json:"voltageMinV,omitempty"` // below which no offset lowers the request; 0 where there is none
	ManualLifts    bool      `json:"manualLifts,omitempty"` // a core ratio set by hand lifts the package limits (ceiling style)
	VoltageMaxV    float64   `json:"voltageMaxV"`
	TransientMaxV  float64   `json:"transientMaxV"`
	Power          CorePower `json:"power"`
	Uncore         Uncore    `json:"uncore"`
	Ring           *Ring     `json:"ring,omitempty"`
	Heat           DieHeat   `json:"heat"`
	Work           Work      `json:"work"`
}

// Kinds of core.
const (
	KindPerformance = "performance"
	KindEfficiency  = "efficiency"
)

// Cluster is a group of cores on one die or of one kind. What is left out is as the processor's.
type Cluster struct {
	Name        string    `json:"name"`
	Kind        string    `json:"kind"` // "performance" or "efficiency"
	Cores       int       `json:"cores"`
	Threads     int       `json:"threads,omitempty"`     // per core
	Boost       []Boost   `json:"boost,omitempty"`       // clock ceiling by active cores of this cluster
	VF          []VFPoint `json:"vf,omitempty"`          // fused points of a typical chip
	VoltageMaxV float64   `json:"voltageMaxV,omitempty"` // its own ceiling, as under a stacked cache
	Size        float64   `json:"size,omitempty"`        // capacitance and leakage against those of CorePower; 0 means 1
	Work        float64   `json:"work,omitempty"`        // work per MHz against Work.PerMHz; 0 means 1
}

// SizeFactor returns Size, 1 where it is left out.
func (c *Cluster) SizeFactor() float64 { return orOne(c.Size) }

// WorkFactor returns Work, 1 where it is left out.
func (c *Cluster) WorkFactor() float64 { return orOne(c.Work) }

func orOne(x float64) float64 {
	if x == 0 {
		return 1
	}
	return x
}

// Ring is the interconnect of cores and cache, where it has a clock and a power of its own.
type Ring struct {
	MHz     float64 `json:"mhz"`     // as delivered
	V       float64 `json:"v"`       // requested at that clock
	VPerGHz float64 `json:"vPerGHz"` // more for each GHz more
	W       float64 `json:"w"`       // drawn at that clock and voltage
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
	ChipV    float64 `json:"chipV"`
	CoreV    float64 `json:"coreV"`
	ClusterV float64 `json:"clusterV,omitempty"`
	Leakage  float64 `json:"leakage"`
	CoreR    float64 `json:"coreR,omitempty"` // of the cores' resistances to the die, as a share
}

// Limits are the maker's limits: PPT, TDC and EDC in the ceiling style, PL1, PL2, tau and ICCmax in the window
// style, and the temperature limit in both.
type Limits struct {
	PPTW         float64 `json:"pptW,omitempty"`
	TDCA         float64 `json:"tdcA,omitempty"`
	EDCA         float64 `json:"edcA,omitempty"`
	PL1W         float64 `json:"pl1W,omitempty"`
	PL2W         float64 `json:"pl2W,omitempty"`
	TauS         float64 `json:"tauS,omitempty"`
	ICCMaxA      float64 `json:"iccMaxA,omitempty"`
	TemperatureC float64 `json:"temperatureC"`
}

// CorePower holds the constants of the power model (package power): switched capacitance per core and the
// leakage current I0·exp(α(V−V0)+β(T−T0)).
type CorePower struct {
	SwitchedNF float64               `json:"switchedNF"`
	Activity   map[load.Kind]float64 `json:"activity"`            // share of SwitchedNF that a load switches, 0 to 2
	OneThread  float64               `json:"oneThread,omitempty"` // share of the switching left with one thread of two; 0 means 0.83
	LeakA      float64               `json:"leakA"`
	LeakPerV   float64               `json:"leakPerV"`
	LeakPerK   float64               `json:"leakPerK"`
	LeakV0     float64               `json:"leakV0"`
	LeakT0C    float64               `json:"leakT0C"`
}

// OneThreadShare returns OneThread, that of common cores where it is left out.
func (c *CorePower) OneThreadShare() float64 {
	if c.OneThread == 0 {
		return 0.83
	}
	return c.OneThread
}

// Uncore is what the processor draws beside its cores: a base and shares that grow with memory rate and fabric
// clock. FabricMHz and SoCV are as delivered; zero means that there is no such clock, or that the rail is not
// known.
type Uncore struct {
	BaseW     float64 `json:"baseW"`
	PerGTs    float64 `json:"perGTs"`    // W per 1,000 MT/s
	IdleShare float64 `json:"idleShare"` // share of all that remains when idle
	FabricMHz float64 `json:"fabricMHz,omitempty"`
	FabricMax float64 `json:"fabricMaxMHz,omitempty"` // highest that keeps step with the memory controller
	FabricPer float64 `json:"fabricPer,omitempty"`    // fabric clock against the memory's own (MT/s ÷ 2) where both keep step; 0 means 2/3
	PerGHz    float64 `json:"perGHz,omitempty"`       // W per GHz of fabric clock
	SoCV      float64 `json:"socV,omitempty"`
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

// FirstCore returns the number of a cluster's first core.
func (p *Processor) FirstCore(cluster int) int {
	n := 0
	for _, c := range p.Clusters[:cluster] {
		n += c.Cores
	}
	return n
}

// CeilingMHz returns the sheet's clock ceiling with n active cores.
func (p *Processor) CeilingMHz(n int) float64 { return ceiling(p.Boost, n) }

// ClusterCeilingMHz returns the sheet's clock ceiling of a cluster's cores: by its own table and active cores where
// it has one, else by the processor's.
func (p *Processor) ClusterCeilingMHz(cluster, activeHere, active int) float64 {
	if own := p.Clusters[cluster].Boost; len(own) > 0 {
		return ceiling(own, activeHere)
	}
	return p.CeilingMHz(active)
}

func ceiling(table []Boost, n int) float64 {
	for _, b := range table {
		if n <= b.Cores {
			return b.MHz
		}
	}
	return table[len(table)-1].MHz
}

// HighestMHz returns the highest clock of the sheet, of any core kind.
func (p *Processor) HighestMHz() float64 {
	top := p.CeilingMHz(1)
	for i := range p.Clusters {
		top = max(top, p.ClusterCeilingMHz(i, 1, 1))
	}
	return top
}

// ClusterVF returns the fused points of a cluster.
func (p *Processor) ClusterVF(cluster int) []VFPoint {
	if own := p.Clusters[cluster].VF; len(own) > 0 {
		return own
	}
	return p.VF
}

// ClusterMaxV returns the voltage ceiling of a cluster.
func (p *Processor) ClusterMaxV(cluster int) float64 {
	if own := p.Clusters[cluster].VoltageMaxV; own > 0 {
		return own
	}
	return p.VoltageMaxV
}

// ClusterThreads returns the threads per core of a cluster.
func (p *Processor) ClusterThreads(cluster int) int {
	if own := p.Clusters[cluster].Threads; own > 0 {
		return own
	}
	return p.ThreadsPerCore
}

// HasKind reports whether the processor has cores of a kind.
func (p *Processor) HasKind(kind string) bool {
	return slices.ContainsFunc(p.Clusters, func(c Cluster) bool { return c.Kind == kind })
}

// Locks reports whether the part ignores a setting.
func (p *Processor) Locks(key string) bool {
	return slices.ContainsFunc(p.Locked, func(start string) bool { return key == start || strings.HasPrefix(key, start+".") })
}

// TripAboveC is how far above its temperature limit, in °C, a processor switches itself off, unless told otherwise.
const TripAboveC = 15.0

// HardTripC is the temperature at which the processor switches itself off.
func (p *Processor) HardTripC() float64 { return p.Limits.TemperatureC + TripAboveC }

// MaxCores is the largest number of cores that the models take.
const MaxCores = 64

// Validate lists every fault of the sheet.
func (p *Processor) Validate() invalid.List {
	var f invalid.List
	p.validate(&f)
	if p.Rails != "" && p.Rails != RailsShared && p.Rails != RailsCluster {
		f.Add("rails", "use \"shared\" or \"cluster\"", "%q is no way to feed cores", p.Rails)
	}
	if len(p.Clusters) == 0 {
		f.Add("clusters", "name at least one cluster of cores", "the list is empty")
	}
	for i, c := range p.Clusters {
		at := fmt.Sprintf("clusters[%d]", i)
		if c.Cores < 1 || c.Cores > MaxCores {
			f.Add(at+".cores", "give 1 to 64", "%d cores", c.Cores)
		}
		if c.Kind != KindPerformance && c.Kind != KindEfficiency {
			f.Add(at+".kind", "use \"performance\" or \"efficiency\"", "%q is no kind of core", c.Kind)
		}
		if len(c.Boost) > 0 {
			p.validateBoost(&f, at+".boost", c.Boost, c.Cores)
		}
		if len(c.VF) > 0 {
			validateVF(&f, at+".vf", c.VF)
		}
		if c.Threads < 0 || c.Threads > 2 {
			f.Add(at+".threads", "give 1 or 2, or leave it out", "%d threads", c.Threads)
		}
		for _, x := range []struct {
			field          string
			x, least, most float64
		}{{"size", c.Size, 0.05, 4}, {"work", c.Work, 0.05, 4}, {"voltageMaxV", c.VoltageMaxV, 0.7, p.VoltageMaxV}} {
			if x.x != 0 && !(x.x >= x.least && x.x <= x.most) {
				f.Add(at+"."+x.field, fmt.Sprintf("give %g to %g, or leave it out", x.least, x.most), "%g is out of range", x.x)
			}
		}
	}
	if n := p.Cores(); n > MaxCores {
		f.Add("clusters", "give at most 64 cores in all", "%d cores", n)
	}
	if p.Style != StyleCeiling && p.Style != StyleWindow {
		f.Add("style", "use \"ceiling\" (PPT, TDC, EDC) or \"window\" (PL1, PL2, tau, ICCmax)", "%q is no style of limits known here", p.Style)
	}
	within(&f, p, processorFigures, p.Style)
	if l := p.Limits; p.Style == StyleWindow && l.PL2W < l.PL1W {
		f.Add("limits.pl2W", "give at least PL1", "%g W is below PL1, %g W", l.PL2W, l.PL1W)
	}
	if p.TransientMaxV < p.VoltageMaxV {
		f.Add("transientMaxV", "give at least voltageMaxV", "%g V is below the highest voltage, %g V", p.TransientMaxV, p.VoltageMaxV)
	}
	if p.ManualLifts && p.Style != StyleCeiling {
		f.Add("manualLifts", "leave it out", "limits of the window style hold whatever the ratio")
	}
	for _, k := range load.Classes {
		if _, ok := p.Power.Activity[k]; !ok {
			f.Add("power.activity."+string(k), "give the share of the capacitance that this load switches", "missing")
		}
	}
	for k := range p.Power.Activity {
		if !slices.Contains(load.Classes, k) {
			f.Add("power.activity."+string(k), "remove it", "part sheets tell of no such load")
		}
	}
	validateVF(&f, "vf", p.VF)
	p.validateBoost(&f, "boost", p.Boost, p.Cores())
	return f
}

func validateVF(f *invalid.List, field string, points []VFPoint) {
	if len(points) < leastPoints || len(points) > mostVF {
		f.Add(field, "give 3 to 32 points", "%d points", len(points))
	}
	for i, pt := range points {
		if !(pt.MHz > 0 && pt.MHz <= mostPointMHz) {
			f.Add(fmt.Sprintf("%s[%d].mhz", field, i), "give a clock up to 10,000 MHz", "%g MHz is out of range", pt.MHz)
		}
		if !(pt.V >= leastPointV && pt.V <= mostPoint) {
			f.Add(fmt.Sprintf("%s[%d].v", field, i), "give 0.3 to 2 V (volts, not millivolts)", "%g V is out of range", pt.V)
		}
		if i == 0 {
			continue
		}
		if before := points[i-1]; pt.MHz <= before.MHz {
			f.Add(fmt.Sprintf("%s[%d].mhz", field, i), "order the points by rising clock", "%g MHz follows %g MHz", pt.MHz, before.MHz)
		} else if pt.V < before.V {
			f.Add(fmt.Sprintf("%s[%d].v", field, i), "let the voltage rise with the clock", "%g V follows %g V", pt.V, before.V)
		}
	}
}

func (p *Processor) validateBoost(f *invalid.List, field string, table []Boost, cores int) {
	if len(table) == 0 {
		f.Add(field, "give the clock ceiling for all cores at least", "the list is empty")
		return
	}
	for i, b := range table {
		at := fmt.Sprintf("%s[%d]", field, i)
		if !(b.MHz >= p.MinRatio*p.BaseClockMHz && b.MHz <= mostPointMHz) || math.IsNaN(b.MHz) {
			f.Add(at+".mhz", "give a clock between the lowest ratio and 10,000 MHz", "%g MHz is out of range", b.MHz)
		}
		if i > 0 && b.Cores <= table[i-1].Cores {
			f.Add(at+".cores", "order the rows by rising number of cores", "%d follows %d", b.Cores, table[i-1].Cores)
		}
		if i > 0 && b.MHz > table[i-1].MHz {
			f.Add(at+".mhz", "let the ceiling fall with more active cores", "%g MHz follows %g MHz", b.MHz, table[i-1].MHz)
		}
	}
	if last := table[len(table)-1].Cores; last != cores {
		f.Add(field, "end with the row for all cores", "the last row is for %d of %d cores", last, cores)
	}
}
