package runner

import (
	"context"
	"errors"

	"zerokeel/store"
	"zerokeel/workshop"
)

// restore fits the first trim of a rig again after a trial that was to leave its running system as it was found. What stands in the way is
// waited for; that it was asked is forgotten once the fitting is under way.
func (r *Runner) restore(ctx context.Context, lease *store.Lease, t *store.Trial) error {
	trims, err := r.store.Trims(ctx, t.RigID)
	if err != nil || len(trims) == 0 {
		return err
	}
	rig, err := r.store.Rig(ctx, t.RigID)
	if err != nil {
		return err
	}
	if found := trims[0].ID; rig.InSystem && rig.TrimInForce.Int64 != found {
		_, err := r.shop.Fit(ctx, rig.ID, found, "")
		if stands := (*workshop.Conflict)(nil); errors.As(err, &stands) {
			return nil
		} else if err != nil {
			return err
		}
	}
	return r.store.Restored(ctx, lease, t.ID)
}
