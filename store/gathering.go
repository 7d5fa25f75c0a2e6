package store

import (
	"cmp"
	"context"
	"slices"
	"sync"
	"time"

	"zerokeel/link"
)

// gathering stores what several rigs hand over in one transaction, because each is written to the disk by itself: a hundred rigs
// that tell their figures once a second would have it written to a hundred times a second.
type gathering struct {
	takeIn func(context.Context, []*handover)

	mu      sync.Mutex
	waiting []*handover
	until   time.Time     // when the first of those waiting has waited long enough
	hurry   chan struct{} // told when until came nearer; nil while nothing waits and nothing is stored
}

// add has a handover stored within patience, at once when somebody waits for it.
func (g *gathering) add(h *handover, patience time.Duration) {
	at := time.Now().Add(patience)
	if h.urgent() {
		at = time.Now()
	}
	g.mu.Lock()
	defer g.mu.Unlock()
	if len(g.waiting) == 0 || at.Before(g.until) {
		g.until = at
	}
	g.waiting = append(g.waiting, h)
	if g.hurry == nil {
		g.hurry = make(chan struct{}, 1)
		go g.run(g.hurry)
		return
	}
	select {
	case g.hurry <- struct{}{}:
	default:
	}
}

// run stores what waits whenever its time has come, until nothing waits any more. Whoever waits may go away meanwhile; what it
// handed over is stored nevertheless, and sending it again does no harm.
func (g *gathering) run(hurry <-chan struct{}) {
	for {
		g.mu.Lock()
		left := time.Until(g.until)
		var list []*handover
		switch {
		case len(g.waiting) == 0:
			g.hurry = nil
			g.mu.Unlock()
			return
		case left <= 0:
			list, g.waiting = g.waiting, nil
		}
		g.mu.Unlock()
		if list == nil {
			timer := time.NewTimer(left)
			select {
			case <-timer.C:
			case <-hurry:
			}
			timer.Stop()
			continue
		}
		g.takeIn(context.Background(), list)
		for _, h := range list {
			close(h.done)
		}
	}
}

// handover is what a rig hands over: frames of its stream.
type handover struct {
	rig    int64
	stream string
	frames []link.Frame

	last uint64 // held afterwards
	err  error
	done chan struct{} // closed once last and err stand
}

// alone is from how many frames on a handover is a transaction by itself.
const alone = 32

// large tells what a rig kept while the server was away: to store it takes longer than others should wait.
func (h *handover) large() bool {
	moments := 0
	for i := range h.frames {
		if s := h.frames[i].Samples; s != nil {
			moments += len(s.At)
		}
	}
	return len(h.frames) >= alone || moments >= directMoments
}

// urgent tells whether somebody waits for what the frames report.
func (h *handover) urgent() bool {
	return slices.ContainsFunc(h.frames, func(f link.Frame) bool {
		return f.Started != nil || f.Finished != nil || f.Leaving != nil || len(f.Events) > 0
	})
}

// takeIn stores what rigs hand over in one transaction. Should it fail for what one of them hands over, the others' are stored
// nevertheless.
func (s *Store) takeIn(ctx context.Context, list []*handover) {
	slices.SortStableFunc(list, func(a, b *handover) int { return cmp.Compare(a.rig, b.rig) }) // locks are taken in this order
	err := s.withNumbers(ctx, func(tx *txn) error {
		in := ingest{store: s, ctx: ctx, tx: tx}
		return in.all(list)
	})
	if err == nil {
		return
	}
	if len(list) > 1 && !isOutage(err) {
		for _, h := range list {
			s.takeIn(ctx, []*handover{h})
		}
		return
	}
	for _, h := range list {
		h.err = err
	}
}
