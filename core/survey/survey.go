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
	Cores []Core `json:"cores"`
	Each  Each   `json:"each,omitempty"` // what has a setting of its own; a core where none is given
	// Harsher is by how many steps more daily use asks for than trials show, by regime: what has been up for hours needs a little more.
	// DaySD is the standard deviation of how far one day's conditions move all limits, in steps.
	Harsher map[load.Regime]float64 `json:"-"`
	DaySD   float64                 `json:"-"`
	// Rails are the rails that feed the cores, by core; none where each has its own. Cores of a rail that work together stand at the
	// highest request of theirs.
	Rails  []int   `json:"rails,omitempty"`
	RailSD float64 `json:"railSd,omitempty"` // how far what cores of a rail ask for at the same setting strays, in steps
	// Asks is how much more than others of its rail each core asks for, in steps, as measured; RailSD is the doubt of that then.
	Asks []float64 `json:"asks,omitempty"`
	// Beside is what else may fail at the chip's one setting; nil for nothing.
	Beside    *Beside       `json:"-"`
	MinSteps  int           `json:"minSteps"` // the deepest that may be set
	MaxSteps  int           `json:"maxSteps"` // the shallowest
	Regimes   []load.Regime `json:"regimes"`
	Mix       int           `json:"-"` // equal parts of a day of mixed use, one for each regime; 0 for no more than these
	Prior     Prior         `json:"prior"`
	Costs     Costs         `json:"costs"`
	Risk24h   float64       `json:"risk24h"`   // the chance of a fault in a day of mixed use that is allowed
	BudgetMin float64       `json:"budgetMin"` // bench time; 0 leaves it to the survey when to stop
	Seed      uint64        `json:"seed"`
	// ClearsLeft is how many starts more may fail; nil sets no bound. Orders then do not spend more of them than their share.
	ClearsLeft *int `json:"clearsLeft,omitempty"`
	// QuickMin is within how many minutes after a leg began nobody can tell when a fault came, since a machine takes its time to warm up, to
	// fail, and to be found out; 0 for a few seconds.
	QuickMin float64 `json:"quickMin,omitempty"`

	groups [][]int   // cores that have one setting
	rails  [][]int   // cores that have one rail; none where each has its own
	even   []float64 // by how much each rail stands above its cores' setting on average, where that is the same for all
}

// Each is what has a setting of its own: every core its curve offset, every cluster, or the chip one voltage offset of its rail.
type Each string

const (
	EachCore    Each = "core"
	EachCluster Each = "cluster"
	EachChip    Each = "chip"
)

// group finds the cores that have one setting, and those that have one rail.
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
	s.rails = nil
	rails := map[int]int{}
	for c, rail := range s.Rails {
		i, known := rails[rail]
		if !known {
			i = len(s.rails)
			rails[rail], s.rails = i, append(s.rails, nil)
		}
		s.rails[i] = append(s.rails[i], c)
	}
	s.even = s.evens()
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
	// Lift is by how many steps more than is set reaches it in a regime, beyond what reaches cores at work with all others; the regime ""
	// is starting. Its limits lie as much deeper.
	Lift map[load.Regime]float64 `json:"-"`
	// Gain is the share of a step that reaches it in a regime, where that is not all of it.
	Gain map[load.Regime]float64 `json:"-"`
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
	// Apart is how far the limits of a core's regimes stray from each other, in steps; 0 for half of what cores do.
	Apart float64 `json:"apart,omitempty"`
	// RegimeSD is how far what a regime asks for strays from chip to chip, of all cores of a cluster alike, in steps.
	RegimeSD float64 `json:"regimeSd,omitempty"`
	// Start is by how many steps deeper than a core's own limit the one lies at which it no longer starts, as a negative figure, and
	// StartSD how far that strays; 0 for what is usual.
	Start   float64 `json:"start,omitempty"`
	StartSD float64 `json:"startSd,omitempty"`
}

func (p *Prior) start() (mean, sd float64) {
	mean, sd = p.Start, p.StartSD
	if mean == 0 {
		mean = postMean
	}
	if sd == 0 {
		sd = postSD
	}
	return mean, sd
}

func (p *Prior) apart() float64 {
	if p.Apart > 0 {
		return p.Apart
	}
	return apart * p.CoreSD
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
	// Shift is by how many steps shallower the cores stood than they would were all of them at work; of past trials alone.
	Shift float64 `json:"-"`
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
	s.setup.addBeside()
	s.setup.group()
	s.belief = newBelief(&s.setup)
	return s, nil
}

// Progress is how far a survey has come, beside what it believes.
type Progress struct {
	SpentMin float64 `json:"spentMin"`
	Orders   int     `json:"orders"`
	Hour     float64 `json:"hour"` // as HourBuys
}

// Progress returns how far the survey has come.
func (s *Survey) Progress() Progress { return Progress{s.spent, s.orders, s.hour} }

// Resume goes on with a survey that was begun before, with what it learnt since told by Learn.
func (s *Survey) Resume(p Progress) {
	s.spent, s.orders = p.SpentMin, p.Orders
	if p.Orders > 0 {
		s.hour = p.Hour
	}
}

