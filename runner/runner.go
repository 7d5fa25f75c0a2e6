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
	"net/http"
	"sync"
	"time"

	"zerokeel/core/part"
	"zerokeel/firmware"
	"zerokeel/link"
	"zerokeel/live"
	"zerokeel/pilot"
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

// A rig whose clock goes about as ours and that spoke within this time is looked at as seldom while there is no news of it.
const (
	calmFor  = time.Second
	calmRate = 2
)

// Runner drives what runs on the rigs whose leases this process holds.
type Runner struct {
	shop   *workshop.Workshop
	pilots *pilot.Driver
	store  *store.Store
	hub    *link.Hub
	log    *slog.Logger
	http   *http.Client // for notices

	asked  sync.Map        // rig → when its board may be asked again, *asking
	states states          // since when what is under way is as it is
	away   sync.Map        // rigs that were silent at the last look
	uses   map[int64]inUse // rigs in daily use, as they were at the last note

	risks   map[int64]store.Watched // rigs as they were when their risk was told; of noteRisks alone, as is
	risksAt time.Time               // when that looked last

	looked map[int64]time.Time // when the trials of rigs were last stepped; the round's own

	mu       sync.Mutex
	packedAt time.Time       // when running legs were last looked at for packing; the round's own
	working  map[string]bool // what is being stepped right now, and whether something has happened since the step began
}

// New returns a runner. Its Run must be called.
func New(shop *workshop.Workshop, s *store.Store, log *slog.Logger) *Runner {
	return &Runner{shop: shop, pilots: pilot.New(shop, s), store: s, hub: shop.Hub(), log: log, http: shop.Out().Client(sendTimeout),
		working: map[string]bool{}, uses: map[int64]inUse{}, risks: map[int64]store.Watched{}, looked: map[int64]time.Time{}}
}

// Run drives until the context ends. It looks when something has changed, and every now and then.
func (r *Runner) Run(ctx context.Context) error {
	ctx = workshop.As(ctx, workshop.Actor{Kind: workshop.Runner})
	news := r.shop.Bus().Listen()
	defer news.Close()
	var steps sync.WaitGroup
	defer steps.Wait()
	tick := time.NewTicker(pollEvery)
	defer tick.Stop()
	for {
		of := rigs{}
		select {
		case <-ctx.Done():
			return nil
		case m := <-news.C:
			of.note(m)
		case <-tick.C:
			of.all = true
		}
		r.shop.Looked()
		of.gather(news)
		if !of.all && len(of.some) == 0 {
			continue
		}
		if err := r.round(ctx, of, &steps); err != nil && ctx.Err() == nil {
			r.shop.WasDeaf()
			r.log.Error("the runner could not look for work", "error", err)
		}
	}
}

// rigs are those that something has happened to: what is under way on the others need not be looked at.
type rigs struct {
	all  bool
	some map[int64]bool
}

func (r *rigs) has(rig int64) bool { return r.all || r.some[rig] }

// note takes in a piece of news. Figures alone are nothing to act upon.
func (r *rigs) note(m live.Message) {
	switch {
	case m.Topic == store.TopicVitals:
	case m.Rig == 0:
		r.all = true
	default:
		if r.some == nil {
			r.some = map[int64]bool{}
		}
		r.some[m.Rig] = true
	}
}

// gather takes in what else is there: one look does for all of it.
func (r *rigs) gather(news *live.Listener) {
	for {
		select {
		case m := <-news.C:
			r.note(m)
		default:
			if news.TakeLost() {
				r.all = true
			}
			return
		}
	}
}

