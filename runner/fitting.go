package runner

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"time"

	"zerokeel/core/invalid"
	"zerokeel/core/proof"
	"zerokeel/core/trim"
	"zerokeel/firmware"
	"zerokeel/store"
)

// stepFitting does the next thing for a fitting.
//
//	staging → restarting → waiting → reading → in force | differs
//	staging ─────────────────────────→ reading → in force | differs         in the running system
//	                          └→ clearing → no POST
//	entering ─────────────────→ waiting → reading → in force | differs      by hand, see card.go
func (r *Runner) stepFitting(ctx context.Context, lease *store.Lease, id int64) error {
	f, err := r.store.Fitting(ctx, id)
	if err != nil || f.State.Ended() {
		return err
	}
	rig, err := r.store.Rig(ctx, f.RigID)
	if err != nil {
		return err
	}
	t, err := r.store.Trim(ctx, f.TrimID)
	if err != nil {
		return err
	}
	board, set, err := r.board(ctx, rig)
	switch {
	case errors.Is(err, store.ErrNotFound):
		return r.failFitting(ctx, lease, f, rig, "the rig's part sheets are missing, so its settings cannot be spelt for the board")
	case err != nil:
		return err // the database is away: tried again
	case f.ByHand():
		return r.stepCard(ctx, lease, f, board, set, t)
	}
	status := r.hub.Status(f.RigID)
	since := r.since(f)
	if !r.states.due(fittingName(f.ID), string(f.State), f.ActedAt) {
		return nil
	}
	switch f.State {
	case store.FitStaging:
		if err := board.Stage(ctx, set.Board, t.Settings.V); err != nil {
			return r.stagingFailed(ctx, lease, f, rig, err)
		}
		f.State, f.BootBefore = store.FitRestarting, rig.BootID
		if !board.Restarts() {
			f.State = store.FitReading
		}
		return r.saveFitting(ctx, lease, f, sql.NullInt64{})
	case store.FitRestarting:
		// After a kill at this point the restart may have been asked for already; asking twice only starts anew.
		// A board that gives no answer may have restarted all the same, so only a refusal ends the fitting here.
		err := board.Apply(ctx)
		if errors.Is(err, firmware.ErrUnclear) && r.again(f) {
			return err
		}
		if err != nil && !errors.Is(err, firmware.ErrUnreachable) {
			return r.failFitting(ctx, lease, f, rig, err.Error())
		}
		f.State = store.FitWaiting
		return r.saveFitting(ctx, lease, f, sql.NullInt64{})
	case store.FitWaiting:
		if status.Linked && status.Hello.BootID != f.BootBefore {
			f.State = store.FitReading
			return r.saveFitting(ctx, lease, f, sql.NullInt64{})
		}
		if !r.waited(f.RigID, status, since, comesUpS) {
			return nil
		}
		return r.notUp(ctx, lease, f, rig, board)
	case store.FitReading:
		back, err := board.Read(ctx, set, t.Settings.V)
		if (errors.Is(err, firmware.ErrUnreachable) || errors.Is(err, firmware.ErrUnclear)) && r.again(f) {
			return err
		}
		if err != nil {
			return r.failFitting(ctx, lease, f, rig, err.Error())
		}
		f.Found, f.Differences = store.AsJSON(back.Found), store.AsJSON(back.Differences)
		if state, err := board.State(ctx); err == nil {
			f.Version = state.Version
		}
		f.State = store.FitInForce
		inForce := nullID(t.ID)
		if len(f.Differences.V) > 0 {
			f.State, inForce = store.FitDiffers, sql.NullInt64{}
			f.Problem = fmt.Sprintf("%d settings are not in force as asked", len(f.Differences.V))
		}
		return r.saveFitting(ctx, lease, f, inForce)
	case store.FitClearing:
		return r.clear(ctx, lease, f, rig, board, trim.Stock(set.Processor, set.Board))
	}
	return nil
}

// tryFor is for how long, at least, a board that gives no answer, or none that makes sense, is asked again for what a fitting needs to
// go on.
const tryFor = 2 * time.Minute

// again tells whether a step that failed at the board is tried again, ever later.
func (r *Runner) again(f *store.Fitting) bool {
	r.states.later(fittingName(f.ID), string(f.State), f.ActedAt)
	return time.Since(r.since(f)) < tryFor
}

// since returns when this process first saw a fitting in the state in which it is.
func (r *Runner) since(f *store.Fitting) time.Time {
	return r.states.since(fittingName(f.ID), string(f.State), f.ActedAt)
}

