package workshop

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"zerokeel/core/channel"
	"zerokeel/core/forecast"
	"zerokeel/core/identify"
	"zerokeel/core/ladder"
	"zerokeel/core/load"
	"zerokeel/core/part"
	"zerokeel/core/series"
	"zerokeel/core/trim"
	"zerokeel/core/tuning"
	"zerokeel/store"
)

// Measuring is how far a machine is measured up: what trying it takes, and what its records tell of its figures by now.
type Measuring struct {
	Steps   []identify.Step
	Minutes float64
	Why     string           // why nothing can be found yet; empty where Found is there
	Cannot  string           // why nothing ever can, by the sensors that the machine has
	Found   *identify.Result // nil where nothing is
	Kin     []string         // other rigs of the model, whose records told where to begin
	Taken   bool             // its sheets are measured ones
}

// measurable returns a rig whose sheets are sketches, or were measured already.
func (w *Workshop) measurable(ctx context.Context, rig int64) (*store.Rig, *part.Set, error) {
	r, err := w.store.Rig(ctx, rig)
	if err != nil {
		return nil, nil, err
	}
	set, err := w.store.PartSet(ctx, r)
	if errors.Is(err, store.ErrNotFound) {
		return nil, nil, conflict("of %s is not known what can be set: set it in its running system, or enter its settings from cards, first", r.Name)
	} else if err != nil {
		return nil, nil, err
	}
	if !set.Sketched() && set.Processor.Source != part.Measured {
		return nil, nil, conflict("the sheets of %s were entered; they are not measured anew", r.Name)
	}
	return r, set, nil
}

// cannotMeasure says why a rig's machine cannot be measured up, whatever runs on it.
func cannotMeasure(r *store.Rig) string {
	if slices.ContainsFunc(r.Channels.V, func(c channel.Channel) bool { return c.Key == channel.Temperature }) {
		return ""
	}
	return "this machine tells no temperature of its cores, without which nothing of its power and heat can be found"
}

// MeasuringSteps plans the trial that measures a rig's machine up.
func (w *Workshop) MeasuringSteps(ctx context.Context, rig int64) ([]identify.Step, error) {
	if err := may(ctx, look, rig); err != nil {
		return nil, err
	}
	_, set, err := w.measurable(ctx, rig)
	if err != nil {
		return nil, err
	}
	return identify.Steps(set), nil
}

// Measuring tells how far a rig's machine is measured up; nil where its sheets were entered, or nothing can be set yet.
func (w *Workshop) Measuring(ctx context.Context, rig int64) (*Measuring, error) {
	if err := may(ctx, look, rig); err != nil {
		return nil, err
	}
	r, set, err := w.measurable(ctx, rig)
	var stands *Conflict
	if errors.As(err, &stands) {
		return nil, nil
	} else if err != nil {
		return nil, err
	}
	out := &Measuring{Steps: identify.Steps(set), Cannot: cannotMeasure(r), Taken: set.Processor.Source == part.Measured}
	for _, s := range out.Steps {
		for _, l := range s.Legs {
			out.Minutes += l.Seconds / 60
		}
	}
	out.Found, out.Kin, err = w.identified(ctx, r, set)
	if errors.Is(err, identify.ErrTooFew) || errors.Is(err, identify.ErrRunsAway) {
		out.Found, out.Kin, out.Why = nil, nil, err.Error()
		return out, nil
	}
	return out, err
}

// measuredKey is a rig as it stood, and with it what its kin told.
type measuredKey struct {
	version
	kin string
}

// mostKin are so many rigs of a model that tell of another, the newest: more tell next to nothing besides.
const mostKin = 4

