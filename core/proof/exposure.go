package proof

import (
	"slices"

	"zerokeel/core/load"
	"zerokeel/core/verdict"
)

// Regimes lists those in which a trim has to hold. The memory's is no matter of a core, and a matter of trims that change the
// memory only.
var Regimes = []load.Regime{load.RegimeHeavy, load.RegimeLight, load.RegimeTransition, load.RegimeIdle}

// needs is for how many seconds every core must have held in each regime, by grade. The least are little, so that the quick ladder
// makes them; the others are what the work shows: faults that minutes do not find, hours do.
var needs = map[Standing]map[load.Regime]float64{
	Tried:  {load.RegimeHeavy: 60, load.RegimeLight: 3, load.RegimeTransition: 60, load.RegimeIdle: 60},
	Held:   {load.RegimeHeavy: 1800, load.RegimeLight: 240, load.RegimeTransition: 1800, load.RegimeIdle: 3600},
	Proven: {load.RegimeHeavy: 3 * 3600, load.RegimeLight: 900, load.RegimeTransition: 2 * 3600, load.RegimeIdle: 8 * 3600},
}

// shortestShare is the share of what is needed that is enough: clocks of rig and server differ by less.
const shortestShare = 0.98

// Exposed is for how long a regime was stood, by each core at least, in seconds.
type Exposed struct {
	Regime load.Regime `json:"regime"`
	LeastS float64     `json:"leastS"`
}

// Fault is one that stands: the regime and core have not held long enough since.
type Fault struct {
	Verdict verdict.Verdict `json:"verdict"`
	Regime  load.Regime     `json:"regime"` // empty where it was under no load
	Core    int             `json:"core"`   // −1 where none is to blame
	AtS     float64         `json:"atS"`
	HeldS   float64         `json:"heldS"` // since then, in the same regime and by the same core, or by each
	NeedS   float64         `json:"needS"`
}

// Proof is what a trim has stood since it last failed.
type Proof struct {
	Cores   int       `json:"cores"` // that run under the trim
	SumS    float64   `json:"sumS"`  // of all legs together
	Exposed []Exposed `json:"exposed"`
	Fault   *Fault    `json:"fault,omitempty"`
}

// Standing is the best grade that the exposure makes; Fitted for none, Failed while a fault stands.
func (p *Proof) Standing() Standing {
	if p.Fault != nil {
		return Failed
	}
	for i := len(grades) - 1; i >= 0; i-- {
		if len(p.missing(grades[i])) == 0 {
			return grades[i]
		}
	}
	return Fitted
}

// Missing is what lacks in a regime, in seconds, and for how long a ladder that fills it runs.
type Missing struct {
	Regime load.Regime `json:"regime"`
	PerS   float64     `json:"perS"` // for each core
	TakesS float64     `json:"takesS"`
}

// Next returns the next grade, and what is missing to it: the same of a fault that stands, until which no grade counts. The grade
// is empty when there is none above.
func (p *Proof) Next() (Standing, []Missing) {
	if f := p.Fault; f != nil {
		m := Missing{Regime: f.Regime, PerS: f.NeedS - f.HeldS, TakesS: f.NeedS - f.HeldS}
		if f.Regime == "" {
			m.Regime = load.RegimeHeavy
		}
		if f.Regime == load.RegimeLight {
			m.TakesS *= float64(max(1, p.Cores))
		}
		return Fitted, []Missing{m}
	}
	for _, g := range grades {
		if m := p.missing(g); len(m) > 0 {
			return g, m
		}
	}
	return "", nil
}

func (p *Proof) missing(to Standing) []Missing {
	var out []Missing
	for _, regime := range Regimes {
		need, has := needs[to][regime], 0.0
		for _, e := range p.Exposed {
			if e.Regime == regime {
				has = e.LeastS
			}
		}
		if has >= shortestShare*need {
			continue
		}
		m := Missing{Regime: regime, PerS: need - has, TakesS: need - has}
		if regime == load.RegimeLight {
			m.TakesS *= float64(max(1, p.Cores))
		}
		out = append(out, m)
	}
	return out
}

// ninetyFive is −ln 0.05: a fault that comes so many times on average in some time is missed once in twenty times.
const ninetyFive = 2.9957

// BoundS is the least time between two faults, in seconds, that no fault in s seconds allows at 95 %, whatever else is assumed but
// that they come at random.
func BoundS(s float64) float64 { return s / ninetyFive }

// tally sums up exposure.
type tally struct {
	of   map[load.Regime]map[int]float64
	sumS float64
}

func (t *tally) add(l *Leg) {
	if t.of == nil {
		t.of = map[load.Regime]map[int]float64{}
	}
	regime := l.Load.Regime()
	if t.of[regime] == nil {
		t.of[regime] = map[int]float64{}
	}
	for i, core := range l.Cores {
		if i < len(l.Result.Exposure) {
			t.of[regime][core] += l.Result.Exposure[i]
		}
	}
	t.sumS += l.Result.AtS
}

// least returns for how long each of some cores stood a regime at least.
func (t *tally) least(regime load.Regime, cores []int) float64 {
	least := 0.0
	for i, core := range cores {
		if s := t.of[regime][core]; i == 0 || s < least {
			least = s
		}
	}
	return least
}

// proof sums up for the cores that run.
func (t *tally) proof(cores []int) Proof {
	slices.Sort(cores)
	cores = slices.Compact(cores)
	p := Proof{Cores: len(cores), SumS: t.sumS, Exposed: []Exposed{}}
	for _, regime := range Regimes {
		if s := t.least(regime, cores); s > 0 {
			p.Exposed = append(p.Exposed, Exposed{regime, s})
		}
	}
	return p
}
