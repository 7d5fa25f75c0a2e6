package tuning

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zerokeel/core/ladder"
	"zerokeel/core/load"
	"zerokeel/core/part"
	"zerokeel/core/survey"
	"zerokeel/core/trim"
	"zerokeel/core/yardstick"
)

// Ask is what a tuning is asked for, and the bounds that it keeps.
type Ask struct {
	Goal       Goal
	Before     trim.Settings // with which the machine runs as it is asked for
	Minutes    float64       // of bench time for all of it
	ProofMin   float64       // what the proof takes of it
	MostClears int           // starts that may fail
	MostW      float64       // that the package may draw; 0 leaves it to the maker's limits
	MostC      float64       // of the hottest core; 0 leaves it to the maker's limit
	MostV      float64       // of the core voltage; 0 leaves it to the maker's
	Leave      []Kind        // steps that are left out
	NoDepths   string        // why there is nothing to survey; empty where there is
}

// more reports whether the goal takes as many watts as are allowed, beyond the maker's.
func (a *Ask) more() bool { return a.Goal == FastAll || a.Goal == Overclock }

func (a *Ask) mostC(p *part.Processor) float64 {
	if a.MostC > 0 {
		return a.MostC
	}
	return p.Limits.TemperatureC
}

// Step is one of a plan.
type Step struct {
	Kind Kind
	Change
	Trial    []ladder.Step // what tries it; none where a survey, a ladder or a session does
	Minutes  float64
	Restarts float64 // expected, as are clears
	Clears   float64
	Wrong    string // what could go wrong
}

// Plan is a tuning, drawn before it begins.
type Plan struct {
	Steps    []Step
	Minutes  float64
	Restarts float64
	Clears   float64
}

// Comparison is made with these, and so many runs of each under each trim.
var (
	Compared     = []string{yardstick.Burst, "single-core"}
	ComparedRuns = 3
)

func leg(kind load.Kind, minutes float64) ladder.Step {
	return ladder.Step{Load: kind, Seconds: 60 * minutes}
}

// trials try what a step changed, by kind.
var trials = map[Kind][]ladder.Step{
	Baseline: {leg(load.Heavy, 8), leg(load.Mixed, 5), leg(load.Light, 5), leg(load.Idle, 5)},
	Memory:   {leg(load.Memory, 12), leg(load.Mixed, 5)},
	Limits:   {leg(load.Heavy, 8), leg(load.Light, 4), leg(load.Transition, 3)},
	Power:    {leg(load.Heavy, 8), leg(load.Transition, 3)},
	Fans:     {leg(load.Heavy, 10), leg(load.Transition, 5)},
}

// Trial lists what tries a step of a kind; none where a survey, a ladder or a session does.
func (k Kind) Trial() []ladder.Step { return trials[k] }

var wrong = map[Kind]string{
	Baseline:   "It may fail or grow too hot as it stands: then that is the finding.",
	Memory:     "The memory may fail, or not come up: then it stays as it is, and the tuning goes on without.",
	Limits:     "Where the board went beyond the maker's limits, some speed goes.",
	Clocks:     "It may need so much voltage that few steps are left: the comparison tells whether it paid.",
	Ratio:      "No voltage that is allowed may hold it: then the clock comes down.",
	LoadLine:   "Crashes while many cores work; the survey of the depths after it starts from less voltage.",
	Depths:     "Crashes, and starts that fail: each of these costs a clear.",
	Bands:      "Crashes while many cores work; where they stand no less, the bands stay as they are.",
	Power:      "It may cost more speed than the models expect: the comparison tells.",
	Fans:       "It may grow warmer than the models expect: its trial ends at the temperature that is allowed.",
	Proof:      "It may fail: then the survey goes on with what that taught.",
	Comparison: "The difference may be smaller than what the runs differ by.",
}

// clearsSpent is the share of the clears allowed that a survey is expected to need.
const clearsSpent = 0.3

// leastDepthsMin is the least time that a survey is worth beginning in.
const leastDepthsMin = 30.0