// round steps everything that has not ended on those of the rigs that this process holds, each on a goroutine of its own,
// since a board may take long to answer.
func (r *Runner) round(ctx context.Context, of rigs, steps *sync.WaitGroup) error {
	fittings, err := r.store.OpenFittings(ctx)
	if err != nil {
		return err
	}
	trials, err := r.store.OpenTrials(ctx)
	if err != nil {
		return err
	}
	sessions, err := r.store.OpenSessions(ctx)
	if err != nil {
		return err
	}
	pilots, err := r.store.OpenPilots(ctx)
	if err != nil {
		return err
	}
	members, err := r.store.OpenMembers(ctx)
	if err != nil {
		return err
	}
	due, err := r.store.DueChecks(ctx)
	if err != nil {
		return err
	}
	after, err := r.store.ToRestore(ctx)
	if err != nil {
		return err
	}
	elsewhere, err := r.shop.HeldElsewhere(ctx)
	if err != nil {
		return err
	}
	if now := time.Now(); now.Sub(r.packedAt) > packEvery {
		r.packedAt = now
		r.alone(steps, "packing", func() error { return r.pack(ctx) })
	}
	r.alone(steps, "notices", func() error { return r.sendNotices(ctx) })
	busy, under := map[int64]bool{}, map[string]bool{}
	for _, f := range fittings {
		busy[f.RigID], under[fittingName(f.ID)] = true, true
	}
	for _, t := range trials {
		busy[t.RigID], under[trialName(t.ID)] = true, true
	}
	r.states.keep(under)
	r.alone(steps, "uses", func() error { return r.noteUses(ctx, busy, elsewhere) })
	atWork := flown(busy, pilots, sessions)
	r.alone(steps, "risks", func() error { return r.noteRisks(ctx, atWork, elsewhere) })
	for _, rig := range r.absences(busy) {
		if !elsewhere[rig] {
			r.step(ctx, steps, fmt.Sprintf("absence of rig %d", rig), rig, func(*store.Lease) error { return r.followAbsence(ctx, rig) })
		}
	}
	others := func(rig int64) bool { return elsewhere[rig] || !of.has(rig) }
	for i := range due {
		if others(due[i].ID) {
			continue
		}
		r.step(ctx, steps, fmt.Sprintf("check of rig %d", due[i].ID), due[i].ID,
			func(lease *store.Lease) error { return r.checkInForce(ctx, lease, &due[i]) })
	}
	for i := range after {
		if t := &after[i]; !others(t.RigID) && !busy[t.RigID] {
			r.step(ctx, steps, fmt.Sprintf("restoring after trial %d", t.ID), t.RigID,
				func(lease *store.Lease) error { return r.restore(ctx, lease, t) })
		}
	}
	for _, f := range fittings {
		if others(f.RigID) {
			continue
		}
		r.step(ctx, steps, fittingName(f.ID), f.RigID, func(lease *store.Lease) error { return r.stepFitting(ctx, lease, f.ID) })
	}
	for _, t := range trials {
		if others(t.RigID) || !of.some[t.RigID] && r.calm(t.RigID) {
			continue
		}
		r.looked[t.RigID] = time.Now()
		r.step(ctx, steps, trialName(t.ID), t.RigID, func(lease *store.Lease) error { return r.stepTrial(ctx, lease, t.ID) })
	}
	for _, x := range sessions {
		if others(x.RigID) {
			continue
		}
		r.step(ctx, steps, fmt.Sprintf("session %d", x.ID), x.RigID, func(lease *store.Lease) error { return r.stepSession(ctx, lease, x.ID) })
	}
	for i := range members {
		m := &members[i]
		if others(m.RigID) {
			continue
		}
		r.step(ctx, steps, fmt.Sprintf("rig %d of batch %d", m.RigID, m.BatchID), m.RigID,
			func(lease *store.Lease) error { return r.stepMember(ctx, lease, m) })
	}
	for _, p := range pilots {
		if p.State == store.PilotPaused && !p.EndAsked || others(p.RigID) {
			continue
		}
		r.step(ctx, steps, fmt.Sprintf("pilot %d", p.ID), p.RigID, func(lease *store.Lease) error { return r.pilots.Step(ctx, lease, p.ID) })
	}
	return nil
}

// calm tells whether a trial needs no look: its rig speaks, and it was looked at a moment ago. Each look asks the database several
// times, and nearly all find that the leg goes on.
func (r *Runner) calm(rig int64) bool {
	st := r.hub.Status(rig)
	return st.Linked && st.Hello.ClockRate <= calmRate && time.Since(st.Heard) < calmFor && time.Since(r.looked[rig]) < calmFor
}

func fittingName(id int64) string { return fmt.Sprintf("fitting %d", id) }

func trialName(id int64) string { return fmt.Sprintf("trial %d", id) }

// step runs a step of a rig if this process holds it, or nobody does. One that another process has made, or whose rig
// another one has taken meanwhile, is left to that one.
func (r *Runner) step(ctx context.Context, steps *sync.WaitGroup, name string, rig int64, fn func(*store.Lease) error) {
	r.alone(steps, name, func() error {
		lease, held, err := r.shop.Held(ctx, rig)
		if err != nil || !held {
			return err
		}
		err = fn(lease)
		if errors.Is(err, store.ErrNotHeld) || errors.Is(err, store.ErrMoved) {
			r.log.Debug("a step was left to another process", "of", name, "cause", err)
			return nil
		}
		return err
	})
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

// alone runs fn unless the same thing is being stepped already: then once more after that step, since what happened meanwhile
// may be what the thing waits for. A step that failed waits for the next look.
func (r *Runner) alone(steps *sync.WaitGroup, name string, fn func() error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if _, working := r.working[name]; working {
		r.working[name] = true
		return
	}
	r.working[name] = false
	steps.Go(func() {
		for {
			err := fn()
			if err != nil && !errors.Is(err, context.Canceled) {
				r.shop.StepFailed()
				r.log.Warn("a step failed and will be tried again", "of", name, "error", err)
			}
			if !r.goesOn(name, err) {
				return
			}
		}
	})
}

// goesOn ends a step, unless it did well and is to be made once more.
func (r *Runner) goesOn(name string, err error) bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.working[name] && err == nil {
		r.working[name] = false
		return true
	}
	delete(r.working, name)
	return false
}

// waited reports whether a rig could have been heard for some seconds of its own clock, but at least a short wait, since a
// moment, and gave no sign. A hello that is being stored is a sign.
func (r *Runner) waited(rig int64, status link.Status, since time.Time, seconds float64) bool {
	return !status.Greeted && time.Since(r.shop.SilentSince(rig, since)) >= r.realWait(rig, seconds)
}

// realWait is how long some seconds of a rig's own clock last here, but at least a short wait.
func (r *Runner) realWait(rig int64, seconds float64) time.Duration {
	return max(time.Duration(seconds/r.shop.ClockRate(rig)*float64(time.Second)), shortWait)
}

// board returns a rig's board and the rig's parts.
func (r *Runner) board(ctx context.Context, rig *store.Rig) (firmware.Board, *part.Set, error) {
	set, err := r.store.PartSet(ctx, rig)
	if err != nil {
		return nil, nil, err
	}
	board, err := r.shop.Boards().Of(rig)
	return board, set, err
}

func nullID(id int64) sql.NullInt64 { return sql.NullInt64{Int64: id, Valid: id != 0} }
