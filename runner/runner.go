// Package runner drives fittings and trials. Each is a state machine whose state is stored before it is acted upon,
// so a server killed at any moment goes on where it was: the runner keeps nothing in memory that it could not read
// again. It tells the silence of the board from that of the agent, and so a freeze from a restart, and both from a
// machine that does not come up.
package runner

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"log/slog"
	"sync"
	"time"

	"zerokeel/core/part"
	"zerokeel/core/verdict"
	"zerokeel/firmware"
	"zerokeel/link"
	"zerokeel/live"
	"zerokeel/store"
	"zerokeel/workshop"
)

// Times in seconds of the rig's own clock, and the shortest wait in real time that goes with each: a stand-in's
// minutes pass in moments, but messages still take their time to arrive.
const (
	silentS   = 15.0 // without a sign of life, an agent counts as silent
	comesUpS  = 90.0 // within which a machine is back after a start
	lingerS   = 60.0 // a silent machine may yet come back by itself before it counts as frozen
	shortWait = 2*link.MaxRedial + 3*time.Second
	pollEvery = 200 * time.Millisecond
)

// Runner drives everything that runs on the rigs linked to this server.
type Runner struct {
	store *store.Store
	hub   *link.Hub
	bus   *live.Bus
	log   *slog.Logger
	wake  chan struct{}

	newest sync.Map // rig → its processor's newest temperature, float64
	boards *workshop.Boards
	asked  sync.Map // rig → when its board may be asked again, *asking
	named  sync.Map // rig → the names that its sensors were given, by those that they tell, map[string]string

	mu       sync.Mutex
	deaf     time.Time       // until when this server could not have heard a rig: its start, or the end of an outage
	packedAt time.Time       // when running legs were last looked at for packing; the round's own
	working  map[string]bool // fittings and trials being stepped right now
}

// New returns a runner. Its Run must be called.
func New(s *store.Store, bus *live.Bus, log *slog.Logger) *Runner {
	r := &Runner{store: s, bus: bus, log: log, wake: make(chan struct{}, 1), boards: workshop.NewBoards(), working: map[string]bool{}, deaf: time.Now()}
	r.hub = link.NewHub(r, log)
	return r
}

// Hub returns the links of the rigs.
func (r *Runner) Hub() *link.Hub { return r.hub }

// Wake makes the runner look at once, after something was stored for it.
func (r *Runner) Wake() {
	select {
	case r.wake <- struct{}{}:
	default:
	}
}

// Run drives until the context ends.
func (r *Runner) Run(ctx context.Context) error {
	var steps sync.WaitGroup
	defer steps.Wait()
	tick := time.NewTicker(pollEvery)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return nil
		case <-r.wake:
		case <-tick.C:
		}
		if err := r.round(ctx, &steps); err != nil && ctx.Err() == nil {
			r.wasDeaf()
			r.log.Error("the runner could not look for work", "error", err)
		}
	}
}

// wasDeaf notes that until now rigs could not be heard: without the database no link is taken. Their silence counts
// from here.
func (r *Runner) wasDeaf() {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.deaf = time.Now()
}

// silentSince returns the moment from which a rig's silence counts.
func (r *Runner) silentSince(heard time.Time) time.Time {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.deaf.After(heard) {
		return r.deaf
	}
	return heard
}

// round steps everything that has not ended, each on a goroutine of its own, since a board may take long to answer.
func (r *Runner) round(ctx context.Context, steps *sync.WaitGroup) error {
	fittings, err := r.store.OpenFittings(ctx)
	if err != nil {
		return err
	}
	trials, err := r.store.OpenTrials(ctx)
	if err != nil {
		return err
	}
	due, err := r.store.DueChecks(ctx)
	if err != nil {
		return err
	}
	if now := time.Now(); now.Sub(r.packedAt) > packEvery {
		r.packedAt = now
		r.alone(steps, "packing", func() error { return r.pack(ctx) })
	}
	r.alone(steps, "notices", func() error { return r.sendNotices(ctx) })
	for i := range due {
		r.alone(steps, fmt.Sprintf("check of rig %d", due[i].ID), func() error { return r.checkInForce(ctx, &due[i]) })
	}
	for _, f := range fittings {
		r.alone(steps, fmt.Sprintf("fitting %d", f.ID), func() error { return r.stepFitting(ctx, f.ID) })
	}
	for _, t := range trials {
		r.alone(steps, fmt.Sprintf("trial %d", t.ID), func() error { return r.stepTrial(ctx, t.ID) })
	}
	return nil
}

// packEvery is the time between two looks for long tails of telemetry.
const packEvery = 5 * time.Second

// pack packs what running legs have gathered, so that a day's leg is as quick to read as a short one.
func (r *Runner) pack(ctx context.Context) error {
	legs, err := r.store.LegsToPack(ctx)
	if err != nil {
		return err
	}
	for _, leg := range legs {
		rig, err := r.store.RigOfLeg(ctx, leg)
		if err != nil {
			return err
		}
		if err := r.store.Pack(ctx, leg, store.Quanta(rig.Channels.V)); err != nil {
			return err
		}
	}
	return nil
}