// Draw draws a plan up for a machine.
func Draw(m *Machine, ask *Ask, costs survey.Costs) *Plan {
	out := &Plan{}
	at := ask.Before
	for _, kind := range ask.Goal.at().kinds {
		s := Step{Kind: kind, Wrong: wrong[kind], Trial: trials[kind]}
		s.Change = m.Change(kind, at, ask)
		if kind == Power && ask.Goal.at().had && s.Skip != "" && out.Find(Depths) != nil && m.limited(at) {
			s.Change = Change{Why: "What the depths gain in speed is taken back as watts."}
		}
		switch {
		case slices.Contains(ask.Leave, kind):
			s.Change = Change{Skip: "left out"}
		case kind == Depths && ask.NoDepths != "":
			s.Skip = ask.NoDepths
		}
		if s.Skip != "" {
			s.Trial, s.Wrong = nil, ""
			out.Steps = append(out.Steps, s)
			continue
		}
		if at = at.With(s.Settings); len(s.Settings) > 0 {
			s.Restarts = 1
		}
		for _, l := range s.Trial {
			s.Minutes += l.Seconds / 60
		}
		switch kind {
		case Baseline:
			s.Why = "What the machine does as it stands: what all that follows is held against."
		case Depths:
			s.Why = "How deep each core goes: trials that tell the most for their time, one after the other."
			s.Clears = clearsSpent * float64(ask.MostClears)
		case LoadLine:
			s.Why = "The lowest AC load line that holds: how much more voltage is asked for by current."
		case Bands:
			s.Why = "How much less cores stand while many of them work, below the clock of one alone."
		case Proof:
			s.Why, s.Minutes, s.Restarts = "A ladder of loads under the trim that came of it.", ask.ProofMin, 1
		case Comparison:
			s.Why = "Both trims by turns, so that neither the day nor its drift stands between them."
			s.Minutes, s.Restarts = comparedMin(), 2
		case Clocks, Ratio: // the survey tries it
			s.Restarts = 0
		case Power, Fans:
			if s.Restarts = 1; out.Find(Depths) != nil {
				s.Why += " Worked out anew once the depths are known."
			}
		}
		s.Minutes += s.Restarts * costs.RestartMin
		out.Steps = append(out.Steps, s)
	}
	for i := range out.Steps {
		out.Minutes += out.Steps[i].Minutes
	}
	shares, left := 0.0, ask.Minutes-out.Minutes
	for i := range out.Steps {
		if s := &out.Steps[i]; s.Skip == "" {
			shares += surveyed[s.Kind].share
		}
	}
	for i := range out.Steps {
		if s := &out.Steps[i]; s.Kind.Surveys() && s.Skip == "" {
			s.Minutes = left * surveyed[s.Kind].share / shares
			s.Restarts = max(1, s.Minutes/orderMin)
			out.Minutes = ask.Minutes
		}
		out.Restarts, out.Clears = out.Restarts+out.Steps[i].Restarts, out.Clears+out.Steps[i].Clears
	}
	return out
}

// limited reports whether the board has a limit of sustained power that counts.
func (m *Machine) limited(at trim.Settings) bool { return m.offers(m.sustained(), at) }

// orderMin is about what an order of a survey takes, its restart included.
const orderMin = 9.0

// comparedMin is how long the runs of the comparison take.
func comparedMin() float64 {
	s := 0.0
	for _, id := range Compared {
		y, _ := yardstick.Of(id)
		s += y.RestS + y.WarmS + y.TypicalS
	}
	return 2 * float64(ComparedRuns) * s / 60
}

// Find returns the step of a kind that is carried out; nil where there is none.
func (p *Plan) Find(kind Kind) *Step {
	for i := range p.Steps {
		if p.Steps[i].Kind == kind && p.Steps[i].Skip == "" {
			return &p.Steps[i]
		}
	}
	return nil
}

// Impossible says why a plan cannot serve its goal: whatever would is left out, or there is no time for it. Empty where it can.
func (p *Plan) Impossible(ask *Ask) (field, problem, remedy string) {
	serves := map[Goal][]Kind{FastFew: {Clocks}, Overclock: {Ratio}, Steady: {Limits, LoadLine, Depths}}[ask.Goal]
	if serves == nil {
		serves = []Kind{Memory, Limits, Depths, Bands, Power, Fans}
	}
	var why []string
	able := false
	for i := range p.Steps {
		s := &p.Steps[i]
		if !slices.Contains(serves, s.Kind) {
			continue
		}
		if s.Skip == "" {
			able = true
		} else {
			why = append(why, fmt.Sprintf("%s: %s", s.Kind, s.Skip))
		}
	}
	if !able {
		return "goal", fmt.Sprintf("nothing here serves the goal %s: %s", ask.Goal, strings.Join(why, "; ")),
			"choose another goal, or begin with another trim"
	}
	minutes, shares := 0.0, 0.0 // of all surveys
	for i := range p.Steps {
		if s := &p.Steps[i]; s.Skip == "" && s.Kind.Surveys() {
			minutes, shares = minutes+s.Minutes, shares+surveyed[s.Kind].share
		}
	}
	if least := leastDepthsMin * shares / surveyed[Depths].share; minutes < least {
		return "minutes", fmt.Sprintf("the other steps leave %.0f min to the survey", minutes),
			fmt.Sprintf("give %.0f or more, or leave a step out", math.Ceil(ask.Minutes+least-minutes))
	}
	if shares == 0 && p.Minutes > ask.Minutes {
		return "minutes", fmt.Sprintf("its steps take %.0f min", p.Minutes), fmt.Sprintf("give %.0f or more, or leave a step out", p.Minutes)
	}
	return "", "", ""
}
