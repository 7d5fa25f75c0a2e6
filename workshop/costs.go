package workshop

import (
	"context"
	"errors"

	"zerokeel/core/sounding"
	"zerokeel/core/survey"
	"zerokeel/store"
)

// CostsOf tells what restarts, crashes and clearing take on a rig, as its own fittings took where there were enough of them.
func (w *Workshop) CostsOf(ctx context.Context, rig int64) (survey.Costs, error) {
	if err := may(ctx, look, rig); err != nil {
		return survey.Costs{}, err
	}
	fitted, err := w.store.FittingTimes(ctx, rig, store.FitInForce)
	cleared, also := w.store.FittingTimes(ctx, rig, store.FitNoPost)
	return sounding.CostsOf(fitted, cleared), errors.Join(err, also)
}
