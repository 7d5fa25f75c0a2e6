// Package workshop is the layer of what can be done at a bench, by a person, by what drives trials, or by a rig's agent: plain
// functions on rows of the store, with the rules of the job taken from core. It knows no HTTP and no page. What a concept
// lets be done stands in the file of its name.
//
// Every function that can be called from outside takes a context that says who acts, and asks in one place whether that one
// may. Several processes may have a Workshop on one database: a rig is stepped only by the one that holds its lease, see
// leases.go, and what changes is told to all of them through the database, see news.go.
package workshop

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"log/slog"
	"time"

	"golang.org/x/sync/errgroup"

	"zerokeel/keys"
	"zerokeel/link"
	"zerokeel/live"
	"zerokeel/outbound"
	"zerokeel/store"
)

// Workshop is what one process knows of a bench. Its Run must be called.
type Workshop struct {
	store  *store.Store
	hub    *link.Hub
	boards *Boards
	bus    *live.Bus
	log    *slog.Logger
	me     string // this process's name as a holder of leases

	known  knowledge
	vitals vitals
	held   leases
	names  sensorNames
	hears  hearing
	out    outbound.Guard
	seal   *keys.Seal
	counts counts

	trouble troubles

	code string // that the first owner shows
}

// New returns a workshop on a database, whose secrets are sealed.
func New(s *store.Store, log *slog.Logger, seal *keys.Seal) *Workshop {
	w := &Workshop{store: s, bus: &live.Bus{}, log: log, me: rand.Text(), hears: hearing{deaf: time.Now()},
		known: newKnowledge(), seal: seal}
	w.hub = link.NewHub(intake{w}, log)
	w.boards = NewBoards(&w.out, seal, w.hub)
	return w
}

// Hub returns the links of the rigs that are linked to this process.
func (w *Workshop) Hub() *link.Hub { return w.hub }

// Bus returns where this process's pages and drivers learn of what changed anywhere.
func (w *Workshop) Bus() *live.Bus { return w.bus }

// Out returns what lets requests out that are made on somebody's order.
func (w *Workshop) Out() *outbound.Guard { return &w.out }

// Boards returns the boards of the rigs.
func (w *Workshop) Boards() *Boards { return w.boards }

// Run keeps the leases, reads the news of all processes, and tells the vitals of the rigs linked here, until the context
// ends. Then it gives the leases up, so that another process need not wait for their end.
func (w *Workshop) Run(ctx context.Context) error {
	if err := w.sealSecrets(ctx); err != nil {
		return err
	}
	group, within := errgroup.WithContext(ctx)
	group.Go(func() error { return w.keepLeases(within) })
	group.Go(func() error { return w.readNews(within) })
	group.Go(func() error { return w.tellVitals(within) })
	group.Go(func() error { return w.tidy(within) })
	err := group.Wait()
	w.hub.Close()
	grace, cancel := context.WithTimeout(context.WithoutCancel(ctx), 2*time.Second)
	defer cancel()
	return errors.Join(err, w.store.Release(grace, w.me))
}

// Conflict is a request that does not fit how things stand. Its text says what stands in the way, and what to do.
type Conflict struct{ text string }

func (c *Conflict) Error() string { return c.text }

func conflict(format string, args ...any) error { return &Conflict{fmt.Sprintf(format, args...)} }

// Waits passes over, for whoever drives, what may be different at the next look: a rig that is busy, or not linked yet.
func Waits(err error) error {
	var stands *Conflict
	if errors.As(err, &stands) {
		return nil
	}
	return err
}

// busy is the conflict with what a rig does already.
func busy(rig string) error {
	return conflict("%s is busy; wait until its fitting or trial ends, or stop it", rig)
}

// Ready reports what keeps this process from serving; nil when nothing does. Everybody may ask.
func (w *Workshop) Ready(ctx context.Context) error { return w.store.Ping(ctx) }

// WasDeaf notes that until now rigs could not be heard: without the database no link is taken. Their silence counts from
// here.
func (w *Workshop) WasDeaf() {
	w.hears.was(time.Now())
}

// Looked notes that this process looks at its rigs. Whoever drives them calls it several times a second: without, it counts
// as having stood still.
func (w *Workshop) Looked() {
	now := time.Now()
	if together(append(w.hub.Heard(), w.vitals.elsewhere()...), now) {
		w.hears.was(now)
	}
	w.hears.look(now)
}

// SilentSince returns the moment from which the silence of a rig counts that was last heard at a moment: not before this
// process could hear it, or held it.
func (w *Workshop) SilentSince(rig int64, heard time.Time) time.Time {
	from := w.hears.from(time.Now())
	for _, at := range []time.Time{heard, w.held.since(rig)} {
		if at.After(from) {
			from = at
		}
	}
	return from
}
