package workshop

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"sync"

	"zerokeel/core/channel"
	"zerokeel/core/part"
	"zerokeel/core/preflight"
	"zerokeel/core/sounding"
	"zerokeel/core/survey"
	"zerokeel/core/trim"
	"zerokeel/store"
)

// surveyed is a survey of a rig as its records stand.
type surveyed struct {
	mu     sync.Mutex // a survey is nobody's but one's at a time
	survey *survey.Survey
	setup  survey.Setup
	axis   *sounding.Axis
	told   sounding.Told
	fleet  int
	found  map[float64][]int // recommended, by risk
	plane  *Plane            // of a fixed voltage
	spared *survey.Spared    // by like chips; nil until somebody asked
}

// recommend returns what is recommended at a risk.
func (x *surveyed) recommend(risk float64) []int {
	found, known := x.found[risk]
	if !known {
		found = x.survey.Recommend(risk)
		x.found[risk] = found
	}
	return found
}

type surveyKey struct {
	version
	what  sounding.What
	rest  string
	fleet string
}

// surveyOf returns a survey of what a rig's records tell, beside the settings that stay: kept by the version of the records. With fleet
// it begins with what like chips of the workshop have shown, where there are any. The error is a *sounding.None where there is nothing
// to look for.
func (w *Workshop) surveyOf(ctx context.Context, r *store.Rig, k *rigKnowledge, rest trim.Settings, fleet bool) (*surveyed, error) {
	return w.surveyFor(ctx, r, k, sounding.Depths, rest, fleet)
}

// surveyFor is surveyOf of something else than depths. What other chips have shown is known of depths alone.
func (w *Workshop) surveyFor(ctx context.Context, r *store.Rig, k *rigKnowledge, what sounding.What, rest trim.Settings,
	fleet bool) (*surveyed, error) {
	a, err := sounding.AxisFor(what, k.set, rest)
	if err != nil {
		return nil, err
	}
	prior, like := a.Prior(k.set.Processor), 0
	if fleet && what == sounding.Depths {
		chips, err := w.likeChips(ctx, r, k.set, a, rest)
		if err != nil {
			return nil, err
		}
		prior, like = survey.Fleet(prior, chips), len(chips)
	}
	key := surveyKey{version{r.ID, r.RecordsVersion}, what, a.Rest(rest).Fingerprint(), fmt.Sprint(prior)}
	if kept, ok := w.known.surveys.Get(key); ok {
		return kept, nil
	}
	found, err, _ := w.known.underWay.Do("survey "+fmt.Sprint(key), func() (any, error) {
		records, err := w.sounded(ctx, r.ID, k)
		if err != nil {
			return nil, err
		}
		x := &surveyed{axis: a, setup: a.Setup(k.set.Processor, prior, UsualRisk), fleet: like, found: map[float64][]int{}}
		if x.setup.Costs, err = w.CostsOf(ctx, r.ID); err != nil {
			return nil, err
		}
		x.told = a.Read(k.set, rest, records, k.fit.Model, r.AmbientC)
		a.Know(&x.setup, &x.told)
		if x.survey, err = survey.New(x.setup); err != nil {
			return nil, err
		}
		if err := x.survey.Learn(x.told.Trials, x.told.Uses); err != nil {
			return nil, err
		}
		w.known.surveys.Add(key, x)
		return x, nil
	})
	if err != nil {
		return nil, err
	}
	return found.(*surveyed), nil
}

// sounded gathers what a rig's records say of its cores.
func (w *Workshop) sounded(ctx context.Context, rig int64, k *rigKnowledge) (*sounding.Records, error) {
	out := &sounding.Records{Settings: map[int64]trim.Settings{}}
	for i := range k.trims {
		out.Settings[k.trims[i].ID] = k.trims[i].Settings.V
	}
	legs, err := w.store.SoundedLegs(ctx, rig)
	if err != nil {
		return nil, err
	}
	for _, l := range legs {
		if n := len(out.Trials); n == 0 || out.Trials[n-1].ID != l.TrialID {
			out.Trials = append(out.Trials, sounding.Trial{ID: l.TrialID, Trim: l.TrimID})
		}
		t := &out.Trials[len(out.Trials)-1]
		one := sounding.Leg{Load: l.Load, Cores: l.Cores.V, Seconds: l.SeenS, Verdict: l.Result.V.Verdict, Core: l.Result.V.Core,
			Covered: l.Covered}
		for _, f := range l.Figures.V {
			if key, core, ok := channel.Find(f.Key); ok && key.Pattern == channel.AloneVoltage {
				if one.AskedV == nil {
					one.AskedV = map[int]float64{}
				}
				one.AskedV[core] = f.Mean
			}
		}
		if one.Verdict.Failed() {
			one.Seconds = l.Result.V.AtS
		}
		t.Legs = append(t.Legs, one)
	}
	starts, err := w.store.FailedStarts(ctx, rig)
	if err != nil {
		return nil, err
	}
	for _, id := range starts {
		out.Trials = append(out.Trials, sounding.Trial{Trim: id, NoPost: true})
	}
	uses, err := w.store.Uses(ctx, rig)
	for _, u := range uses {
		out.Uses = append(out.Uses, sounding.Use{Trim: u.TrimID, Seconds: u.Seconds, Faults: u.Faults})
	}
	return out, err
}

