package workshop

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"

	"zerokeel/core/invalid"
	"zerokeel/core/part"
	"zerokeel/core/sounding"
	"zerokeel/core/tuning"
	"zerokeel/store"
)

// PilotPlan is what a survey or a whole tuning is asked for.
type PilotPlan struct {
	Goal       tuning.Goal   // of a whole tuning; empty for a survey
	What       sounding.What // that a survey looks for
	Leave      []tuning.Kind
	ByStep     bool  // it pauses after each step
	Trim       int64 // that it begins with
	Risk24h    float64
	Minutes    float64 // of bench time: restarts, trials, and what crashes take
	Deepest    *int    // steps; nil for what the board takes
	MostClears int
	MostC      float64 // at which legs end; 0 leaves it to the rig
	MostW      float64 // that the package may draw; 0 leaves it to the maker's limits
	MostV      float64 // of the core voltage; 0 for the maker's
	Hours      *store.Hours
	Proof      string // ladder that proves what was found; empty for the longest usual one that leaves most of the time to the survey
}

// PilotOrderOf names an order of a pilot.
type PilotOrderOf struct {
	Pilot  int64
	Number int
}

// Bounds of what a survey may be asked for.
const (
	leastPilotMin = 10.0
	mostPilotMin  = 14 * 24 * 60
	mostClears    = 50
)

// Pilots lists a rig's newest pilots, newest first.
func (w *Workshop) Pilots(ctx context.Context, rig int64) ([]store.Pilot, error) {
	if err := may(ctx, look, rig); err != nil {
		return nil, err
	}
	return w.store.Pilots(ctx, rig)
}

// StartPilot begins a survey of a rig, or a whole tuning where a goal is named: a pilot that carries it out unattended, and leaves the
// rig with what it found, proven.
func (w *Workshop) StartPilot(ctx context.Context, rig int64, in PilotPlan) (*store.Pilot, error) {
	if err := may(ctx, change, rig); err != nil {
		return nil, err
	}
	d, err := w.draft(ctx, rig, &in)
	if err != nil {
		return nil, err
	}
	if none := (*sounding.None)(nil); in.Goal == "" && errors.As(d.none, &none) {
		return nil, conflict("there is nothing to survey on %s: %s", d.rig.Name, none.Why)
	}
	if len(d.faults) > 0 {
		return nil, d.faults
	}
	c, err := w.checkTrim(ctx, d.rig, d.set, d.trim)
	if err != nil {
		return nil, err
	}
	if _, err := w.passes(As(ctx, Actor{Kind: Pilot}), d.trim, c, ""); err != nil {
		return nil, err
	}
	if err := w.mayRun(ctx, d.rig); err != nil {
		return nil, err
	}
	began, err := w.RigClock(ctx, rig)
	if err != nil {
		return nil, err
	}
	p := &store.Pilot{RigID: rig, Base: d.trim.ID, Plan: store.AsJSON(d.plan), RigBegan: began.UTC(),
		Progress: store.AsJSON(store.PilotProgress{From: d.trim.ID, Safe: d.trim.ID})}
	err = w.store.CreatePilot(ctx, p)
	if errors.Is(err, store.ErrTaken) {
		return nil, conflict("%s is busy, or a pilot or an interleaved session has it already; wait until that ends, or end it", d.rig.Name)
	} else if err != nil {
		return nil, err
	}
	return w.store.Pilot(ctx, p.ID)
}

