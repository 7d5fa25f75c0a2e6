// Package pilot carries out surveys and whole tunings unattended, as a person would: it makes a trim, has it fitted, runs a trial, and
// reads what came of it, by the same functions of the workshop. Everything that it knows lies in the database, so that a process that is
// killed at any moment is gone on with by the next.
package pilot

import (
	"context"
	"database/sql"
	"errors"
	"fmt"

	"zerokeel/core/invalid"
	"zerokeel/core/tuning"
	"zerokeel/core/verdict"
	"zerokeel/store"
	"zerokeel/workshop"
)

// Driver steps pilots.
type Driver struct {
	shop  *workshop.Workshop
	store *store.Store
}

// New returns a driver of the pilots of a bench.
func New(shop *workshop.Workshop, s *store.Store) *Driver { return &Driver{shop, s} }

// When a pilot gives up: so many fittings of a trim came to nothing, so many trials in a row told nothing, so many failed that should have
// held, so many proofs of what was found failed. A trial should have held where its chance to fail was below nextToNone.
const (
	mostTries   = 3
	mostVoid    = 3
	mostStrange = 3
	mostProofs  = 4
	nextToNone  = 0.02
)

// flight is a pilot at a step.
type flight struct {
	*Driver
	lease *store.Lease
	*store.Pilot
	at *store.PilotProgress
}

// Step does the next thing for a pilot whose rig this process holds.
func (d *Driver) Step(ctx context.Context, lease *store.Lease, id int64) error {
	ctx = workshop.As(ctx, workshop.Actor{Kind: workshop.Pilot})
	p, err := d.store.Pilot(ctx, id)
	if err != nil || p.EndedAt.Valid || p.State == store.PilotPaused && !p.EndAsked {
		return err
	}
	f := &flight{d, lease, p, &p.Progress.V}
	if p.State == store.PilotPaused { // whoever took the rig over has it as they want it
		p.State, p.Problem = store.PilotEnded, endedByHand
		return f.save(ctx)
	}
	switch {
	case !f.at.Back && (p.PauseAsked || p.EndAsked):
		return f.turnBack(ctx)
	case d.shop.PilotWaits(p):
		return nil
	case f.at.Now == nil:
		return f.plan(ctx)
	}
	return f.follow(ctx)
}

// waits passes over what may be different at the next look, such as a rig that is busy, and has told what that is.
func (f *flight) waits(ctx context.Context, err error) error {
	var stands *workshop.Conflict
	if !errors.As(err, &stands) || f.at.WaitsFor == stands.Error() {
		return workshop.Waits(err)
	}
	f.at.WaitsFor = stands.Error()
	return f.store.SavePilot(ctx, f.lease, f.Pilot)
}

// save stores the step.
func (f *flight) save(ctx context.Context) error {
	f.at.WaitsFor = ""
	if f.State == store.PilotEnded {
		now, err := f.shop.RigClock(ctx, f.RigID)
		if err != nil {
			return err
		}
		f.RigEnded = sql.NullTime{Time: now.UTC(), Valid: true}
	}
	return f.store.SavePilot(ctx, f.lease, f.Pilot)
}

// turnBack ends what is under way and goes back to the trim that is safe.
func (f *flight) turnBack(ctx context.Context) error {
	t, err := f.store.PilotTrial(ctx, f.ID, f.at.Number)
	switch {
	case errors.Is(err, store.ErrNotFound):
	case err != nil, t.State != store.TrialEnded:
		return err
	default:
		if _, err := f.count(ctx, t); err != nil {
			return err
		}
		f.at.Number++
	}
	if now := f.at.Now; now != nil && now.Session != 0 {
		if x, err := f.store.Session(ctx, now.Session); err != nil || !x.EndedAt.Valid {
			return err
		}
	}
	if now := f.at.Now; now != nil && now.Fitting != 0 {
		if fitting, err := f.store.Fitting(ctx, now.Fitting); err != nil || !fitting.State.Ended() {
			return err
		}
	}
	f.at.Back, f.at.Now = true, &store.PilotOrder{Trim: f.at.Safe, Why: "Back to the trim that is safe."}
	return f.save(ctx)
}

// giveUp ends the pilot, with the reason, by way of the trim that is safe.
func (f *flight) giveUp(ctx context.Context, format string, args ...any) error {
	f.Problem, f.EndAsked = fmt.Sprintf(format, args...), true
	if f.at.Back {
		f.State, f.at.Now = store.PilotEnded, nil
		return f.save(ctx)
	}
	f.at.Back, f.at.Now = true, &store.PilotOrder{Trim: f.at.Safe, Why: f.Problem}
	f.at.Number++
	return f.save(ctx)
}