// Of the rigs with the same processor so many of the newest are looked at, until so many of them told something: what more would tell is
// little, and each takes a survey.
const (
	mostLookedAt = 48
	mostLike     = 16
)

// likeChips tells what was found of the other rigs with the same processor, for each of which the same is looked for beside the same
// settings, as far as its board takes them.
func (w *Workshop) likeChips(ctx context.Context, r *store.Rig, set *part.Set, a *sounding.Axis, rest trim.Settings) ([]survey.Surveyed,
	error) {
	ids, err := w.store.Like(ctx, r)
	if err != nil {
		return nil, err
	}
	slices.Reverse(ids)
	var out []survey.Surveyed
	for _, id := range ids[:min(len(ids), mostLookedAt)] {
		if len(out) == mostLike {
			break
		}
		other, k, err := w.rigKnown(ctx, id)
		if stands := (*Conflict)(nil); errors.As(err, &stands) {
			continue // its sheets are missing
		} else if err != nil {
			return nil, err
		}
		if told, err := w.showed(ctx, other, k); err != nil {
			return nil, err
		} else if !told {
			continue
		}
		beside, _ := trim.Transfer(set, k.set, rest)
		x, err := w.surveyOf(ctx, other, k, beside, false)
		if none := (*sounding.None)(nil); errors.As(err, &none) {
			continue
		} else if err != nil {
			return nil, err
		}
		if x.axis.Unit != a.Unit || x.axis.StepV != a.StepV || !x.tells() {
			continue
		}
		x.mu.Lock()
		out = append(out, x.survey.Chip())
		x.mu.Unlock()
	}
	return out, nil
}

// showed reports whether a rig was surveyed, or any trial or start of it failed: where none did, there is little to learn of its kind.
func (w *Workshop) showed(ctx context.Context, r *store.Rig, k *rigKnowledge) (bool, error) {
	if len(k.history.failures) > 0 || slices.ContainsFunc(k.trims, func(t store.Trim) bool { return t.Pilot.Valid }) {
		return true, nil
	}
	uses, err := w.store.Uses(ctx, r.ID)
	return slices.ContainsFunc(uses, func(u store.Used) bool { return u.Faults > 0 }), err
}

// believed tells what a rig's soundings say of settings; nil where they say little.
func (w *Workshop) believed(ctx context.Context, r *store.Rig, k *rigKnowledge, settings trim.Settings) (*preflight.Believed, error) {
	if r.ID == 0 || len(trim.Check(k.set.Processor, k.set.Board, settings)) > 0 {
		return nil, nil
	}
	a, err := sounding.AxisOf(k.set, settings)
	if none := (*sounding.None)(nil); errors.As(err, &none) {
		return nil, nil
	} else if err != nil {
		return nil, err
	}
	// A survey takes its time: it is asked only where it could have something against the settings.
	if !slices.ContainsFunc(a.Depths(k.set.Processor, settings), func(x int) bool { return x < 0 }) {
		return nil, nil
	}
	if showed, err := w.showed(ctx, r, k); err != nil || !showed {
		return nil, err
	}
	x, err := w.surveyOf(ctx, r, k, settings, true)
	if err != nil || !x.failed() {
		return nil, err
	}
	x.mu.Lock()
	defer x.mu.Unlock()
	depths := x.axis.Depths(k.set.Processor, settings)
	at, found := x.survey.Assess(depths), x.recommend(UsualRisk)
	out := &preflight.Believed{Risk24h: at.Risk24h, Words: survey.FailsInWords(at.Risk24h)}
	for i, core := range x.axis.Cores {
		if by := found[i] - depths[i]; by > out.Steps {
			out.Core, out.Key, out.Steps, out.To = core, x.axis.Keys[i], by, x.axis.Say(found[i])
		}
	}
	if x.axis.Each == survey.EachChip {
		out.Core = -1
	}
	return out, nil
}

// leastTold is how many trials tell something of a chip, though none of them failed.
const leastTold = 8

// tells reports whether a chip was tried where it fails, or often.
func (x *surveyed) tells() bool {
	return len(x.told.Trials) >= leastTold || x.failed()
}

// failed reports whether a chip was tried where it fails.
func (x *surveyed) failed() bool {
	return slices.ContainsFunc(x.told.Trials, func(p survey.Past) bool {
		return !p.Outcome.Posted || slices.ContainsFunc(p.Outcome.Legs, func(l survey.LegEnded) bool { return l.Verdict.Failed() })
	})
}
