package workshop

import (
	"context"
	"database/sql"

	"zerokeel/store"
)

// PutBack takes in that the records were put back from a backup: what was under way is not known to be so any more. Fittings are
// given up, legs are run anew, boards are read anew. It is for whoever runs the server's own machine, while no server does.
func (w *Workshop) PutBack(ctx context.Context) (Holdings, error) {
	var out Holdings
	if err := may(ctx, manage, 0); err != nil {
		return out, err
	}
	if err := w.store.PutBack(ctx); err != nil {
		return out, err
	}
	open, err := w.store.OpenFittings(ctx)
	if err != nil {
		return out, err
	}
	for i := range open {
		f := &open[i]
		f.FailedIn, f.State = f.State, store.FitFailed
		f.Problem = "the records were put back to an earlier moment; what stands on the board now is not known"
		if err := w.store.SaveFitting(ctx, nil, f, sql.NullInt64{}, nil); err != nil {
			return out, err
		}
	}
	return w.store.Count(ctx)
}
