package proof

import (
	"math"
	"slices"
	"time"

	"zerokeel/core/load"
	"zerokeel/core/verdict"
)

// Trial is a trial of a trim, as far as its standing rests on it.
type Trial struct {
	Proof     bool // it ran loads; a benchmark proves nothing, but may fail
	Result    verdict.Result
	StartedAt time.Time // on the rig's clock
	Cores     []int     // that run under the trim; nil if that is not known
	Legs      []Leg
}

// Leg is a leg that was judged.
type Leg struct {
	Load   load.Kind
	Cores  []int
	Result verdict.Result
}

// Judges reports whether a trial says anything of its trim: a proof that held, or a fault that nobody injected.
func (t *Trial) Judges() bool {
	return !t.Result.Injected && (t.Result.Verdict.Failed() || t.Proof && t.Result.Verdict == verdict.Held)
}

// A fault stands until its regime and core have held for so many times the exposure at which it came, and that for leastS seconds at
// least: a fault that came at once says little of how often it comes.
const (
	standsTimes = 10.0
	leastS      = 60.0
)

// standing is a fault with what held since.
type standing struct {
	fault Fault
	held  tally
}

// Stand tells how a trim stands by its newest trial, the last of those it was tried in, oldest first. It is false when that
// one says nothing of it. Exposure adds up over all legs since the last fault, in a trial or, at incident, in daily use; a zero
// incident is none. A fault of a trial stands until its regime and core have held for ten times as long.
func Stand(trials []Trial, incident time.Time) (Stood, bool) {
	if len(trials) == 0 || !trials[len(trials)-1].Judges() {
		return Stood{}, false
	}
	newest := &trials[len(trials)-1]
	var since tally
	var faults []*standing
	cores := slices.Clone(newest.Cores)
	blame := func(v verdict.Verdict, regime load.Regime, core int, atS float64) {
		since = tally{}
		faults = append(faults, &standing{fault: Fault{Verdict: v, Regime: regime, Core: core, AtS: atS,
			NeedS: standsTimes * math.Max(leastS, atS)}})
	}
	for i := range trials {
		t := &trials[i]
		before := t != newest && !t.StartedAt.After(incident)
		blamed := false
		for k := range t.Legs {
			l := &t.Legs[k]
			switch {
			case l.Result.Injected:
			case l.Result.Verdict.Failed():
				blamed = true
				blame(l.Result.Verdict, l.Load.Regime(), l.Result.Core, exposedAt(l))
			case l.Result.Verdict == verdict.Held && t.Proof:
				if !before {
					since.add(l)
				}
				for _, f := range faults {
					f.held.add(l)
				}
			}
			if newest.Cores == nil && t.Proof {
				cores = append(cores, l.Cores...)
			}
		}
		if t.Result.Verdict.Failed() && !t.Result.Injected && !blamed {
			blame(t.Result.Verdict, "", t.Result.Core, t.Result.AtS)
		}
	}
	out := Stood{Verdict: newest.Result.Verdict, Core: newest.Result.Core, Proof: since.proof(cores)}
	for _, f := range faults {
		if f.stands(cores) {
			fault := f.fault
			out.Proof.Fault = &fault
		}
	}
	out.Standing, out.AtS = out.Proof.Standing(), out.Proof.SumS
	if f := out.Proof.Fault; f != nil {
		out.Verdict, out.Core, out.AtS = f.Verdict, f.Core, f.AtS
	}
	return out, true
}

// exposedAt returns for how long the core that failed had been exposed in its leg, or the leg had run where none is to blame.
func exposedAt(l *Leg) float64 {
	if i := slices.Index(l.Cores, l.Result.Core); i >= 0 && i < len(l.Result.Exposure) {
		return math.Min(l.Result.AtS, l.Result.Exposure[i])
	}
	return l.Result.AtS
}

// stands works out what held since a fault, and reports whether that is too little.
func (s *standing) stands(cores []int) bool {
	f := &s.fault
	of := cores
	if f.Core >= 0 {
		of = []int{f.Core}
	}
	if f.Regime == "" {
		f.HeldS = s.held.sumS
	} else {
		f.HeldS = s.held.least(f.Regime, of)
	}
	return f.HeldS < shortestShare*f.NeedS
}
