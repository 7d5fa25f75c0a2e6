package pilot

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"math"
	"slices"

	"zerokeel/core/invalid"
	"zerokeel/core/ladder"
	"zerokeel/core/survey"
	"zerokeel/core/tuning"
	"zerokeel/core/verdict"
	"zerokeel/store"
	"zerokeel/workshop"
)

// plan finds out what to do next for the step at hand, and goes on to the next step where there is nothing to do.
func (f *flight) plan(ctx context.Context) error {
	kind := f.Kind()
	if kind.Surveys() {
		return f.planSurvey(ctx, kind)
	}
	switch kind {
	case "":
		f.at.Back, f.at.Now = true, &store.PilotOrder{Trim: f.at.From, Why: "The machine is left with what was found."}
		return f.save(ctx)
	case tuning.Measure:
		return f.planMeasure(ctx)
	case tuning.Baseline, tuning.Proof:
		why := "The machine as it stands."
		if kind == tuning.Proof {
			why = "Proof of what was found."
			f.at.Found = f.at.From
		}
		f.at.Now = &store.PilotOrder{Kind: kind, Trim: f.at.From, Why: why, Minutes: f.minutes(kind)}
		return f.save(ctx)
	case tuning.Comparison:
		if f.at.From == f.Base {
			return f.done(ctx, store.StepDone{Skipped: true, Words: "nothing was changed"})
		}
		f.at.Now = &store.PilotOrder{Kind: kind, Trim: f.at.From, Why: "Both trims by turns."}
		return f.save(ctx)
	default:
		return f.planChange(ctx, kind)
	}
}

// planMeasure goes on to the next step of measuring the machine up.
func (f *flight) planMeasure(ctx context.Context) error {
	steps, err := f.shop.MeasuringSteps(ctx, f.RigID)
	if err != nil {
		return err
	}
	if f.at.Step >= len(steps) {
		return f.done(ctx, store.StepDone{Skipped: true, Words: "less can be set than when it began"})
	}
	s := &steps[f.at.Step]
	f.at.Now = &store.PilotOrder{Kind: tuning.Measure, Changes: s.Settings, Why: "What the machine shows there tells its figures."}
	if len(s.Settings) == 0 {
		f.at.Now.Trim = f.at.From
	}
	for _, l := range s.Legs {
		f.at.Now.Legs = append(f.at.Now.Legs, survey.Leg{Load: l.Load, Minutes: l.Seconds / 60})
		f.at.Now.Minutes += l.Seconds / 60
	}
	return f.save(ctx)
}

// minutes is what a step's trial takes.
func (f *flight) minutes(kind tuning.Kind) float64 {
	if kind == tuning.Proof {
		return f.Plan.V.ProofMin
	}
	s := 0.0
	for _, l := range kind.Trial() {
		s += l.Seconds / 60
	}
	return s
}

// planSurvey finds out what the survey tries next, or, when it is over, takes what it recommends.
func (f *flight) planSurvey(ctx context.Context, kind tuning.Kind) error {
	if f.at.Surveying == "" && f.at.Depths != 0 {
		f.at.Surveying = kind
	}
	if f.at.Surveying != kind {
		if change, err := f.shop.NextChange(ctx, f.Pilot, kind); err != nil {
			return err
		} else if change.Skip != "" {
			return f.done(ctx, store.StepDone{Skipped: true, Words: change.Skip})
		}
		f.at.Surveying, f.at.Depths, f.at.BeforeMin, f.at.Earlier = kind, f.at.From, f.at.SpentMin, f.at.Orders
		if f.at.Began == nil {
			f.at.Began = map[tuning.Kind]int64{}
		}
		f.at.Began[kind] = f.at.From
	}
	next, err := f.shop.NextOrder(ctx, f.Pilot)
	var stands *workshop.Conflict
	if errors.As(err, &stands) {
		return f.giveUp(ctx, "%s", stands)
	} else if err != nil {
		return err
	}
	f.at.Orders, f.at.Hour = next.Come.Orders, next.Come.Hour
	if next.Order != nil {
		next.Order.Kind, f.at.Now = kind, next.Order
		return f.save(ctx)
	}
	if f.Plan.V.Goal == tuning.Overclock {
		if moved, err := f.moveClock(ctx, next); moved || err != nil {
			return err
		}
	}
	if next.Short != "" && kind != tuning.Depths {
		return f.done(ctx, store.StepDone{Words: "nothing was found that keeps to the risk that is allowed, and it stays as it is"})
	}
	if next.Short != "" {
		return f.giveUp(ctx, "no depth keeps to the risk that is allowed: %s", next.Short)
	}
	trials := f.at.Orders - f.at.Earlier
	why := fmt.Sprintf("The deepest that a survey of %d trials in %.0f min leaves a small chance of more than %g %% of a fault a day.",
		trials, f.at.SpentMin-f.at.BeforeMin, 100*f.Plan.V.Risk24h)
	name := "surveyed"
	if kind != tuning.Depths {
		name = string(kind)
	}
	id, err := f.shop.TrimAt(ctx, f.RigID, f.at.Depths, f.What(), next.Found, workshop.NewTrim{Name: name, Reason: why})
	if err != nil {
		return err
	}
	f.at.Found, f.at.From = id, id
	return f.done(ctx, store.StepDone{Trim: id, Kept: true, Words: fmt.Sprintf("%d trials", trials)})
}

