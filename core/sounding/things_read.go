package sounding

import (
	"math"
	"slices"

	"zerokeel/core/part"
	"zerokeel/core/survey"
	"zerokeel/core/trim"
	"zerokeel/core/verdict"
)

// readThing gathers what a rig's records say of what is no core. A trial that failed counts only where nothing else was set that may have
// failed instead.
func (a *Axis) readThing(set *part.Set, rest trim.Settings, records *Records) Told {
	var out Told
	flat := a.Rest(rest)
	alike := func(s trim.Settings, failed bool) bool {
		return !math.IsNaN(a.thing.read(s)) && a.thing.alike(a.Rest(s), flat, failed)
	}
	failedNear := false
	for _, t := range records.Trials {
		s, has := records.Settings[t.Trim]
		p := survey.Past{Outcome: survey.Outcome{Posted: !t.NoPost}}
		failed := t.NoPost
		for i := range t.Legs {
			if leg, ended, ok := a.legOfThing(&t.Legs[i]); ok {
				p.Order.Legs, p.Outcome.Legs = append(p.Order.Legs, leg), append(p.Outcome.Legs, ended)
				failed = failed || ended.Verdict.Failed()
			}
		}
		if !has || !t.NoPost && len(p.Order.Legs) == 0 {
			continue
		}
		if !alike(s, failed) {
			out.Left++
			continue
		}
		p.Order.Offsets = a.Depths(set.Processor, s)
		failedNear = failedNear || failed && p.Order.Offsets[0] >= 0
		out.Trials, out.From = append(out.Trials, p), append(out.From, From{t.ID, t.Trim})
	}
	if a.thing.ratedMin > 0 && !failedNear {
		out.Uses = append(out.Uses, survey.Use{Offsets: []int{0}, Minutes: a.thing.ratedMin, Vouched: true})
	}
	if stock := trim.Stock(set.Processor, set.Board); alike(stock, false) && !failedNear {
		out.Uses = append(out.Uses, survey.Use{Offsets: a.Depths(set.Processor, stock), Minutes: vouchedMin, Vouched: true})
	}
	for _, u := range records.Uses { // what it did nobody knows, and nothing less than a fault tells of it
		if s, has := records.Settings[u.Trim]; has && u.Faults > 0 && alike(s, true) {
			out.Uses = append(out.Uses, survey.Use{Offsets: a.Depths(set.Processor, s),
				Minutes: math.Max(u.Seconds/60, leastUseMin*float64(u.Faults)), Faults: u.Faults})
		}
	}
	return out
}

// legOfThing turns a leg into what a survey takes; false where it says nothing of the thing. What of a memory was not gone through was not
// tried: a leg counts for as much as it covered.
func (a *Axis) legOfThing(l *Leg) (survey.Leg, survey.LegEnded, bool) {
	minutes := l.Seconds / 60
	if l.Covered > 0 && l.Verdict == verdict.Held {
		minutes *= math.Min(1, l.Covered)
	}
	leg, ended := survey.Leg{Load: l.Load, Cores: []int{0}, Minutes: minutes}, survey.LegEnded{Minutes: minutes, Verdict: l.Verdict}
	switch l.Verdict {
	case verdict.Held, verdict.Froze, verdict.Restarted, verdict.Miscalculated, verdict.CoreDropped:
	case verdict.Stopped:
		ended.Verdict = verdict.Held
	default:
		return leg, ended, false
	}
	return leg, ended, slices.Contains(a.thing.regimes, l.Load.Regime())
}