const (
	mostCores = 128
	mostSteps = 300
	mostGain  = 10
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
		f = append(f, checkSteps("lift", c.Lift).Under(fmt.Sprintf("cores[%d]", i))...)
		for regime, gain := range c.Gain {
			if !(gain >= 0 && gain <= mostGain) || len(s.Rails) > 0 {
				f.Add(fmt.Sprintf("cores[%d].gain.%s", i, regime), fmt.Sprintf("give 0 to %d, of cores that share no rail", mostGain), "%g", gain)
			}
		}
	}
	if s.MinSteps >= s.MaxSteps || s.MinSteps < -mostSteps || s.MaxSteps > mostSteps {
		f.Add("minSteps", fmt.Sprintf("give a range within ±%d steps", mostSteps), "%d to %d", s.MinSteps, s.MaxSteps)
	}
	if n := len(s.Rails); n > 0 && n != len(s.Cores) {
		f.Add("rails", "name the rail of each core, or none", "%d for %d cores", n, len(s.Cores))
	}
	if n := len(s.Asks); n > 0 && n != len(s.Cores) {
		f.Add("asks", "tell what each core asks for, or of none", "%d for %d cores", n, len(s.Cores))
	}
	for i, x := range s.Asks {
		if !(math.Abs(x) <= mostSteps) {
			f.Add(fmt.Sprintf("asks[%d]", i), fmt.Sprintf("give steps within ±%d", mostSteps), "%g", x)
		}
	}
	if b := s.Beside; b != nil && (s.Each != EachChip || !(b.SD >= 0.1 && b.SD <= 50)) {
		f.Add("beside", "give a spread of 0.1 to 50 steps, of a chip with one setting", "%g steps of %q", b.SD, s.Each)
	} else if b != nil {
		f = append(f, checkSteps("beside.lift", b.Lift)...)
	}
	if !slices.Contains([]Each{"", EachCore, EachCluster, EachChip}, s.Each) {
		f.Add("each", "give core, cluster or chip", "%.40q", s.Each)
	}
	if len(s.Regimes) == 0 {
		f.Add("regimes", "name at least one", "none")
	}
	for i, r := range s.Regimes {
		if _, known := loads[r]; !known {
			f.Add(fmt.Sprintf("regimes[%d]", i), "give heavy, light, transition, idle or memory", "%.40q", r)
		}
	}
	within := func(field string, x, least, most float64) {
		if !(x >= least && x <= most) {
			f.Add(field, fmt.Sprintf("give %g to %g", least, most), "%g", x)
		}
	}
	within("mix", float64(s.Mix), 0, 10)
	within("prior.limitMean", s.Prior.LimitMean, -mostSteps, mostSteps)
	within("prior.chipSd", s.Prior.ChipSD, 0.1, 50)
	within("prior.clusterSd", s.Prior.ClusterSD, 0, 50)
	within("prior.coreSd", s.Prior.CoreSD, 0.1, 50)
	within("prior.slope", s.Prior.Slope, 0, 20)
	within("prior.slopeSd", s.Prior.SlopeSD, 0, 2)
	within("prior.apart", s.Prior.Apart, 0, 50)
	within("prior.regimeSd", s.Prior.RegimeSD, 0, 50)
	within("railSd", s.RailSD, 0, 20)
	within("prior.start", s.Prior.Start, -50, 0)
	within("prior.startSd", s.Prior.StartSD, 0, 20)
	within("quickMin", s.QuickMin, 0, 5)
	within("costs.restartMin", s.Costs.RestartMin, 0, 600)
	within("costs.crashMin", s.Costs.CrashMin, 0, 600)
	within("costs.clearMin", s.Costs.ClearMin, 0, 600)
	within("risk24h", s.Risk24h, 1e-6, 0.5)
	within("budgetMin", s.BudgetMin, 0, 1e6)
	return f.Err()
}

// loads are the loads that probe a regime.
var loads = map[load.Regime]load.Kind{load.RegimeHeavy: load.Heavy, load.RegimeLight: load.Light,
	load.RegimeTransition: load.Transition, load.RegimeIdle: load.Idle, load.RegimeMemory: load.Memory}

// Spent is the bench time that the survey has taken, in minutes.
func (s *Survey) Spent() float64 { return s.spent }

// Take tells the survey what came of its last order.
func (s *Survey) Take(o Outcome) error {
	if s.last == nil {
		return fmt.Errorf("no order is out")
	}
	if err := s.check(&s.last.order, &o).Err(); err != nil {
		return err
	}
	s.spent += s.setup.Costs.Of(&o)
	s.belief.see(&s.last.order, &o, Shift{})
	s.belief.settle()
	s.last, s.worlds = nil, nil
	return nil
}

func (s *Survey) check(order *Order, o *Outcome) (f invalid.List) {
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
			if l.Core != nil && (*l.Core < 0 || *l.Core >= s.setup.asked()) {
				f.Add(at+".core", fmt.Sprintf("give 0 to %d", s.setup.asked()-1), "%d", *l.Core)
			}
		default:
			f.Add(at+".verdict", "give held, miscalculated, core dropped, froze, restarted or not run", "%.40q", l.Verdict)
		}
	}
	return f
}

// Of returns the minutes that an outcome took.
func (c *Costs) Of(o *Outcome) float64 {
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
