// Package survey finds how deep each core of a machine may go, in little bench time, on a chip whose weakness nobody knows: what is
// believed of every core, which trial tells most for its time, and the deepest setting whose risk is what was asked for.
//
// The rate of faults of a core under a load grows exponentially as its limit is passed, with a slope that differs from chip to chip
// and is found out with the limits. Depths are in steps of the setting that is looked for: curve steps, or volts of a rail in units of
// its step; less is deeper. Times are minutes.
package survey

import (
	"fmt"
	"math"
	"slices"

	"zerokeel/core/invalid"
	"zerokeel/core/load"
	"zerokeel/core/verdict"
)

// Setup is what a survey knows before it begins.
type Setup struct {
	Cores     []Core        `json:"cores"`
	Each      Each          `json:"each,omitempty"` // what has a setting of its own; a core where none is given
	MinSteps  int           `json:"minSteps"`       // the deepest that may be set
	MaxSteps  int           `json:"maxSteps"`       // the shallowest
	Regimes   []load.Regime `json:"regimes"`
	Prior     Prior         `json:"prior"`
	Costs     Costs         `json:"costs"`
	Risk24h   float64       `json:"risk24h"`   // the chance of a fault in a day of mixed use that is allowed
	BudgetMin float64       `json:"budgetMin"` // bench time; 0 leaves it to the survey when to stop
	Seed      uint64        `json:"seed"`

	groups [][]int // cores that have one setting
}

// Each is what has a setting of its own: every core its curve offset, every cluster, or the chip one voltage offset of its rail.
type Each string

const (
	EachCore    Each = "core"
	EachCluster Each = "cluster"
	EachChip    Each = "chip"
)

// group finds the cores that have one setting.
func (s *Setup) group() {
	s.groups = nil
	at := map[int]int{}
	for c, core := range s.Cores {
		key := c
		switch s.Each {
		case EachCluster:
			key = core.Cluster
		case EachChip:
			key = 0
		}
		i, known := at[key]
		if !known {
			i = len(s.groups)
			at[key], s.groups = i, append(s.groups, nil)
		}
		s.groups[i] = append(s.groups[i], c)
	}
}

// level takes the cores of each group to the shallowest of theirs.
func (s *Setup) level(x []int) []int {
	for _, cores := range s.groups {
		most := x[cores[0]]
		for _, c := range cores {
			most = max(most, x[c])
		}
		for _, c := range cores {
			x[c] = most
		}
	}
	return x
}

// Core is a core, and the cluster that it belongs to.
type Core struct {
	Cluster int `json:"cluster"`
}

// Prior is what is believed of the limits, in steps, before anything was tried: their mean, and how far chips of the model,
// clusters of a chip and cores of a cluster stray.
type Prior struct {
	LimitMean float64 `json:"limitMean"`
	ChipSD    float64 `json:"chipSd"`
	ClusterSD float64 `json:"clusterSd"`
	CoreSD    float64 `json:"coreSd"`
	// The slope, in steps for each of which the rate falls by e, and the standard deviation of its natural logarithm; 0 where
	// nothing is known.
	Slope   float64 `json:"slope,omitempty"`
	SlopeSD float64 `json:"slopeSd,omitempty"`
}

// Costs are the minutes that a restart takes, a crash beyond it, and clearing a board that did not come up.
type Costs struct {
	RestartMin float64 `json:"restartMin"`
	CrashMin   float64 `json:"crashMin"`
	ClearMin   float64 `json:"clearMin"`
}

// Order is a trial: what to set, and the legs to run then.
type Order struct {
	Offsets []int `json:"offsets"` // by core
	Legs    []Leg `json:"legs"`
}

// Leg is a load on some cores. A light load works them in turn and shares its minutes; an idle leg exposes all.
type Leg struct {
	Load    load.Kind `json:"load"`
	Cores   []int     `json:"cores"`
	Minutes float64   `json:"minutes"`
}

// Outcome is what came of an order.
type Outcome struct {
	Posted bool       `json:"posted"`
	Legs   []LegEnded `json:"legs"`
}

// NotRun is the verdict on a leg that an earlier one's fault kept from running.
const NotRun verdict.Verdict = "not run"

// LegEnded is what came of a leg.
type LegEnded struct {
	Minutes float64         `json:"minutes"` // that it ran
	Verdict verdict.Verdict `json:"verdict"`
	Core    *int            `json:"core,omitempty"` // that failed, where that is known
}

// Survey is a survey under way. It is deterministic by its setup and the outcomes that it was told.
type Survey struct {
	setup  Setup
	belief *belief
	spent  float64 // minutes
	orders int
	hour   float64    // by how many steps an hour more would make the doubt of a core smaller
	last   *candidate // the order whose outcome is awaited
	worlds []world    // as they may be, by what was seen so far; nil until they are drawn
}

// New begins a survey; the error lists every fault of the setup.
func New(setup Setup) (*Survey, error) {
	if err := setup.validate(); err != nil {
		return nil, err
	}
	s := &Survey{setup: setup, hour: setup.Prior.ChipSD + setup.Prior.CoreSD}
	s.setup.group()
	s.belief = newBelief(&s.setup)
	return s, nil
}

const (
	mostCores = 128
	mostSteps = 300
)

