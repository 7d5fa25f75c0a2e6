package runner

import (
	"context"
	"database/sql"
	"errors"
	"fmt"

	"zerokeel/store"
	"zerokeel/workshop"
)

// stepMember does the next thing for a rig of a batch: it waits until the ceiling bears it, has its trim fitted, and runs the ladder.
func (r *Runner) stepMember(ctx context.Context, lease *store.Lease, m *store.Member) error {
	b, err := r.store.Batch(ctx, m.BatchID)
	if err != nil {
		return err
	}
	from := m.State
	switch {
	case from == store.MemberWaits && b.StopAsked:
		m.State, m.Words = store.MemberEnded, "stopped before it began"
	case from == store.MemberWaits:
		if rig := r.hub.Status(m.RigID); !rig.Linked {
			return nil // it takes no other's turn
		}
		_, err := r.store.Admit(ctx, lease, m)
		return err // goes on at the next look, as it stands then
	default:
		moved, err := r.followMember(ctx, b, m)
		if err != nil || !moved {
			return err
		}
	}
	return r.store.SaveMember(ctx, lease, m, from)
}

// followMember looks at a member that goes, and reports whether it has moved on.
func (r *Runner) followMember(ctx context.Context, b *store.Batch, m *store.Member) (moved bool, err error) {
	t, err := r.store.BatchTrial(ctx, b.ID, m.RigID)
	switch {
	case err == nil && t.State != store.TrialEnded:
		return false, nil
	case err == nil:
		m.State, m.Words = store.MemberEnded, fmt.Sprintf("trial %d: %s", t.Number, t.Result.V.Verdict)
		return true, nil
	case !errors.Is(err, store.ErrNotFound):
		return false, err
	case b.StopAsked:
		if fitting, err := r.fits(ctx, m); err != nil || fitting {
			return false, err // a board is not left in the middle
		}
		m.State, m.Words = store.MemberEnded, "stopped before its trial began"
		return true, nil
	}
	rig, err := r.store.Rig(ctx, m.RigID)
	if err != nil {
		return false, err
	}
	if m.TrimID.Valid && (!rig.TrimInForce.Valid || rig.TrimInForce.Int64 != m.TrimID.Int64) {
		return r.fitMember(ctx, m)
	}
	if !r.hub.Status(rig.ID).Linked {
		return false, nil // it comes up after its fitting
	}
	_, err = r.shop.StartTrial(ctx, rig.ID, workshop.Plan{Name: b.Name, Ladder: b.Ladder, Batch: b.ID})
	return false, workshop.Waits(err)
}

// fits reports whether the trim of a member is being fitted.
func (r *Runner) fits(ctx context.Context, m *store.Member) (bool, error) {
	if !m.Fitting.Valid {
		return false, nil
	}
	f, err := r.store.Fitting(ctx, m.Fitting.Int64)
	return err == nil && !f.State.Ended(), err
}

// fitMember has the trim of a member fitted, and looks at how that goes.
func (r *Runner) fitMember(ctx context.Context, m *store.Member) (moved bool, err error) {
	if !m.Fitting.Valid {
		f, err := r.shop.Fit(ctx, m.RigID, m.TrimID.Int64, "")
		if err != nil {
			return false, workshop.Waits(err)
		}
		m.Fitting = sql.NullInt64{Int64: f.ID, Valid: true}
		return true, nil
	}
	f, err := r.store.Fitting(ctx, m.Fitting.Int64)
	if err != nil || !f.State.Ended() {
		return false, err
	}
	rig, err := r.store.Rig(ctx, m.RigID)
	if err != nil || rig.TrimInForce.Valid && rig.TrimInForce.Int64 == f.TrimID {
		return false, err // it has ended since
	}
	m.State, m.Words = store.MemberEnded, "its trim was lost after it was fitted"
	if f.State != store.FitInForce {
		m.Words = fmt.Sprintf("its trim could not be fitted: %s %s", f.State, f.Problem)
	}
	return true, nil
}