// validate lists every fault of a plan. The axis is nil where there is nothing to survey; a restart of the rig takes so many minutes.
func (in *PilotPlan) validate(a *sounding.Axis, p *part.Processor, restartMin float64) (f invalid.List) {
	if in.Goal != "" && !in.Goal.Valid() {
		f = noGoal(in.Goal)
	}
	if !in.What.Valid() || in.Goal != "" && in.What != sounding.Depths {
		f.Add("what", fmt.Sprintf("choose one of %q, of a survey without a goal", sounding.Whats()), "%.40q", in.What)
	}
	for i, kind := range in.Leave {
		if !kind.Valid() {
			f.Add(fmt.Sprintf("leave[%d]", i), "name steps of the plan", "%.40q is no step", kind)
		}
	}
	if !(in.Risk24h >= 1e-4 && in.Risk24h <= 0.5) {
		f.Add("risk", "give 0.0001 to 0.5", "%g is no chance that a builder would allow", in.Risk24h)
	}
	if least := leastPilotMin + restartMin; !(in.Minutes >= least && in.Minutes <= mostPilotMin) {
		f.Add("minutes", fmt.Sprintf("give %.0f to %d", math.Ceil(least), mostPilotMin),
			"%g minutes leave no time for a restart and a trial, or far too much", in.Minutes)
	}
	if x := in.Deepest; x != nil && a != nil && (*x < a.Min || *x >= a.Shallowest()) {
		f.Add("deepest", fmt.Sprintf("give %d to %d steps", a.Min, a.Shallowest()-1),
			"%d leaves nothing to look for, or the board does not go there", *x)
	}
	if in.MostClears < 0 || in.MostClears > mostClears {
		f.Add("clears", fmt.Sprintf("give 0 to %d", mostClears), "%d", in.MostClears)
	}
	if maker := p.Limits.TemperatureC; in.MostC != 0 && !(in.MostC >= 40 && in.MostC <= maker+abortAboveC) {
		f.Add("abortC", fmt.Sprintf("give 40 to %g °C, or leave it out", maker+abortAboveC), "%g °C", in.MostC)
	}
	if in.MostW != 0 && !(in.MostW >= leastBoundW && in.MostW <= mostBoundW) {
		f.Add("watts", fmt.Sprintf("give %g to %g W, or leave it out", leastBoundW, mostBoundW), "%g W", in.MostW)
	}
	if in.MostV != 0 && !(in.MostV >= leastBoundV && in.MostV <= p.TransientMaxV) {
		f.Add("volts", fmt.Sprintf("give %g to %g V, or leave it out", leastBoundV, p.TransientMaxV), "%g V", in.MostV)
	}
	if h := in.Hours; h != nil && (h.From < 0 || h.From > 23 || h.To < 0 || h.To > 24 || h.From == h.To) {
		f.Add("hours", "give two different hours, from 0 to 24", "%d to %d", h.From, h.To)
	}
	return f
}

// What bounds of watts and volts may be.
const (
	leastBoundW = 10.0
	mostBoundW  = 1000.0
	leastBoundV = 0.6
)

// proofShare is the share of a survey's time that its proof takes at most, unless somebody names the proof.
const proofShare = 0.5

// proofOfSurvey chooses the ladder that proves what a survey finds, where none is named, and returns what it takes in minutes.
func (w *Workshop) proofOfSurvey(ctx context.Context, in *PilotPlan, cores int) (float64, error) {
	named := in.Proof != ""
	choices := []string{in.Proof}
	if !named {
		choices = []string{"standard", "quick"}
	}
	var took float64
	for _, id := range choices {
		l, err := w.store.Ladder(ctx, id)
		if errors.Is(err, store.ErrNotFound) && named {
			return 0, invalid.List{{Field: "proof", Problem: fmt.Sprintf("there is no ladder %.40q", id), Remedy: "name one from /api/ladders"}}
		} else if err != nil {
			return 0, err
		}
		if in.Proof, took = id, l.Template.Seconds(cores)/60; took <= proofShare*in.Minutes {
			return took, nil
		}
	}
	if least := took + leastPilotMin; in.Minutes < least {
		return 0, invalid.List{{Field: "minutes", Problem: fmt.Sprintf("its proof alone takes %.0f min", took),
			Remedy: fmt.Sprintf("give %.0f or more, or name a shorter ladder as proof", math.Ceil(least))}}
	}
	return took, nil
}

// pilotOf loads a pilot that has not ended.
func (w *Workshop) pilotOf(ctx context.Context, id int64) (*store.Pilot, error) {
	if err := may(ctx, change, 0); err != nil {
		return nil, err
	}
	p, err := w.store.Pilot(ctx, id)
	if err == nil && p.EndedAt.Valid {
		err = conflict("this pilot has ended already")
	}
	return p, err
}

// PausePilot asks a pilot to pause: it ends the trial at hand where one runs, goes back to the trim that it began with, and leaves the rig
// to whoever takes it over.
func (w *Workshop) PausePilot(ctx context.Context, id int64) (*store.Pilot, error) {
	p, err := w.pilotOf(ctx, id)
	if err != nil {
		return nil, err
	}
	if p.State == store.PilotPaused {
		return nil, conflict("this pilot pauses already")
	}
	return w.askPilot(ctx, p, false)
}

