package workshop

import (
	"context"
	"time"

	"zerokeel/link"
)

// powerWithin is how long a machine may take to answer that it goes off.
const powerWithin = 10 * time.Second

// Power shuts a rig's machine down, or starts it anew, where its agent is the machine's first process and nothing runs on it.
func (w *Workshop) Power(ctx context.Context, rig int64, how link.Power) error {
	if err := may(ctx, change, rig); err != nil {
		return err
	}
	r, err := w.store.Rig(ctx, rig)
	if err != nil {
		return err
	}
	if runs, err := w.store.Runs(ctx, rig); err != nil {
		return err
	} else if runs {
		return busy(r.Name)
	}
	if !w.hub.Status(rig).Hello.Powers {
		return conflict("%s is not linked here, or was not started from a bench stick; do it at the machine", r.Name)
	}
	ctx, done := context.WithTimeout(ctx, powerWithin)
	defer done()
	answer, err := w.hub.Ask(ctx, rig, link.Ask{Power: how})
	if err != nil {
		return conflict("%s does not answer: %v", r.Name, err)
	}
	return answer.Faults.Err()
}
