package workshop

import (
	"context"
	"time"
)

// tidyEvery is the time between two looks for what is kept long enough.
const tidyEvery = time.Hour

// tidy drops what is kept long enough, until the context ends. Several processes may do so at once.
func (w *Workshop) tidy(ctx context.Context) error {
	tick := time.NewTicker(tidyEvery)
	defer tick.Stop()
	for {
		if err := w.store.DropTraces(ctx); err != nil && ctx.Err() == nil {
			w.log.Warn("what is kept long enough could not be dropped; it is tried again", "error", err)
		}
		select {
		case <-ctx.Done():
			return nil
		case <-tick.C:
		}
	}
}
