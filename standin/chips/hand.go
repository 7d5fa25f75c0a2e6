package chips

import (
	"zerokeel/core/load"
	"zerokeel/core/survey"
	"zerokeel/core/verdict"
)

// Planner finds depths by orders and their outcomes.
type Planner interface {
	Next() (survey.Order, bool)
	Take(survey.Outcome) error
	Result() survey.Result
	Spent() float64
}

// Hand is the procedure that surveys are measured against, as builders have it: all cores go down in strides until something fails,
// whatever failed goes back up, step by step, until every test passes, and a guard is added at the end.
type Hand struct {
	setup survey.Setup
	guard int
	x     []int
	order survey.Order
	up    bool // something failed
	done  bool
	spent float64
}

// ByHand begins with nothing set.
func ByHand(setup survey.Setup, guard int) *Hand {
	return &Hand{setup: setup, guard: guard, x: make([]int, len(setup.Cores))}
}

// How a hand goes: strides down, steps up for a core that was named and for all where none was, and the minutes of a test.
const (
	stride   = 5
	namedUp  = 3
	nameless = 2
	mostHand = 60 // orders
)

var handTest = map[load.Kind]float64{load.Heavy: 10, load.Light: 10, load.Transition: 5, load.Idle: 5}

// Next returns the next test.
func (h *Hand) Next() (survey.Order, bool) {
	if h.done {
		return survey.Order{}, false
	}
	all := make([]int, len(h.x))
	for c := range all {
		all[c] = c
	}
	h.order = survey.Order{Offsets: append([]int(nil), h.x...)}
	for _, kind := range []load.Kind{load.Heavy, load.Light, load.Transition, load.Idle} {
		h.order.Legs = append(h.order.Legs, survey.Leg{Load: kind, Cores: all, Minutes: handTest[kind]})
	}
	return h.order, true
}

// Take goes on by what came of it.
func (h *Hand) Take(o survey.Outcome) error {
	h.spent += h.setup.Costs.Of(&o)
	raise := func(by int) {
		for c := range h.x {
			h.x[c] = min(h.setup.MaxSteps, h.x[c]+by)
		}
	}
	if !o.Posted {
		h.up = true
		raise(stride)
		return nil
	}
	for _, l := range o.Legs {
		if l.Verdict == verdict.Held || l.Verdict == survey.NotRun {
			continue
		}
		if h.up = true; l.Core != nil {
			h.x[*l.Core] = min(h.setup.MaxSteps, h.x[*l.Core]+namedUp)
		} else {
			raise(nameless)
		}
		return nil
	}
	if h.up || h.x[0]-stride < h.setup.MinSteps || h.spent > mostHand*60 {
		h.done = true
		return nil
	}
	raise(-stride)
	return nil
}

// Result is what passed, with the guard.
func (h *Hand) Result() survey.Result {
	out := survey.Result{Offsets: append([]int(nil), h.x...)}
	for c := range out.Offsets {
		out.Offsets[c] = min(h.setup.MaxSteps, out.Offsets[c]+h.guard)
	}
	return out
}

// Spent is the bench time, in minutes.
func (h *Hand) Spent() float64 { return h.spent }
