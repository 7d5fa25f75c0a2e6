package workshop

import (
	"context"
	"sync/atomic"
	"time"
)

// counts are what this process has counted since it started.
type counts struct{ frames, framesRefused, stepsFailed atomic.Int64 }

// OwnFigures tell how this process itself does. Counts are since its start.
type OwnFigures struct {
	Links         int // of rigs
	Leases        int // of rigs that it steps
	Frames        int64
	FramesRefused int64 // not stored, and sent again by their rigs
	StepsFailed   int64 // of fittings and trials, and tried again
	Database      bool  // it answers
}

// answersWithin is how long the database may take to count as there.
const answersWithin = 2 * time.Second

// OwnFigures returns how this process does.
func (w *Workshop) OwnFigures(ctx context.Context) (OwnFigures, error) {
	if err := may(ctx, look, 0); err != nil {
		return OwnFigures{}, err
	}
	within, cancel := context.WithTimeout(ctx, answersWithin)
	defer cancel()
	return OwnFigures{Links: len(w.hub.Linked()), Leases: w.held.count(), Frames: w.counts.frames.Load(),
		FramesRefused: w.counts.framesRefused.Load(), StepsFailed: w.counts.stepsFailed.Load(), Database: w.store.Ping(within) == nil}, nil
}

// StepFailed notes that a step of a fitting or a trial failed, and is tried again.
func (w *Workshop) StepFailed() { w.counts.stepsFailed.Add(1) }

// tookFrames counts frames that came in, and whether they were stored.
func (w *Workshop) tookFrames(n int, err error) {
	if err != nil {
		w.counts.framesRefused.Add(int64(n))
		return
	}
	w.counts.frames.Add(int64(n))
}