// follow looks at the order at hand, and goes on with it.
func (f *flight) follow(ctx context.Context) error {
	now := f.at.Now
	if now.Kind == tuning.Comparison {
		return f.compare(ctx)
	}
	t, err := f.store.PilotTrial(ctx, f.ID, f.at.Number)
	switch {
	case errors.Is(err, store.ErrNotFound):
	case err != nil, t.State != store.TrialEnded:
		return err
	default:
		return f.tried(ctx, t)
	}
	if now.Trim == 0 {
		now.Trim, err = f.make(ctx)
		if faults := (invalid.List)(nil); errors.As(err, &faults) && now.Kind == tuning.Measure {
			return f.done(ctx, store.StepDone{Skipped: true, Words: faults.Error()})
		} else if errors.As(err, &faults) {
			return f.giveUp(ctx, "the board does not take the next trim: %v", faults)
		} else if err != nil {
			return err
		}
		return f.save(ctx)
	}
	rig, err := f.store.Rig(ctx, f.RigID)
	if err != nil {
		return err
	}
	switch {
	case rig.TrimInForce.Valid && rig.TrimInForce.Int64 == now.Trim && f.at.Back:
		return f.arrived(ctx)
	case rig.TrimInForce.Valid && rig.TrimInForce.Int64 == now.Trim:
		return f.waits(ctx, f.start(ctx))
	case now.Fitting != 0:
		return f.fitted(ctx)
	}
	return f.fit(ctx)
}

const endedByHand = "ended by hand"

// arrived ends or pauses a pilot whose rig is at the trim that is safe.
func (f *flight) arrived(ctx context.Context) error {
	f.at.Now = nil
	switch {
	case f.EndAsked:
		f.State = store.PilotEnded
		if f.Problem == "" {
			f.Problem = endedByHand
		}
	case f.PauseAsked:
		f.State, f.at.Back = store.PilotPaused, false
	default: // all is done
		f.State = store.PilotEnded
		if f.at.Found != 0 {
			if err := f.shop.WatchRisk(ctx, f.RigID, f.Plan.V.Risk24h); err != nil {
				return err
			}
		}
	}
	return f.save(ctx)
}

// fit begins to fit the trim of the order. A stop of preflight is one, unless it stood against the trim that the pilot began with, too.
func (f *flight) fit(ctx context.Context) error {
	now := f.at.Now
	despite := ""
	if now.Trim != f.Base {
		check, err := f.shop.CheckTrim(ctx, now.Trim)
		if err != nil {
			return err
		}
		if why := f.passesBound(check); why != "" && !f.at.Back {
			return f.giveUp(ctx, "the next trim %s", why)
		}
		if why := check.Stops(); why != "" {
			base, err := f.shop.CheckTrim(ctx, f.Base)
			if err != nil {
				return err
			}
			if base.Stops() != why {
				return f.giveUp(ctx, "preflight stops the next trim: %s", why)
			}
			if despite, err = f.store.LastDespite(ctx, f.Base); err != nil {
				return err
			}
		}
	}
	costs, err := f.shop.CostsOf(ctx, f.RigID)
	if err != nil {
		return err
	}
	fitting, err := f.shop.Fit(ctx, f.RigID, now.Trim, despite)
	if err != nil {
		return f.waits(ctx, err)
	}
	now.Fitting, now.Card = fitting.ID, fitting.ByHand()
	f.at.Fitted++
	f.at.SpentMin += costs.RestartMin
	return f.save(ctx)
}

// fitted looks at the fitting of the order, whose trim was not in force a moment ago.
func (f *flight) fitted(ctx context.Context) error {
	now := f.at.Now
	fitting, err := f.store.Fitting(ctx, now.Fitting)
	if err != nil || !fitting.State.Ended() {
		return err
	}
	rig, err := f.store.Rig(ctx, f.RigID)
	if err != nil || rig.TrimInForce.Valid && rig.TrimInForce.Int64 == now.Trim {
		return err // it has ended since
	}
	now.Fitting = 0
	if fitting.State == store.FitNoPost {
		costs, err := f.shop.CostsOf(ctx, f.RigID)
		if err != nil {
			return err
		}
		f.at.Clears++
		f.at.SpentMin += costs.ClearMin
		if f.at.Clears > f.Plan.V.MostClears {
			return f.giveUp(ctx, "the machine did not come up %d times, and %d were allowed", f.at.Clears, f.Plan.V.MostClears)
		}
		if !f.at.Back {
			return f.noPost(ctx)
		}
	}
	if now.Tries++; now.Tries >= mostTries {
		return f.giveUp(ctx, "a trim could not be fitted: %s %s", fitting.State, fitting.Problem)
	}
	return f.save(ctx)
}

// count adds what the legs of a trial took.
func (f *flight) count(ctx context.Context, t *store.Trial) ([]store.Leg, error) {
	costs, err := f.shop.CostsOf(ctx, f.RigID)
	if err != nil {
		return nil, err
	}
	legs, err := f.store.Legs(ctx, t.ID)
	for i := range legs {
		f.at.SpentMin += legs[i].SeenS / 60
	}
	if v := t.Result.V.Verdict; v == verdict.Froze || v == verdict.Restarted {
		f.at.Crashes++
		f.at.SpentMin += costs.CrashMin
	}
	return legs, err
}
