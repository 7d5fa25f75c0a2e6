package workshop

import (
	"context"
	"errors"

	"zerokeel/core/proof"
	"zerokeel/core/verdict"
	"zerokeel/link"
	"zerokeel/store"
)

// StopTrial asks for a trial to be stopped. Whoever drives it does so.
func (w *Workshop) StopTrial(ctx context.Context, id int64) (*Trial, error) {
	t, err := w.endingTrial(ctx, id)
	if err != nil {
		return nil, err
	}
	if err := w.store.AskStop(ctx, t); err != nil {
		return nil, err
	}
	return w.Trial(ctx, id)
}

// GiveUpTrial ends a trial at once, without a word of its rig or board: what ran is void, what had held before stays. It is for one
// that cannot be stopped.
func (w *Workshop) GiveUpTrial(ctx context.Context, id int64) (*Trial, error) {
	t, err := w.endingTrial(ctx, id)
	if err != nil {
		return nil, err
	}
	// Whoever drives it may make a step at the same time, or end it: what it is then is given up.
	for t.State != store.TrialEnded {
		if err := w.giveUp(ctx, t); err != nil && !errors.Is(err, store.ErrMoved) {
			return nil, err
		}
		if t, err = w.store.Trial(ctx, id); err != nil {
			return nil, err
		}
	}
	return w.Trial(ctx, id)
}

// giveUp ends a trial as it was loaded; ErrMoved where it has gone on since.
func (w *Workshop) giveUp(ctx context.Context, t *store.Trial) error {
	legs, err := w.store.Legs(ctx, t.ID)
	if err != nil {
		return err
	}
	var results []verdict.Result
	for i := range legs {
		l := &legs[i]
		if l.State == store.LegOrdered || l.State == store.LegRunning {
			// Whether it comes in time or not; a rig that runs on is told nothing new by its frames.
			_ = w.hub.Order(t.RigID, link.Order{ID: l.OrderID.String, Do: link.Stop})
			l.State, l.Result = store.LegEnded, store.AsJSON(verdict.Result{Verdict: verdict.Void, Core: -1, Why: "given up by hand"})
			if err := w.store.EndLeg(ctx, nil, t, l); err != nil {
				return err
			}
		}
		if l.Result.Valid {
			results = append(results, l.Result.V)
		}
	}
	overall := verdict.Overall(results)
	if !overall.Verdict.Failed() {
		overall = verdict.Result{Verdict: verdict.Void, Core: -1, Why: "given up by hand"}
	}
	t.State, t.Result = store.TrialEnded, store.AsJSON(overall)
	return w.store.EndTrial(ctx, nil, t, proof.Stand)
}

// endingTrial returns a trial that somebody wants to end.
func (w *Workshop) endingTrial(ctx context.Context, id int64) (*store.Trial, error) {
	if err := may(ctx, change, 0); err != nil {
		return nil, err
	}
	t, err := w.store.Trial(ctx, id)
	if err == nil && t.State == store.TrialEnded {
		err = conflict("this trial has ended already")
	}
	return t, err
}
