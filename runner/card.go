package runner

import (
	"context"
	"database/sql"
	"errors"
	"fmt"

	"zerokeel/core/part"
	"zerokeel/firmware"
	"zerokeel/store"
)

// stepCard does the next thing for a fitting by hand. While the card is being entered nothing is done here. Once it was,
// the machine's restart is waited for, for as long as it takes: nobody can bring it back but the person beside it. Then
// whatever of the trim shows from the running system is compared.
func (r *Runner) stepCard(ctx context.Context, lease *store.Lease, f *store.Fitting, board firmware.Board, set *part.Set,
	t *store.Trim) error {
	status := r.hub.Status(f.RigID)
	switch f.State {
	case store.FitWaiting:
		if status.Linked && status.Hello.BootID != f.BootBefore {
			f.State = store.FitReading
			return r.saveFitting(ctx, lease, f, sql.NullInt64{})
		}
	case store.FitReading:
		back, err := board.Read(ctx, set, t.Settings.V)
		if err != nil {
			return err
		}
		f.Differences = store.AsJSON(back.Differences)
		if state, err := board.State(ctx); err == nil || errors.Is(err, firmware.ErrByHand) {
			f.Version = state.Version // as the running system tells it
		}
		f.State = store.FitInForce
		inForce := nullID(t.ID)
		if n := len(f.Differences.V); n > 0 {
			f.State, inForce = store.FitDiffers, sql.NullInt64{}
			f.Problem = fmt.Sprintf("%d things on the running machine do not fit this trim; look at the card again", n)
		}
		return r.saveFitting(ctx, lease, f, inForce)
	}
	return nil
}
