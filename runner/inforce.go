package runner

import (
	"context"
	"errors"

	"zerokeel/live"
	"zerokeel/store"
)

// checkInForce sees, after a rig has started anew, whether its trim is still in force: an update, a cleared memory or a
// lost supply silently resets it. What drifted is recorded and announced; a rig that is set to it is fitted again.
func (r *Runner) checkInForce(ctx context.Context, rig *store.Rig) error {
	expected := rig.TrimInForce
	if !expected.Valid {
		expected = rig.LostTrim // what is on the board now is no known trim; it may have been entered by hand since
	}
	if !expected.Valid || rig.FirmwareAddress == "" {
		return r.store.NothingToCheck(ctx, rig.ID)
	}
	board, set, err := r.board(ctx, rig)
	if errors.Is(err, store.ErrNotFound) {
		return r.store.NothingToCheck(ctx, rig.ID)
	} else if err != nil {
		return err
	}
	t, err := r.store.Trim(ctx, expected.Int64)
	if err != nil {
		return err
	}
	back, err := board.Read(ctx, set, t.Settings.V)
	if err != nil {
		return err // tried again at the next round
	}
	state, err := board.State(ctx)
	if err != nil {
		return err
	}
	drift := back.Differences
	inForce := expected
	if len(drift) > 0 {
		inForce = r.trimWith(ctx, rig, back.Found)
	}
	if !rig.TrimInForce.Valid {
		drift = nil // nothing that was in force was lost by this start
	}
	if err := r.store.Checked(ctx, rig, state.Version, drift, inForce); err != nil {
		return err
	}
	if len(drift) == 0 {
		return nil
	}
	r.log.Warn("a trim is no longer in force", "rig", rig.Name, "trim", t.Number, "differences", len(drift))
	r.bus.Publish(live.Message{Topic: "rig", Rig: rig.ID})
	r.bus.Publish(live.Message{Topic: "trim", Rig: rig.ID, ID: t.ID})
	if !rig.Refit {
		return nil
	}
	err = r.store.CreateFitting(ctx, &store.Fitting{RigID: rig.ID, TrimID: t.ID, BootBefore: rig.BootID, RigClock: r.RigClock(rig.ID)})
	if errors.Is(err, store.ErrTaken) {
		return nil // something runs on it; the drift stays announced
	}
	r.Wake()
	return err
}