// mostClocks is how often an overclock moves on to another clock.
const mostClocks = 4

// moveClock goes on with the survey at another clock: once at the highest that what was found allows, and at a lower one as often as no
// voltage that is allowed holds.
func (f *flight) moveClock(ctx context.Context, next *workshop.NextSounding) (moved bool, err error) {
	if f.at.Clocks >= mostClocks || f.at.Clocks > 0 && next.Short == "" {
		return false, nil
	}
	change, err := f.shop.NextClock(ctx, f.Pilot, next)
	if err != nil || change.Skip != "" {
		return false, err
	}
	id, err := f.shop.TrimWith(ctx, f.RigID,
		workshop.NewTrim{Parent: f.at.From, Name: change.Name, Reason: change.Why, Changes: change.Settings})
	if faults := (invalid.List)(nil); errors.As(err, &faults) {
		return false, nil
	} else if err != nil {
		return false, err
	}
	if err := f.note(ctx, store.StepDone{Trim: id, Kept: true, Words: "on to " + change.Name}); err != nil {
		return false, err
	}
	f.at.Clocks++
	f.at.From, f.at.Depths = id, id
	return true, f.save(ctx)
}

// planChange works out what a step changes, from where the machine stands now.
func (f *flight) planChange(ctx context.Context, kind tuning.Kind) error {
	change, err := f.shop.NextChange(ctx, f.Pilot, kind)
	if err != nil {
		return err
	}
	if change.Skip != "" {
		return f.done(ctx, store.StepDone{Skipped: true, Words: change.Skip})
	}
	if len(kind.Trial()) > 0 {
		f.at.Now = &store.PilotOrder{Kind: kind, Changes: change.Settings, Why: change.Why, Minutes: f.minutes(kind)}
		return f.save(ctx)
	}
	id, err := f.shop.TrimWith(ctx, f.RigID,
		workshop.NewTrim{Parent: f.at.From, Name: cmp.Or(change.Name, string(kind)), Reason: change.Why, Changes: change.Settings})
	if faults := (invalid.List)(nil); errors.As(err, &faults) {
		return f.done(ctx, store.StepDone{Skipped: true, Words: faults.Error()})
	} else if err != nil {
		return err
	}
	f.at.From = id
	return f.done(ctx, store.StepDone{Trim: id, Kept: true, Words: "the survey tries it"})
}

// make makes the trim of the order.
func (f *flight) make(ctx context.Context) (int64, error) {
	now := f.at.Now
	if now.Kind.Surveys() {
		return f.shop.TrimAt(ctx, f.RigID, f.at.Depths, f.What(), now.Offsets,
			workshop.NewTrim{Name: fmt.Sprintf("sounding %d", f.at.Orders), Reason: now.Why, Pilot: f.ID})
	}
	name := string(now.Kind)
	if now.Kind == tuning.Measure {
		name = fmt.Sprintf("%s %d", name, f.at.Step+1)
	}
	return f.shop.TrimWith(ctx, f.RigID, workshop.NewTrim{Parent: f.at.From, Name: name, Reason: now.Why, Changes: now.Changes})
}

