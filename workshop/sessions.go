package workshop

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"zerokeel/core/invalid"
	"zerokeel/core/yardstick"
	"zerokeel/store"
)

// SessionPlan says what an interleaved session compares.
type SessionPlan struct {
	Base, Other int64
	Yardsticks  []string
	Runs        int // of each yardstick under each trim
}

// SessionBlock names a block of a session.
type SessionBlock struct {
	Session int64
	Block   int
}

// Bounds of the runs of a session, under each trim.
const (
	LeastSessionRuns = 2
	MostSessionRuns  = 20
)

// Sessions lists a rig's newest sessions, newest first.
func (w *Workshop) Sessions(ctx context.Context, rig int64) ([]store.Session, error) {
	if err := may(ctx, look, rig); err != nil {
		return nil, err
	}
	return w.store.Sessions(ctx, rig)
}

// StartSession begins an interleaved session: one trim with half of its runs, the other with all of them, and the first with the
// rest, so that neither the day nor its drift stands between the two. The one that is in force comes first. How many runs there
// are is fixed here, before any is seen.
func (w *Workshop) StartSession(ctx context.Context, rig int64, p SessionPlan) (*store.Session, error) {
	if err := may(ctx, change, rig); err != nil {
		return nil, err
	}
	r, set, err := w.rigParts(ctx, rig)
	if err != nil {
		return nil, err
	}
	if f := p.validate(); len(f) > 0 {
		return nil, f
	}
	for _, id := range []int64{p.Base, p.Other} {
		t, err := w.trimOf(ctx, rig, id)
		if err != nil {
			return nil, err
		}
		c, err := w.checkTrim(ctx, r, set, t)
		if err != nil {
			return nil, err
		}
		if _, err := w.passes(As(ctx, Actor{Kind: Runner}), t, c, ""); err != nil {
			return nil, err // who drives the session has no more to say than what a person said before
		}
	}
	if err := errors.Join(w.noPilot(ctx, r), w.mayRun(ctx, r)); err != nil {
		return nil, err
	}
	first, second := p.Base, p.Other
	if r.TrimInForce.Valid && r.TrimInForce.Int64 == second {
		first, second = second, first
	}
	half := (p.Runs + 1) / 2
	x := &store.Session{RigID: rig, Base: p.Base, Other: p.Other, Yardsticks: store.AsJSON(p.Yardsticks),
		Blocks: store.AsJSON([]store.SessionPart{{Trim: first, Runs: half}, {Trim: second, Runs: p.Runs}, {Trim: first, Runs: p.Runs - half}})}
	err = w.store.CreateSession(ctx, x)
	if errors.Is(err, store.ErrTaken) {
		return nil, busy(r.Name)
	} else if err != nil {
		return nil, err
	}
	return w.store.Session(ctx, x.ID)
}

func (p *SessionPlan) validate() invalid.List {
	var f invalid.List
	if p.Base == p.Other {
		f.Add("trim", "name two trims", "a trim is compared with itself")
	}
	if p.Runs < LeastSessionRuns || p.Runs > MostSessionRuns {
		f.Add("runs", fmt.Sprintf("give %d to %d for each trim", LeastSessionRuns, MostSessionRuns), "%d runs", p.Runs)
	}
	if len(p.Yardsticks) == 0 {
		f.Add("yardsticks", "name at least one", "no yardstick is named")
	}
	for i, id := range p.Yardsticks {
		if _, own := yardstick.Of(id); !own || slices.Contains(p.Yardsticks[:i], id) {
			f.Add(fmt.Sprintf("yardsticks[%d]", i), "name each once, from /api/yardsticks, that rigs take themselves", "%.40q is none of them", id)
		}
	}
	return f
}

// EndSession asks for a session to be ended. Runs that were taken stay.
func (w *Workshop) EndSession(ctx context.Context, id int64) (*store.Session, error) {
	if err := may(ctx, change, 0); err != nil {
		return nil, err
	}
	x, err := w.store.Session(ctx, id)
	if err != nil {
		return nil, err
	}
	if x.EndedAt.Valid {
		return nil, conflict("this session has ended already")
	}
	if err := w.store.AskEnd(ctx, x); err != nil {
		return nil, err
	}
	t, err := w.store.SessionTrial(ctx, id, x.Block)
	switch {
	case errors.Is(err, store.ErrNotFound):
	case err != nil:
		return nil, err
	case t.State != store.TrialEnded:
		if err := w.store.AskStop(ctx, t); err != nil {
			return nil, err
		}
	}
	return w.store.Session(ctx, id)
}

// noSession refuses what would come between the blocks of a session; its driver alone may.
func (w *Workshop) noSession(ctx context.Context, r *store.Rig) error {
	if ActorOf(ctx).drives() {
		return nil
	}
	open, err := w.store.OpenSessions(ctx)
	if err != nil {
		return err
	}
	if slices.ContainsFunc(open, func(x store.Session) bool { return x.RigID == r.ID }) {
		return conflict("an interleaved session runs on %s; wait until it has ended, or end it on the Scores sheet", r.Name)
	}
	return nil
}