func (s *Setup) validate() error {
	var f invalid.List
	if n := len(s.Cores); n == 0 || n > mostCores {
		f.Add("cores", fmt.Sprintf("name 1 to %d cores", mostCores), "%d cores", n)
	}
	for i, c := range s.Cores {
		if c.Cluster < 0 || c.Cluster >= mostCores {
			f.Add(fmt.Sprintf("cores[%d].cluster", i), "number the clusters from 0", "%d", c.Cluster)
		}
	}
	if s.MinSteps >= s.MaxSteps || s.MinSteps < -mostSteps || s.MaxSteps > mostSteps {
		f.Add("minSteps", fmt.Sprintf("give a range within ±%d steps", mostSteps), "%d to %d", s.MinSteps, s.MaxSteps)
	}
	if !slices.Contains([]Each{"", EachCore, EachCluster, EachChip}, s.Each) {
		f.Add("each", "give core, cluster or chip", "%.40q", s.Each)
	}
	if len(s.Regimes) == 0 {
		f.Add("regimes", "name at least one", "none")
	}
	for i, r := range s.Regimes {
		if _, known := loads[r]; !known {
			f.Add(fmt.Sprintf("regimes[%d]", i), "give heavy, light, transition or idle", "%.40q", r)
		}
	}
	within := func(field string, x, least, most float64) {
		if !(x >= least && x <= most) {
			f.Add(field, fmt.Sprintf("give %g to %g", least, most), "%g", x)
		}
	}
	within("prior.limitMean", s.Prior.LimitMean, -mostSteps, mostSteps)
	within("prior.chipSd", s.Prior.ChipSD, 0.1, 50)
	within("prior.clusterSd", s.Prior.ClusterSD, 0, 50)
	within("prior.coreSd", s.Prior.CoreSD, 0.1, 50)
	within("prior.slope", s.Prior.Slope, 0, 20)
	within("prior.slopeSd", s.Prior.SlopeSD, 0, 2)
	within("costs.restartMin", s.Costs.RestartMin, 0, 600)
	within("costs.crashMin", s.Costs.CrashMin, 0, 600)
	within("costs.clearMin", s.Costs.ClearMin, 0, 600)
	within("risk24h", s.Risk24h, 1e-6, 0.5)
	within("budgetMin", s.BudgetMin, 0, 1e6)
	return f.Err()
}

// loads are the loads that probe a regime.
var loads = map[load.Regime]load.Kind{load.RegimeHeavy: load.Heavy, load.RegimeLight: load.Light,
	load.RegimeTransition: load.Transition, load.RegimeIdle: load.Idle}

// Spent is the bench time that the survey has taken, in minutes.
func (s *Survey) Spent() float64 { return s.spent }

// Take tells the survey what came of its last order.
func (s *Survey) Take(o Outcome) error {
	if s.last == nil {
		return fmt.Errorf("no order is out")
	}
	if err := s.check(&s.last.order, &o); err != nil {
		return err
	}
	s.spent += s.setup.Costs.of(&o)
	s.belief.see(&s.last.order, &o)
	s.last, s.worlds = nil, nil
	return nil
}

// Learn tells the survey of a trial that it did not order: one made by hand, or earlier. It takes nothing of the bench time.
func (s *Survey) Learn(order Order, o Outcome) error {
	var f invalid.List
	if len(order.Offsets) != len(s.setup.Cores) {
		f.Add("offsets", "give one for each core", "%d for %d cores", len(order.Offsets), len(s.setup.Cores))
	}
	for i, x := range order.Offsets {
		if x < -mostSteps || x > mostSteps {
			f.Add(fmt.Sprintf("offsets[%d]", i), fmt.Sprintf("give steps within ±%d", mostSteps), "%d", x)
		}
	}
	for i, l := range order.Legs {
		if !l.Load.Valid() {
			f.Add(fmt.Sprintf("order.legs[%d].load", i), "give the kind of a load", "%.40q", l.Load)
		}
		if len(l.Cores) == 0 && l.Load != load.Idle {
			f.Add(fmt.Sprintf("order.legs[%d].cores", i), "name the cores that it ran on", "none")
		}
		for _, c := range l.Cores {
			if c < 0 || c >= len(s.setup.Cores) {
				f.Add(fmt.Sprintf("order.legs[%d].cores", i), fmt.Sprintf("give 0 to %d", len(s.setup.Cores)-1), "%d", c)
			}
		}
	}
	if err := f.Err(); err != nil {
		return err
	}
	if err := s.check(&order, &o); err != nil {
		return err
	}
	s.belief.see(&order, &o)
	s.worlds = nil
	return nil
}

func (s *Survey) check(order *Order, o *Outcome) error {
	var f invalid.List
	if o.Posted && len(o.Legs) != len(order.Legs) {
		f.Add("legs", "give one outcome for each leg of the order", "%d of %d", len(o.Legs), len(order.Legs))
	}
	for i, l := range o.Legs {
		at := fmt.Sprintf("legs[%d]", i)
		if !(l.Minutes >= 0 && l.Minutes <= 1e6) || math.IsNaN(l.Minutes) {
			f.Add(at+".minutes", "give how long it ran", "%g", l.Minutes)
		}
		switch l.Verdict {
		case verdict.Held, verdict.Froze, verdict.Restarted, NotRun:
		case verdict.Miscalculated, verdict.CoreDropped:
			if l.Core != nil && (*l.Core < 0 || *l.Core >= len(s.setup.Cores)) {
				f.Add(at+".core", fmt.Sprintf("give 0 to %d", len(s.setup.Cores)-1), "%d", *l.Core)
			}
		default:
			f.Add(at+".verdict", "give held, miscalculated, core dropped, froze, restarted or not run", "%.40q", l.Verdict)
		}
	}
	return f.Err()
}

// of returns the minutes that an outcome took.
func (c *Costs) of(o *Outcome) float64 {
	minutes := c.RestartMin
	if !o.Posted {
		return minutes + c.ClearMin
	}
	for _, l := range o.Legs {
		minutes += l.Minutes
		if l.Verdict == verdict.Froze || l.Verdict == verdict.Restarted {
			minutes += c.CrashMin
		}
	}
	return minutes
}