// start begins the trial of the order, whose trim is in force.
func (f *flight) start(ctx context.Context) error {
	now := f.at.Now
	plan := workshop.Plan{Pilot: &workshop.PilotOrderOf{Pilot: f.ID, Number: f.at.Number}}
	switch {
	case now.Kind == tuning.Proof:
		plan.Ladder = f.Plan.V.Proof
	case now.Kind.Surveys(), now.Kind == tuning.Measure:
		plan.Name = fmt.Sprintf("Sounding %d", f.at.Orders)
		if now.Kind == tuning.Measure {
			plan.Name = fmt.Sprintf("Measuring up %d", f.at.Step+1)
		}
		for _, l := range now.Legs {
			seconds := math.Max(ladder.MinSeconds, math.Round(60*l.Minutes))
			plan.Legs = append(plan.Legs, workshop.LegPlan{Load: l.Load, Cores: l.Cores, Seconds: &seconds, AbortC: f.Plan.V.MostC})
		}
	default:
		plan.Name = titles[now.Kind]
		for _, l := range now.Kind.Trial() {
			plan.Legs = append(plan.Legs, workshop.LegPlan{Load: l.Load, Seconds: &l.Seconds, AbortC: f.Plan.V.MostC})
		}
	}
	t, err := f.shop.StartTrial(ctx, f.RigID, plan)
	if err != nil {
		return err
	}
	now.Trial = t.ID
	return f.save(ctx)
}

// titles name the trials of steps.
var titles = map[tuning.Kind]string{
	tuning.Baseline: "Baseline", tuning.Memory: "Memory", tuning.Limits: "Limits", tuning.Power: "Power", tuning.Fans: "Fans",
}

// noPost goes on after a trim with which the machine did not come up. Of a survey that is an answer, and a step is dropped.
func (f *flight) noPost(ctx context.Context) error {
	now := f.at.Now
	f.at.Now = nil
	f.at.Number++
	if now.Kind.Surveys() {
		return f.save(ctx)
	}
	switch now.Kind {
	case tuning.Proof:
		return f.failedProof(ctx, store.StepDone{Trim: now.Trim, Words: "it did not come up"})
	case tuning.Baseline:
		return f.giveUp(ctx, "the machine does not come up with the trim that it began with")
	}
	return f.done(ctx, store.StepDone{Trim: now.Trim, Words: "it did not come up, and the step was taken back"})
}

// tried takes the verdict of the order's trial in. What it tells of the cores lies in the records, from which the next order is planned.
func (f *flight) tried(ctx context.Context, t *store.Trial) error {
	now, v := f.at.Now, t.Result.V.Verdict
	legs, err := f.count(ctx, t)
	if err != nil {
		return err
	}
	f.at.Now = nil
	f.at.Number++
	if why := f.passedBound(legs); why != "" && v != verdict.Void {
		return f.giveUp(ctx, "in trial %d the machine %s", t.Number, why)
	}
	if v == verdict.Void || v == verdict.NoPost {
		if f.at.Void++; f.at.Void >= mostVoid {
			return f.giveUp(ctx, "%d trials in a row told nothing, the last one since %s", mostVoid, t.Result.V.Why)
		}
		return f.save(ctx)
	}
	f.at.Void = 0
	hot := v == verdict.Overheated || v == verdict.Stopped && !t.StopAsked // at the temperature at which its legs end, that is
	if v == verdict.Stopped && !hot && !now.Kind.Surveys() {               // by hand: tried anew
		f.at.Now = &store.PilotOrder{Kind: now.Kind, Trim: now.Trim, Why: now.Why, Minutes: now.Minutes}
		return f.save(ctx)
	}
	came := store.StepDone{Trim: now.Trim, Trial: t.ID, Words: cameOf(t)}
	switch now.Kind {
	case tuning.Baseline, tuning.Measure: // whatever it did, that is the finding
		return f.done(ctx, came)
	case tuning.Fans:
		if came.Kept = v == verdict.Held; came.Kept {
			f.at.From, f.at.Safe = now.Trim, now.Trim
		}
		return f.done(ctx, came)
	}
	if hot && now.Kind != tuning.Memory { // which a machine without limits may get to
		return f.giveUp(ctx, "trial %d ended: %s", t.Number, t.Result.V.Why)
	}
	switch {
	case now.Kind.Surveys():
		if v.Failed() && now.Fails < nextToNone {
			if f.at.Strange++; f.at.Strange >= mostStrange {
				return f.giveUp(ctx, "%d trials failed that should have held, the last one as %s: something else is wrong, such as the memory",
					mostStrange, v)
			}
		}
		return f.save(ctx)
	case now.Kind == tuning.Proof:
		if v.Failed() {
			return f.failedProof(ctx, came)
		}
		f.at.Safe, came.Kept = now.Trim, true
		return f.done(ctx, came)
	}
	return f.changed(ctx, now, came, v)
}

