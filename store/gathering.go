package store

import (
	"context"
	"sync"
	"time"
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