// EndPilot asks a pilot to end: as PausePilot, for good. What it tried stays on record, and counts.
func (w *Workshop) EndPilot(ctx context.Context, id int64) (*store.Pilot, error) {
	p, err := w.pilotOf(ctx, id)
	if err != nil {
		return nil, err
	}
	return w.askPilot(ctx, p, true)
}

func (w *Workshop) askPilot(ctx context.Context, p *store.Pilot, end bool) (*store.Pilot, error) {
	if err := w.store.AskPilot(ctx, p, end); err != nil {
		return nil, err
	}
	if now := p.Progress.V.Now; now != nil && now.Session != 0 {
		if _, err := w.EndSession(ctx, now.Session); err != nil && Waits(err) != nil {
			return nil, err
		}
	}
	t, err := w.store.PilotTrial(ctx, p.ID, p.Progress.V.Number)
	switch {
	case errors.Is(err, store.ErrNotFound):
	case err != nil:
		return nil, err
	case t.State == store.TrialRunning:
		if err := w.store.AskStop(ctx, t); err != nil {
			return nil, err
		}
	}
	return w.store.Pilot(ctx, p.ID)
}

// ResumePilot lets a pilot go on that paused. What was tried meanwhile counts.
func (w *Workshop) ResumePilot(ctx context.Context, id int64) (*store.Pilot, error) {
	p, err := w.pilotOf(ctx, id)
	if err != nil {
		return nil, err
	}
	if p.State != store.PilotPaused {
		return nil, conflict("this pilot does not pause")
	}
	p.State, p.PauseAsked = store.PilotFlying, false
	if err := w.store.SavePilot(ctx, nil, p); errors.Is(err, store.ErrMoved) {
		return nil, conflict("this pilot has gone on meanwhile; look at it again")
	} else if err != nil {
		return nil, err
	}
	return w.store.Pilot(ctx, id)
}

// noPilot refuses to fit what a pilot would replace at its next step.
func (w *Workshop) noPilot(ctx context.Context, r *store.Rig) error {
	if ActorOf(ctx).drives() {
		return nil
	}
	open, err := w.store.OpenPilots(ctx)
	if err != nil {
		return err
	}
	if slices.ContainsFunc(open, func(p store.Pilot) bool { return p.RigID == r.ID && p.State == store.PilotFlying }) {
		return conflict("a pilot has %s; pause it first, then fit", r.Name)
	}
	return nil
}

// TrimAt makes the trim of a rig that brings what is surveyed to some depths, or returns the one with these settings that is there
// already; one that a pilot tried is kept under the new name then, unless it is tried again.
func (w *Workshop) TrimAt(ctx context.Context, rig, base int64, what sounding.What, depths []int, in NewTrim) (int64, error) {
	if err := may(ctx, change, rig); err != nil {
		return 0, err
	}
	_, k, err := w.rigKnown(ctx, rig)
	if err != nil {
		return 0, err
	}
	from, err := w.trimOf(ctx, rig, base)
	if err != nil {
		return 0, err
	}
	a, err := sounding.AxisFor(what, k.set, from.Settings.V)
	if err != nil {
		return 0, err
	}
	in.Parent, in.Changes = base, a.Changes(depths)
	if in.Name == "" {
		in.Name = a.SayAll(depths)
	}
	return w.TrimWith(ctx, rig, in)
}

// TrimWith makes a trim, or returns the one with the same settings that is there already, as TrimAt.
func (w *Workshop) TrimWith(ctx context.Context, rig int64, in NewTrim) (int64, error) {
	if err := may(ctx, change, rig); err != nil {
		return 0, err
	}
	from, err := w.trimOf(ctx, rig, in.Parent)
	if err != nil {
		return 0, err
	}
	want := from.Settings.V.With(in.Changes).Fingerprint()
	trims, err := w.store.Trims(ctx, rig)
	if err != nil {
		return 0, err
	}
	for i := range trims {
		if trims[i].Settings.V.Fingerprint() != want {
			continue
		}
		if in.Pilot == 0 { // it was tried on the way, and is what was found
			err = w.store.AdoptTrim(ctx, rig, trims[i].ID, in.Name, in.Reason)
		}
		return trims[i].ID, err
	}
	made, err := w.MakeTrim(ctx, rig, in)
	if err != nil {
		return 0, err
	}
	return made.Trim.ID, nil
}
