package workshop

import (
	"context"
	"encoding/json"
	"maps"
	"slices"
	"time"

	"zerokeel/live"
	"zerokeel/store"
)

// Times of the outbox: how often it is looked at when this process itself tells nothing; for how long news may still come
// in with a number lower than those read already, since numbers are given out before a commit; and for how long news are
// kept. Of numbers that were left out at once, at most mostMissing may still come in: more transactions than that do not
// commit at the same time.
const (
	newsEvery   = 100 * time.Millisecond
	newsLate    = 10 * time.Second
	newsKept    = time.Minute
	mostMissing = 256
)

// outbox is where the news of all processes are read, in the order of their numbers.
type outbox interface {
	OutboxEnd(ctx context.Context) (int64, error)
	Outbox(ctx context.Context, after int64, missing []int64) ([]store.News, error)
	PruneOutbox(ctx context.Context, age time.Duration) error
	Committed() <-chan struct{}
}

var _ outbox = (*store.Store)(nil)

// newsReader reads an outbox, each piece of news once.
type newsReader struct {
	from    outbox
	last    int64               // the highest number that was read
	missing map[int64]time.Time // lower ones that were never seen, and when that was noticed: they may still come in
}

// next returns the news that were not read yet.
func (r *newsReader) next(ctx context.Context, now time.Time) ([]store.News, error) {
	for id, noticed := range r.missing {
		if now.Sub(noticed) > newsLate {
			delete(r.missing, id) // rolled back, or never given out
		}
	}
	list, err := r.from.Outbox(ctx, r.last, slices.Collect(maps.Keys(r.missing)))
	if err != nil {
		return nil, err
	}
	for _, n := range list {
		delete(r.missing, n.ID)
		for id := max(r.last+1, n.ID-mostMissing); id < n.ID; id++ {
			r.missing[id] = now
		}
		r.last = max(r.last, n.ID)
	}
	return list, nil
}

// readNews hands the news of all processes to this one's pages and drivers, until the context ends. After an outage of the
// database nobody knows what was missed, and everything counts as changed.
func (w *Workshop) readNews(ctx context.Context) error {
	r := newsReader{from: w.store, missing: map[int64]time.Time{}}
	begun, failed, pruned := false, false, time.Now()
	tick := time.NewTicker(newsEvery)
	defer tick.Stop()
	for {
		var err error
		if !begun {
			r.last, err = w.store.OutboxEnd(ctx)
			begun = err == nil
		}
		var list []store.News
		if begun {
			list, err = r.next(ctx, time.Now())
		}
		if err == nil && time.Since(pruned) > newsLate {
			pruned = time.Now()
			err = w.store.PruneOutbox(ctx, newsKept)
		}
		for _, n := range list {
			w.spread(ctx, n)
		}
		if ctx.Err() != nil {
			return nil
		}
		w.came("news", err)
		switch {
		case err != nil:
			if !failed {
				w.log.Warn("the news could not be read", "error", err)
			}
			failed = true
		case failed:
			failed = false
			w.bus.Publish(live.Message{Topic: live.All})
		}
		select {
		case <-ctx.Done():
			return nil
		case <-r.from.Committed():
		case <-tick.C:
		}
	}
}

// spread hands a piece of news on within this process.
func (w *Workshop) spread(ctx context.Context, n store.News) {
	if n.Topic != store.TopicVitals {
		w.bus.Publish(live.Message{Topic: n.Topic, Rig: n.Rig, ID: n.Ref})
		w.heed(ctx, n)
		return
	}
	var beat Beat
	if err := json.Unmarshal([]byte(n.Body.String), &beat); err != nil || beat.By == w.me {
		return // this process has told its own already
	}
	w.vitals.takeBeat(&beat)
	w.bus.Publish(live.Message{Topic: store.TopicVitals, Data: &beat})
}

// heed takes in what news change of what this process knows of the rigs linked to it.
func (w *Workshop) heed(ctx context.Context, n store.News) {
	rigs := []int64{n.Rig}
	switch n.Topic {
	case store.TopicToken:
		w.hub.Cut(n.Rig)
		return
	case store.TopicCorrection:
	case store.TopicPart:
		rigs = w.hub.Linked()
	default:
		return
	}
	for _, rig := range rigs {
		if err := w.refreshRight(ctx, rig); err != nil && ctx.Err() == nil {
			w.log.Warn("what puts a rig's figures right could not be read", "rig", rig, "error", err)
		}
	}
}
