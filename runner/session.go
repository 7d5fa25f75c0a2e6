package runner

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"time"

	"zerokeel/core/verdict"
	"zerokeel/store"
	"zerokeel/workshop"
)

// stepSession does the next thing for an interleaved session: it fits the trim of the block at hand, runs its yardsticks, and goes
// on to the next block. It ends with its last block, or where a fitting or a run does not do what it should.
func (r *Runner) stepSession(ctx context.Context, lease *store.Lease, id int64) error {
	x, err := r.store.Session(ctx, id)
	if err != nil || x.EndedAt.Valid {
		return err
	}
	from := x.Block
	done, err := r.followSession(ctx, x)
	if err != nil || !done {
		return err
	}
	if x.Problem != "" || x.Block == len(x.Blocks.V) {
		x.EndedAt = sql.NullTime{Time: time.Now().UTC(), Valid: true}
	}
	return r.store.SaveSession(ctx, lease, x, from)
}

// followSession looks at a session's block, and reports whether the session has moved on.
func (r *Runner) followSession(ctx context.Context, x *store.Session) (moved bool, err error) {
	block := x.Blocks.V[x.Block]
	t, err := r.store.SessionTrial(ctx, x.ID, x.Block)
	switch {
	case errors.Is(err, store.ErrNotFound):
	case err != nil, t.State != store.TrialEnded:
		return false, err
	case t.Result.V.Verdict != verdict.Held:
		x.Problem = fmt.Sprintf("trial %d ended: %s", t.Number, t.Result.V.Verdict)
		return true, nil
	default:
		x.Block, x.FittingID = x.Block+1, sql.NullInt64{}
		return true, nil
	}
	if x.EndAsked {
		x.Problem = "ended by hand"
		return true, nil
	}
	rig, err := r.store.Rig(ctx, x.RigID)
	if err != nil {
		return false, err
	}
	if rig.TrimInForce.Valid && rig.TrimInForce.Int64 == block.Trim {
		return false, workshop.Waits(r.runBlock(ctx, x, rig))
	}
	if x.FittingID.Valid {
		return r.fittedBlock(ctx, x)
	}
	f, err := r.shop.Fit(ctx, x.RigID, block.Trim, "")
	if err != nil {
		return false, workshop.Waits(err)
	}
	x.FittingID = sql.NullInt64{Int64: f.ID, Valid: true}
	return true, nil
}

// fittedBlock looks at the fitting of a block whose trim was not in force a moment ago.
func (r *Runner) fittedBlock(ctx context.Context, x *store.Session) (moved bool, err error) {
	f, err := r.store.Fitting(ctx, x.FittingID.Int64)
	if err != nil || !f.State.Ended() {
		return false, err
	}
	rig, err := r.store.Rig(ctx, x.RigID)
	if err != nil || rig.TrimInForce.Valid && rig.TrimInForce.Int64 == f.TrimID {
		return false, err // it has ended since
	}
	x.Problem = "its trim was lost after it was fitted"
	if f.State != store.FitInForce {
		x.Problem = fmt.Sprintf("its trim could not be fitted: %s %s", f.State, f.Problem)
	}
	return true, nil
}

// runBlock starts the runs of the block at hand, under the trim in force.
func (r *Runner) runBlock(ctx context.Context, x *store.Session, rig *store.Rig) error {
	if !r.hub.Status(rig.ID).Linked {
		return nil // it comes up after its fitting
	}
	plan := workshop.Plan{Name: fmt.Sprintf("Interleaved, %d of %d", x.Block+1, len(x.Blocks.V)), Purpose: store.PurposeScore,
		Session: &workshop.SessionBlock{Session: x.ID, Block: x.Block}}
	for _, id := range x.Yardsticks.V {
		plan.Legs = append(plan.Legs, slices.Repeat([]workshop.LegPlan{{Yardstick: id}}, x.Blocks.V[x.Block].Runs)...)
	}
	_, err := r.shop.StartTrial(ctx, rig.ID, plan)
	return err
}