// identified finds a rig's figures from its records, and from what others of its model were found to be, which it names.
func (w *Workshop) identified(ctx context.Context, r *store.Rig, set *part.Set) (*identify.Result, []string, error) {
	rigs, err := w.store.Rigs(ctx)
	if err != nil {
		return nil, nil, err
	}
	var kin []*identify.Result
	var names []string
	var versions strings.Builder
	for i := range slices.Backward(rigs) {
		o := &rigs[i]
		model := r.Facts.V.Processor
		if o.ID == r.ID || model == "" || o.Facts.V.Processor != model || o.Simulated != r.Simulated || len(kin) == mostKin {
			continue
		}
		_, its, err := w.measurable(ctx, o.ID)
		if stands := (*Conflict)(nil); errors.As(err, &stands) {
			continue
		} else if err != nil {
			return nil, nil, err
		}
		one, err := w.identifiedAlone(ctx, o, its)
		if errors.Is(err, identify.ErrTooFew) || errors.Is(err, identify.ErrRunsAway) {
			continue
		} else if err != nil {
			return nil, nil, err
		}
		kin, names = append(kin, one), append(names, o.Name)
		fmt.Fprintf(&versions, "%d at %d ", o.ID, o.RecordsVersion)
	}
	if len(kin) == 0 {
		one, err := w.identifiedAlone(ctx, r, set)
		return one, nil, err
	}
	found, err := w.identifiedWith(ctx, r, set, measuredKey{version{r.ID, r.RecordsVersion}, versions.String()}, kin)
	return found, names, err
}

// identifiedAlone finds a rig's figures from its own records.
func (w *Workshop) identifiedAlone(ctx context.Context, r *store.Rig, set *part.Set) (*identify.Result, error) {
	return w.identifiedWith(ctx, r, set, measuredKey{version: version{r.ID, r.RecordsVersion}}, nil)
}

// identifiedWith finds a rig's figures from its records, and how fast it warms from a course of them, unless they are kept.
func (w *Workshop) identifiedWith(ctx context.Context, r *store.Rig, set *part.Set, key measuredKey,
	kin []*identify.Result) (*identify.Result, error) {
	if kept, is := w.known.measured.Get(key); is {
		return kept, nil
	}
	h, err := w.history(ctx, r.ID)
	if err != nil {
		return nil, err
	}
	found, err := identify.Sheets(set, steady(h.measured(r.AmbientC)), kin...)
	if err != nil {
		return nil, err
	}
	under, phases, err := w.course(ctx, r, h.trims)
	if err != nil {
		return nil, err
	}
	if err := found.Times(under, r.AmbientC, phases); err != nil && !errors.Is(err, identify.ErrNoCourse) {
		w.log.Warn("how fast a machine warms is not told by its records", "rig", r.Name, "error", err)
	}
	w.known.measured.Add(key, found)
	return found, nil
}

// A course rests at first, for so long at least, and between two of its legs for so long at most: nobody sees what a machine does there.
const (
	courseLeastS = 60
	restMostS    = 900
)

// course returns how warm a machine got, second by second, in the newest trial that begins with a rest; nothing where there is none.
func (w *Workshop) course(ctx context.Context, r *store.Rig, trims []store.Trim) (trim.Settings, []identify.Phase, error) {
	legs, err := w.store.RecordedLegs(ctx, r.ID, 0, seenLegs)
	if err != nil {
		return nil, nil, err
	}
	slices.Reverse(legs) // oldest first, as they ran
	for last := len(legs); last > 0; {
		first := last - 1
		for first > 0 && legs[first-1].TrialID == legs[last-1].TrialID {
			first--
		}
		run := legs[first:last]
		last = first
		at := slices.IndexFunc(trims, func(t store.Trim) bool { return t.ID == run[0].TrimID })
		if run[0].Load != load.Idle || run[0].SeenS < courseLeastS || len(run) < 2 || at < 0 {
			continue
		}
		var out []identify.Phase
		ended := run[0].StartedMS
		for i := range run {
			rested := float64(run[i].StartedMS-ended) / 1000
			if rested > restMostS {
				break
			}
			ended = run[i].StartedMS + int64(1000*run[i].SeenS)
			samples, err := w.followedIn(ctx, r, &run[i], trim.SourceCore)
			if err != nil {
				return nil, nil, err
			}
			out = append(out, identify.Phase{Load: run[i].Load, RestS: max(0, rested),
				TurnS: ladder.TurnS(run[i].SeenS, r.Facts.V.Cores), HottestC: bySecond(samples, run[i].StartedMS, run[i].SeenS)})
		}
		return trims[at].Settings.V, out, nil
	}
	return nil, nil, nil
}