// alone runs fn unless the same thing is being stepped already.
func (r *Runner) alone(steps *sync.WaitGroup, name string, fn func() error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.working[name] {
		return
	}
	r.working[name] = true
	steps.Go(func() {
		if err := fn(); err != nil && !errors.Is(err, context.Canceled) {
			r.log.Warn("a step failed and will be tried again", "of", name, "error", err)
		}
		r.mu.Lock()
		delete(r.working, name)
		r.mu.Unlock()
	})
}

// passed reports whether seconds of the rig's clock, but at least a short wait, have passed since a moment.
func passed(since time.Time, seconds, clockRate float64) bool {
	if clockRate <= 0 {
		clockRate = 1
	}
	wait := time.Duration(seconds / clockRate * float64(time.Second))
	return time.Since(since) >= max(wait, shortWait)
}

// board returns a rig's board and the rig's parts.
func (r *Runner) board(ctx context.Context, rig *store.Rig) (firmware.Board, *part.Set, error) {
	set, err := r.store.PartSet(ctx, rig)
	if err != nil {
		return nil, nil, err
	}
	board, err := r.boards.Of(rig)
	return board, set, err
}

// RigClock returns the time on a rig's clock, or this machine's where the rig is not linked.
func (r *Runner) RigClock(rig int64) time.Time {
	now := time.Now()
	if st := r.hub.Status(rig); st.Linked {
		return store.FromMS(st.Clock(now))
	}
	return now.UTC()
}

// Hello implements link.Sink.
func (r *Runner) Hello(ctx context.Context, rig int64, h *link.Hello) (uint64, error) {
	names, err := r.names(ctx, rig, h)
	if err != nil {
		r.wasDeaf()
		return 0, err
	}
	r.named.Store(rig, names)
	last, err := r.store.Hello(ctx, rig, h)
	if err == nil && h.Crash != nil {
		err = r.crashed(ctx, rig, h.Crash)
	}
	if err != nil {
		r.wasDeaf()
	}
	return last, err
}

// crashed takes in that a rig came back without a shutdown. In the middle of a trial, that is the trial's to judge, to
// which the kernel's last words are added; otherwise it is an incident of daily use, held against the trim in force.
func (r *Runner) crashed(ctx context.Context, id int64, c *link.Crash) error {
	leg, err := r.store.LegIn(ctx, id, c.BootID)
	if err != nil {
		return err
	}
	if leg != nil {
		if c.Words == "" || !leg.Open {
			return nil
		}
		return r.store.AddEvent(ctx, &store.Event{LegID: leg.ID, Kind: verdict.EventPanic, AtS: leg.SeenS, Core: -1, Note: c.Words})
	}
	rig, err := r.store.Rig(ctx, id)
	if err != nil || !rig.TrimInForce.Valid {
		return err
	}
	fitting, err := r.store.FittingSince(ctx, id, c.BootID)
	if err != nil || fitting {
		return err // its own restarts are no incidents
	}
	i := &store.Incident{RigID: id, TrimID: rig.TrimInForce.Int64, Kind: "restarted", Note: c.Words, CreatedAt: store.FromMS(c.SeenAt), BootID: sql.NullString{String: c.BootID, Valid: true}}
	if i.Note == "" {
		i.Note = "the machine came back without having been shut down; it was last seen alive at this moment"
	}
	err = r.store.AddIncident(ctx, i)
	if errors.Is(err, store.ErrTaken) {
		return nil // told before
	}
	if err == nil {
		r.bus.Publish(live.Message{Topic: "trim", Rig: id, ID: i.TrimID})
	}
	return err
}

// Frames implements link.Sink.
func (r *Runner) Frames(ctx context.Context, rig int64, stream string, frames []link.Frame) (uint64, error) {
	r.renamed(rig, frames)
	last, err := r.store.Ingest(ctx, rig, stream, frames)
	if err != nil {
		if !errors.Is(err, store.ErrGap) {
			r.wasDeaf()
		}
		return last, err
	}
	if err := r.stepWatches(ctx, rig, frames); err != nil {
		r.log.Error("the watches could not be looked at", "rig", rig, "error", err)
	}
	for i := range frames {
		f := &frames[i]
		if f.Samples != nil {
			r.noteNewest(rig, f.Samples)
			r.bus.Publish(live.Message{Topic: "samples", Rig: rig, Data: f.Samples})
		}
		if f.Finished != nil || f.Started != nil || len(f.Events) > 0 {
			r.bus.Publish(live.Message{Topic: "trial", Rig: rig})
			r.Wake()
		}
	}
	return last, nil
}

// Changed implements link.Sink.
func (r *Runner) Changed(rig int64) {
	r.bus.Publish(live.Message{Topic: "rig", Rig: rig})
	r.Wake()
}

func nullID(id int64) sql.NullInt64 { return sql.NullInt64{Int64: id, Valid: id != 0} }
