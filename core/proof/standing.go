// Package proof tells how far a trim has come: what it was put to since it last failed, which grade that makes, what is missing
// to the next one, and what follows from it without any further assumption. A fault is not forgotten because something else
// held later.
package proof

import "zerokeel/core/verdict"

// Standing is how far a trim has come.
type Standing string

const (
	Draft  Standing = "draft"  // never fitted; may still change
	Fitted Standing = "fitted" // was in force, but not tried in every regime
	Tried  Standing = "tried"  // every core held in every regime at least once
	Held   Standing = "held"   // and for as long as settings that are a little off need to show it
	Proven Standing = "proven" // and as long as a machine needs that leaves the workshop
	Failed Standing = "failed" // a fault stands against it
)

// grades lists the standings that holding makes, the least first.
var grades = []Standing{Tried, Held, Proven}

// Holds reports whether a trim that stands so held in every regime.
func (s Standing) Holds() bool { return s == Tried || s == Held || s == Proven }

// BackTo returns the place of the trim to go back to from the one at a place, of a rig's trims by number, each with the place of its
// parent, -1 for none: the nearest of the best grade that any of those has which it descends from, or else the newest of the best
// grade among all; -1 when none ever held.
func BackTo(standings []Standing, parents []int, from int) int {
	for i := len(grades) - 1; i >= 0; i-- {
		for at, steps := parents[from], 0; at >= 0 && steps < len(parents); at, steps = parents[at], steps+1 {
			if standings[at] == grades[i] {
				return at
			}
		}
	}
	for g := len(grades) - 1; g >= 0; g-- {
		for i := len(standings) - 1; i >= 0; i-- {
			if i != from && standings[i] == grades[g] {
				return i
			}
		}
	}
	return -1
}

// Stood is how a trim stands after a trial or a fitting.
type Stood struct {
	Standing Standing
	Verdict  verdict.Verdict
	Core     int     // that failed; -1 for none
	AtS      float64 // how long it held in all since it last failed, or when it failed
	Proof    Proof
}

// NoPostStood is how a trim stands with which the machine did not come up.
func NoPostStood() Stood { return Stood{Standing: Failed, Verdict: verdict.NoPost, Core: -1} }
