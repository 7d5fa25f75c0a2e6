package verdict

import (
	"time"

	"zerokeel/core/load"
)

// Standing is how far a trim has come.
type Standing string

const (
	Draft  Standing = "draft"  // never fitted; may still change
	Fitted Standing = "fitted" // was in force, but not proven
	Proven Standing = "proven" // what was tried held, and every regime was tried
	Failed Standing = "failed" // its last proof failed
)

// BackTo returns the place of the trim to go back to from the one at a place, of a rig's trims by number, each with the place of its
// parent, -1 for none: the nearest proven one that it descends from, or else the newest proven one; -1 when there is none.
func BackTo(standings []Standing, parents []int, from int) int {
	for at, steps := parents[from], 0; at >= 0 && steps < len(parents); at, steps = parents[at], steps+1 {
		if standings[at] == Proven {
			return at
		}
	}
	for i := len(standings) - 1; i >= 0; i-- {
		if i != from && standings[i] == Proven {
			return i
		}
	}
	return -1
}

// Stood is how a trim stands after a trial or a fitting.
type Stood struct {
	Standing Standing
	Verdict  Verdict
	Core     int     // that failed; -1 for none
	AtS      float64 // how long it held, or when it failed
	Untried  []load.Regime
}

// Tried is a trial of a trim, as far as its standing rests on it.
type Tried struct {
	Proof     bool // it ran loads; a benchmark proves nothing, but may fail
	Result    Result
	StartedAt time.Time // on the rig's clock
	Cores     []int     // that run under the trim; nil if that is not known
	Legs      []TriedLeg
}

// TriedLeg is a leg that was judged.
type TriedLeg struct {
	Load   load.Kind
	Cores  []int
	Result Result
}

// fault reports whether a trial failed by the machine's own fault.
func (t *Tried) fault() bool { return t.Result.Verdict.Failed() && !t.Result.Injected }

// Judges reports whether a trial says anything of its trim: a proof that held, or a fault that nobody injected.
func (t *Tried) Judges() bool {
	return !t.Result.Injected && (t.Result.Verdict.Failed() || t.Proof && t.Result.Verdict == Held)
}

// Stand tells how a trim stands by its newest trial, the last of those it was tried in, oldest first. It is false when that
// one says nothing of it. A trim that held is proven once every core has held in every regime since the last fault, in a
// trial or, at incident, in daily use; a zero incident is none.
func Stand(trials []Tried, incident time.Time) (Stood, bool) {
	if len(trials) == 0 {
		return Stood{}, false
	}
	newest := &trials[len(trials)-1]
	if !newest.Judges() {
		return Stood{}, false
	}
	r := newest.Result
	out := Stood{Standing: Failed, Verdict: r.Verdict, Core: r.Core, AtS: r.AtS}
	if r.Verdict.Failed() {
		return out, true
	}
	cores := newest.Cores
	var held []Hold
	for i := len(trials) - 1; i >= 0; i-- {
		t := &trials[i]
		if t != newest && t.fault() {
			break
		}
		if !t.Proof || t != newest && !t.StartedAt.After(incident) {
			continue
		}
		for _, l := range t.Legs {
			if l.Result.Verdict == Held {
				held = append(held, Hold{Load: l.Load, Cores: l.Cores, Exposure: l.Result.Exposure})
			}
			if newest.Cores == nil {
				cores = append(cores, l.Cores...)
			}
		}
	}
	out.Standing = Proven
	if out.Untried = Untried(cores, held); len(out.Untried) > 0 {
		out.Standing = Fitted
	}
	return out, true
}

// NoPostStood is how a trim stands with which the machine did not come up.
func NoPostStood() Stood { return Stood{Standing: Failed, Verdict: NoPost, Core: -1} }