// changed takes in what came of a step's own trim: it is kept where it held.
func (f *flight) changed(ctx context.Context, now *store.PilotOrder, came store.StepDone, v verdict.Verdict) error {
	switch {
	case v == verdict.Held:
		f.at.From, f.at.Safe, came.Kept = now.Trim, now.Trim, true
	case now.Kind == tuning.Limits && f.Plan.V.Goal == tuning.Steady: // more voltage is what the survey is for
		f.at.From, came.Kept = now.Trim, true
	case now.Kind == tuning.Limits:
		return f.giveUp(ctx, "inside the maker's limits it %s: a tuning with the goal steady comes first", came.Words)
	default:
		came.Words += ", and the step was taken back"
	}
	return f.done(ctx, came)
}

// failedProof goes back to the survey, which has learnt by it.
func (f *flight) failedProof(ctx context.Context, came store.StepDone) error {
	f.at.Found = 0
	if f.at.Proofs++; f.at.Proofs >= mostProofs {
		return f.giveUp(ctx, "what was found failed its proof %d times", mostProofs)
	}
	back := f.at.Step
	for back >= 0 && !f.Plan.V.Steps[back].Surveys() {
		back--
	}
	if i := slices.Index(f.Plan.V.Steps, tuning.Depths); i >= 0 {
		back = i
	}
	if back < 0 {
		return f.giveUp(ctx, "the proof failed: %s", came.Words)
	}
	if err := f.note(ctx, came); err != nil {
		return err
	}
	f.at.Step, f.at.From = back, f.at.Depths
	if from, known := f.at.Began[f.Plan.V.Steps[back]]; known {
		f.at.From, f.at.Depths, f.at.Surveying = from, from, f.Plan.V.Steps[back]
	}
	return f.save(ctx)
}

// done notes what came of the step at hand, and goes on to the next.
func (f *flight) done(ctx context.Context, came store.StepDone) error {
	if err := f.note(ctx, came); err != nil {
		return err
	}
	f.at.Now = nil
	f.at.Step++
	if f.Plan.V.ByStep && !came.Skipped && f.Kind() != "" {
		f.PauseAsked = true
	}
	return f.save(ctx)
}

// note keeps what came of the step at hand.
func (f *flight) note(ctx context.Context, came store.StepDone) error {
	now, err := f.shop.RigClock(ctx, f.RigID)
	came.Kind, came.At = f.Kind(), now.UTC()
	f.at.Done = append(f.at.Done, came)
	return err
}

// cameOf says in a few words what came of a trial.
func cameOf(t *store.Trial) string {
	r := &t.Result.V
	words := string(r.Verdict)
	if r.Core >= 0 && r.Verdict.Failed() {
		words += fmt.Sprintf(" on core %d", r.Core)
	}
	return words
}

// compare has the trim that was found and the one that it began with compared, and waits for it.
func (f *flight) compare(ctx context.Context) error {
	now := f.at.Now
	if now.Session == 0 {
		for i, what := range []string{"it began with", "it led to"} {
			id := []int64{f.Base, now.Trim}[i]
			check, err := f.shop.CheckTrim(ctx, id)
			if err != nil {
				return err
			}
			if why := check.Stops(); why != "" {
				if despite, err := f.store.LastDespite(ctx, id); err != nil || despite == "" {
					return errors.Join(err, f.done(ctx, store.StepDone{Skipped: true, Words: "preflight stops the trim that " + what + ": " + why}))
				}
			}
		}
		var err error
		if now.Session, err = f.shop.CompareFor(ctx, f.Pilot); err != nil {
			return f.waits(ctx, err)
		}
		return f.save(ctx)
	}
	x, err := f.store.Session(ctx, now.Session)
	if err != nil || !x.EndedAt.Valid {
		return err
	}
	for block := range x.Blocks.V {
		t, err := f.store.SessionTrial(ctx, x.ID, block)
		if errors.Is(err, store.ErrNotFound) {
			break
		} else if err != nil {
			return err
		}
		if _, err := f.count(ctx, t); err != nil {
			return err
		}
	}
	if x.Problem != "" {
		return f.done(ctx, store.StepDone{Trim: now.Trim, Words: "it ended early: " + x.Problem})
	}
	words, err := f.shop.Gained(ctx, f.Base, now.Trim)
	if err != nil {
		return err
	}
	return f.done(ctx, store.StepDone{Trim: now.Trim, Kept: true, Words: words})
}
