package runner

import (
	"context"
	"errors"
	"slices"

	"zerokeel/store"
	"zerokeel/workshop"
)

// checkInForce sees, after a rig has started anew, whether its trim is still in force: an update, a cleared memory or a
// lost supply silently resets it. What drifted is recorded and announced; a rig that is set to it is fitted again.
func (r *Runner) checkInForce(ctx context.Context, lease *store.Lease, rig *store.Rig) error {
	expected := rig.TrimInForce
	if !expected.Valid {
		expected = rig.LostTrim // what is on the board now is no known trim; it may have been entered by hand since
	}
	if rig.InSystem && !rig.Board.Valid { // its first start here
		if _, err := r.shop.Sketch(ctx, rig.ID); workshop.Waits(err) != nil {
			return err
		}
		return r.store.NothingToCheck(ctx, rig.ID)
	}
	if !expected.Valid || rig.ByHand() {
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
	if len(drift) > 0 { // a rig may be restarted for it: once more, before it is believed
		again, err := board.Read(ctx, set, t.Settings.V)
		if err != nil {
			return err
		}
		if !slices.Equal(drift, again.Differences) {
			return errUnsure
		}
	}
	inForce := expected
	if len(drift) > 0 {
		inForce = r.trimWith(ctx, rig, back.Found)
	}
	if !rig.TrimInForce.Valid {
		drift = nil // nothing that was in force was lost by this start
	}
	if err := r.store.Checked(ctx, lease, rig, state.Version, drift, inForce); err != nil {
		return err
	}
	if len(drift) == 0 {
		return nil
	}
	r.log.Warn("a trim is no longer in force", "rig", rig.Name, "trim", t.Number, "differences", len(drift))
	if !rig.Refit {
		return nil
	}
	_, err = r.shop.Fit(ctx, rig.ID, t.ID, "")
	var stands *workshop.Conflict
	if errors.As(err, &stands) {
		r.log.Warn("a trim that was lost is not fitted again", "rig", rig.Name, "trim", t.Number, "cause", err)
		return nil // something runs on it, or preflight stops it; the drift stays announced
	}
	return err
}