// bySecond are samples as one at the end of each second from a moment on; what is missing is NaN.
func bySecond(samples []series.Sample, fromMS int64, seconds float64) []float64 {
	out := make([]float64, int(seconds))
	for i := range out {
		out[i] = math.NaN()
	}
	for _, s := range samples {
		if at := int(math.Round(float64(s.T-fromMS)/1000)) - 1; at >= 0 && at < len(out) {
			out[at] = s.V
		}
	}
	return out
}

// steady are the records of loads that settle.
func steady(records []forecast.Record) (out []forecast.Record) {
	for _, r := range records {
		for _, kind := range forecast.Loads {
			if r.Load == kind {
				out = append(out, r)
			}
		}
	}
	return out
}

// StartMeasuring has a pilot measure a rig's machine up, from its trim as delivered.
func (w *Workshop) StartMeasuring(ctx context.Context, rig int64) (*store.Pilot, error) {
	if err := may(ctx, change, rig); err != nil {
		return nil, err
	}
	r, set, err := w.measurable(ctx, rig)
	if err != nil {
		return nil, err
	}
	if err := w.mayRun(ctx, r); err != nil {
		return nil, err
	}
	if why := cannotMeasure(r); why != "" {
		return nil, conflict("%s is not measured up: %s", r.Name, why)
	}
	trims, err := w.store.Trims(ctx, rig)
	if err != nil {
		return nil, err
	}
	if len(trims) == 0 {
		return nil, conflict("%s has no trim as delivered", r.Name)
	}
	began, err := w.RigClock(ctx, rig)
	if err != nil {
		return nil, err
	}
	plan := store.PilotPlan{Goal: tuning.MeasureUp, MostClears: 1}
	for _, s := range identify.Steps(set) {
		plan.Steps = append(plan.Steps, tuning.Measure)
		for _, l := range s.Legs {
			plan.Minutes += l.Seconds / 60
		}
	}
	first := trims[0].ID
	p := &store.Pilot{RigID: rig, Base: first, Plan: store.AsJSON(plan), RigBegan: began.UTC(),
		Progress: store.AsJSON(store.PilotProgress{From: first, Safe: first})}
	err = w.store.CreatePilot(ctx, p)
	if errors.Is(err, store.ErrTaken) {
		return nil, conflict("%s is busy, or a pilot or an interleaved session has it already; wait until that ends, or end it", r.Name)
	} else if err != nil {
		return nil, err
	}
	return w.store.Pilot(ctx, p.ID)
}

// TakeMeasured makes what was found a rig's sheets, its own: another of the same model is measured up by itself.
func (w *Workshop) TakeMeasured(ctx context.Context, rig int64) (*Rig, error) {
	if err := may(ctx, change, rig); err != nil {
		return nil, err
	}
	r, set, err := w.measurable(ctx, rig)
	if err != nil {
		return nil, err
	}
	found, _, err := w.identified(ctx, r, set)
	if errors.Is(err, identify.ErrTooFew) || errors.Is(err, identify.ErrRunsAway) {
		return nil, conflict("%s is not measured up: %v", r.Name, err)
	} else if err != nil {
		return nil, err
	}
	own := *found.Set
	processor, board, cooler := *own.Processor, *own.Board, *own.Cooler // what was found is kept, and shared
	own.Processor, own.Board, own.Cooler = &processor, &board, &cooler
	id := fmt.Sprintf("measured-%d", r.ID)
	own.Processor.ID, own.Board.ID, own.Cooler.ID = id, id, id
	return w.sketched(ctx, r, &own, []string{string(part.KindMemory)}, r.InSystem)
}