// stagingFailed ends a fitting that the board refused: nothing has changed on it.
func (r *Runner) stagingFailed(ctx context.Context, lease *store.Lease, f *store.Fitting, rig *store.Rig, cause error) error {
	var faults invalid.List
	if errors.As(cause, &faults) {
		differences := make([]trim.Difference, len(faults))
		for i, one := range faults {
			differences[i] = trim.Difference{Key: one.Field, Text: one.Problem + "; " + one.Remedy}
		}
		f.Differences = store.AsJSON(differences)
		return r.failFitting(ctx, lease, f, rig, "the board does not take this trim; nothing was changed")
	}
	return r.failFitting(ctx, lease, f, rig, cause.Error())
}

// failFitting ends a fitting. What was in force stays so as long as nothing was restarted.
func (r *Runner) failFitting(ctx context.Context, lease *store.Lease, f *store.Fitting, rig *store.Rig, problem string) error {
	if ctx.Err() != nil {
		return ctx.Err()
	}
	f.FailedIn, f.State, f.Problem = f.State, store.FitFailed, problem
	inForce := sql.NullInt64{}
	if f.FailedIn == store.FitStaging || f.FailedIn == store.FitRestarting {
		inForce = rig.TrimInForce
	}
	return r.saveFitting(ctx, lease, f, inForce)
}

// notUp decides about a machine that should be back by now, by what its board says.
func (r *Runner) notUp(ctx context.Context, lease *store.Lease, f *store.Fitting, rig *store.Rig, board firmware.Board) error {
	state, err := r.ask(ctx, rig)
	status := r.hub.Status(f.RigID)
	if status.Greeted || status.Linked && status.Hello.BootID != f.BootBefore {
		return nil // it came up while its board was asked
	}
	if errors.Is(err, errNotYet) || errors.Is(err, errUnsure) {
		return nil
	}
	if err != nil {
		return r.failFitting(ctx, lease, f, rig, err.Error())
	}
	if state.Running {
		// The operating system was started: the agent may need longer, or is not installed.
		if !r.waited(f.RigID, status, r.since(f), 4*comesUpS) {
			return nil
		}
		return r.failFitting(ctx, lease, f, rig, "the machine runs, but its agent does not link; see that it is installed and started")
	}
	if err := board.Clear(ctx); err != nil {
		f.FailedIn = f.State
		f.State, f.Problem = store.FitNoPost, fmt.Sprintf("the machine does not come up; clear the CMOS at the board (%v)", err)
		return r.saveFitting(ctx, lease, f, sql.NullInt64{})
	}
	f.FailedIn, f.State = store.FitWaiting, store.FitClearing
	f.Problem = "the machine does not come up with these settings; they were cleared"
	if err := board.Apply(ctx); err != nil {
		return err
	}
	return r.saveFitting(ctx, lease, f, sql.NullInt64{})
}

// clear waits for a machine whose settings were cleared: it runs at stock then, which is T0.
func (r *Runner) clear(ctx context.Context, lease *store.Lease, f *store.Fitting, rig *store.Rig, board firmware.Board,
	stock trim.Settings) error {
	status := r.hub.Status(f.RigID)
	if status.Linked && status.Hello.BootID != f.BootBefore {
		f.State = store.FitNoPost
		return r.saveFitting(ctx, lease, f, r.trimWith(ctx, rig, stock))
	}
	if r.waited(f.RigID, status, r.since(f), comesUpS) {
		// Killed between clearing and restarting, or not taken: ask again.
		if err := board.Apply(ctx); err != nil {
			return err
		}
		return r.saveFitting(ctx, lease, f, sql.NullInt64{})
	}
	return nil
}

// trimWith returns the rig's first trim with exactly these settings.
func (r *Runner) trimWith(ctx context.Context, rig *store.Rig, settings trim.Settings) sql.NullInt64 {
	trims, err := r.store.Trims(ctx, rig.ID)
	if err != nil {
		return sql.NullInt64{}
	}
	for _, t := range trims {
		if len(trim.Diff(t.Settings.V, settings)) == 0 {
			return nullID(t.ID)
		}
	}
	return sql.NullInt64{}
}

// toldRate is up to which rate a rig's clock tells how long something took: beyond, our own time to look makes up most of it.
const toldRate = 60

// saveFitting stores a step of a fitting. A trim with which the machine did not come up has failed.
func (r *Runner) saveFitting(ctx context.Context, lease *store.Lease, f *store.Fitting, inForce sql.NullInt64) error {
	if status := r.hub.Status(f.RigID); f.State.Ended() && status.Linked && status.Hello.ClockRate <= toldRate {
		took := time.Duration(status.Clock(time.Now())-f.RigClock.UnixMilli()) * time.Millisecond
		f.TookS = sql.NullFloat64{Float64: took.Seconds(), Valid: took > 0}
	}
	var stood *proof.Stood
	if f.State == store.FitNoPost {
		s := proof.NoPostStood()
		stood = &s
	}
	return r.store.SaveFitting(ctx, lease, f, inForce, stood)
}
