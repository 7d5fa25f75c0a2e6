package workshop

import (
	"context"
	"errors"
	"time"
)

// tidyEvery is the time between two looks for what is kept long enough.
const tidyEvery = time.Hour

// tidy drops what is kept long enough, until the context ends. Several processes may do so at once.
func (w *Workshop) tidy(ctx context.Context) error {
	tick := time.NewTicker(tidyEvery)
	defer tick.Stop()
	for {
		err := w.store.PartMonths(ctx, time.Now())
		for _, drop := range []func(context.Context) error{w.dropSamples, w.store.DropTraces, w.store.DropOld} {
			err = errors.Join(err, drop(ctx))
		}
		if err != nil && ctx.Err() == nil {
			w.log.Warn("what is kept long enough could not be dropped; it is tried again", "error", err)
		}
		select {
		case <-ctx.Done():
			return nil
		case <-tick.C:
		}
	}
}
