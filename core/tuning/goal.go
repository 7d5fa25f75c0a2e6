// Package tuning draws up whole tunings: what is done, in the order of the work, to bring a machine from how it stands to what its
// builder wants of it. A plan tells what each step is for, what it costs, and why a step is left out; what a step changes is worked out
// from where the machine stands when it is come to.
package tuning

import (
	"slices"

	"zerokeel/core/sounding"
)

// Goal is what a builder wants of a machine.
type Goal string

// The goals.
const (
	Cool      Goal = "cool"
	Quiet     Goal = "quiet"
	FastAll   Goal = "fast on all cores"
	FastFew   Goal = "fast on few cores"
	Steady    Goal = "steady"
	Frugal    Goal = "frugal"
	Overclock Goal = "overclock"
)

// Kind is what a step does.
type Kind string

// The kinds of steps.
const (
	Baseline   Kind = "baseline"   // what the machine does as it stands
	Memory     Kind = "memory"     // the kit's rated profile, proven by itself
	Limits     Kind = "limits"     // of power, current and temperature
	Clocks     Kind = "clocks"     // the highest clock, raised
	Ratio      Kind = "ratio"      // one clock for all cores, at one voltage
	LoadLine   Kind = "load line"  // a survey of the lowest AC load line that holds
	Depths     Kind = "depths"     // a survey of how deep each core goes, or how low that voltage
	Bands      Kind = "bands"      // a survey of the curve bands below the highest clock
	Power      Kind = "power"      // the sustained limit, lowered as far as the speed allows
	Fans       Kind = "fans"       // slower, as far as the temperature allows
	Proof      Kind = "proof"      // of where the steps before led to
	Comparison Kind = "comparison" // with the baseline, interleaved
)

// Measure is a step of measuring a machine up, which is no tuning: a pilot carries it out alike. MeasureUp is what it is for.
const (
	Measure   Kind = "measure"
	MeasureUp Goal = "measure up"
)

// Valid reports whether there is such a kind.
func (k Kind) Valid() bool {
	return slices.ContainsFunc(goals, func(g goal) bool { return slices.Contains(g.kinds, k) })
}

// surveyed is what the kinds that survey look for beside what a plan is for, and the share of the time for surveys that each takes.
var surveyed = map[Kind]struct {
	what  sounding.What
	share float64
}{LoadLine: {sounding.ACLine, 0.25}, Depths: {sounding.Depths, 0.6}, Bands: {sounding.Bands, 0.15}}

// Surveys reports whether a step of a kind is a survey.
func (k Kind) Surveys() bool { _, is := surveyed[k]; return is }

// What is what a survey of a kind looks for, in a plan for something.
func (k Kind) What(plan sounding.What) sounding.What {
	if k == Depths {
		return plan
	}
	return surveyed[k].what
}

// goal says what a goal takes.
type goal struct {
	Goal  Goal
	wants string
	kinds []Kind
	keep  float64 // share of the speed that a lower power limit must leave; 0 where none is lowered
	had   bool    // of the speed that the machine had before the tuning, instead of what it has with its depths
}

// goals are listed as they are offered.
var goals = []goal{
	{Cool, "Less heat and fewer watts, at no loss of speed but what a board's excess of power gave it.",
		[]Kind{Baseline, Memory, Limits, Depths, Bands, Power, Proof, Comparison}, 1, true},
	{Quiet, "As cool as it was, with slower fans; a few percent of speed may go.",
		[]Kind{Baseline, Memory, Limits, Depths, Bands, Power, Fans, Proof, Comparison}, 0.97, false},
	{FastAll, "More speed on all cores for the watts that are allowed.",
		[]Kind{Baseline, Memory, Limits, Depths, Bands, Proof, Comparison}, 0, false},
	{FastFew, "A higher clock on few cores, at the lowest voltage that holds it.",
		[]Kind{Baseline, Memory, Limits, Clocks, Depths, Proof, Comparison}, 0, false},
	{Steady, "An end to crashes: back inside the maker's limits, the lowest AC load line that holds, more voltage where a core needs it.",
		[]Kind{Baseline, Limits, LoadLine, Depths, Proof}, 0, false},
	{Frugal, "The most work for a watt; a tenth of the speed may go.",
		[]Kind{Baseline, Memory, Limits, Depths, Bands, Power, Proof, Comparison}, 0.9, false},
	{Overclock, "One clock for all cores, as high as the bounds allow, at the lowest voltage that holds it.",
		[]Kind{Baseline, Memory, Limits, Ratio, Depths, Proof, Comparison}, 0, false},
}

// Goals lists every goal, in the order in which they are offered.
func Goals() []Goal {
	out := make([]Goal, len(goals))
	for i := range goals {
		out[i] = goals[i].Goal
	}
	return out
}

// Valid reports whether there is such a goal.
func (g Goal) Valid() bool { return g.at() != nil }

// Wants says what the goal is, in a sentence.
func (g Goal) Wants() string {
	if at := g.at(); at != nil {
		return at.wants
	}
	return ""
}

func (g Goal) at() *goal {
	i := slices.IndexFunc(goals, func(one goal) bool { return one.Goal == g })
	if i < 0 {
		return nil
	}
	return &goals[i]
}
