package workshop

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"

	"zerokeel/core/invalid"
	"zerokeel/core/proof"
	"zerokeel/core/trim"
	"zerokeel/store"
)

// Fittings lists a rig's newest fittings, those with an id below before where that is above 0, newest first.
func (w *Workshop) Fittings(ctx context.Context, rig, before int64) ([]store.Fitting, error) {
	if err := may(ctx, look, rig); err != nil {
		return nil, err
	}
	return w.store.Fittings(ctx, rig, before)
}

// Fitting returns one fitting.
func (w *Workshop) Fitting(ctx context.Context, id int64) (*store.Fitting, error) {
	if err := may(ctx, look, 0); err != nil {
		return nil, err
	}
	return w.store.Fitting(ctx, id)
}

// Fit begins to bring a trim to its rig's board, or to have it entered by hand where no board is reached. A trim that
// preflight stops is a conflict, unless the stop is the builder's own risk and despite says why he takes it.
func (w *Workshop) Fit(ctx context.Context, rig, id int64, despite string) (*store.Fitting, error) {
	if err := may(ctx, change, rig); err != nil {
		return nil, err
	}
	r, set, err := w.rigParts(ctx, rig)
	if err != nil {
		return nil, err
	}
	if err := errors.Join(w.noSession(ctx, r), w.noPilot(ctx, r)); err != nil {
		return nil, err
	}
	t, err := w.trimOf(ctx, rig, id)
	if err != nil {
		return nil, err
	}
	c, err := w.checkTrim(ctx, r, set, t)
	if err != nil {
		return nil, err
	}
	if despite, err = w.passes(ctx, t, c, despite); err != nil {
		return nil, err
	}
	at, err := w.linkOf(ctx, rig)
	if err != nil {
		return nil, err
	}
	f := &store.Fitting{RigID: rig, TrimID: t.ID, BootBefore: r.BootID, RigClock: at.Clock, Despite: despite,
		AtOnce: r.InSystem}
	if r.ByHand() {
		from, err := w.onBoard(ctx, r)
		if err != nil {
			return nil, err
		}
		f.Card, f.Ticked = store.AsJSON(trim.Card(set, from, t.Settings.V, false)), store.AsJSON([]string{})
	}
	err = w.store.CreateFitting(ctx, f)
	if errors.Is(err, store.ErrTaken) {
		return nil, busy(r.Name)
	}
	return f, err
}

// TickCard notes which lines of a card were entered. A start of the machine before the last of them brought none of it
// into force, so the one that counts is still to come.
func (w *Workshop) TickCard(ctx context.Context, id int64, keys []string) (*store.Fitting, error) {
	f, err := w.fittingByHand(ctx, id)
	if err != nil {
		return nil, err
	}
	if f.State != store.FitEntering {
		return nil, conflict("the card was entered already, or given up")
	}
	var faults invalid.List
	for i, key := range keys {
		if !slices.ContainsFunc(f.Card.V, func(l trim.Line) bool { return l.Key == key }) {
			faults.Add(fmt.Sprintf("keys[%d]", i), "name lines of the card", "the card has no line %q", key)
		}
	}
	if len(faults) > 0 {
		return nil, faults
	}
	r, err := w.store.Rig(ctx, f.RigID)
	if err != nil {
		return nil, err
	}
	f.BootBefore = r.BootID
	if err := w.store.TickCard(ctx, f, keys); err != nil {
		return nil, err
	}
	return w.store.Fitting(ctx, id)
}

func (w *Workshop) fittingByHand(ctx context.Context, id int64) (*store.Fitting, error) {
	if err := may(ctx, change, 0); err != nil {
		return nil, err
	}
	return w.store.Fitting(ctx, id)
}

// CardEntered takes the word of a person that a card was entered; said again while a start is waited for, that the machine
// runs with it: it has no agent that would tell, or it had restarted before the lines were ticked, as one does who enters
// from paper.
func (w *Workshop) CardEntered(ctx context.Context, id int64) (*store.Fitting, error) {
	f, err := w.fittingByHand(ctx, id)
	if err != nil {
		return nil, err
	}
	r, err := w.store.Rig(ctx, f.RigID)
	if err != nil {
		return nil, err
	}
	switch {
	case f.State == store.FitEntering && r.BootID != "":
		// Its agent will tell of the restart; if that has happened already, by another boot than at the last tick.
		f.State = store.FitWaiting
	case f.State == store.FitEntering, f.State == store.FitWaiting && f.ByHand():
		f.State = store.FitReading
	default:
		return nil, conflict("this fitting does not wait for a card")
	}
	return f, w.savedByHand(ctx, f, sql.NullInt64{}, nil)
}

// CardNoPost takes the word of a person that the machine did not come up with a card, and that its CMOS was cleared: it runs as delivered
// then, and the card's trim has failed.
func (w *Workshop) CardNoPost(ctx context.Context, id int64) (*store.Fitting, error) {
	f, err := w.fittingByHand(ctx, id)
	if err != nil {
		return nil, err
	}
	if !f.ByHand() || f.State != store.FitWaiting {
		return nil, conflict("this fitting does not wait for a machine that was started with a card")
	}
	r, set, err := w.rigParts(ctx, f.RigID)
	if err != nil {
		return nil, err
	}
	if r.BootID != f.BootBefore {
		return nil, conflict("%s has come up since", r.Name)
	}
	trims, err := w.store.Trims(ctx, r.ID)
	if err != nil {
		return nil, err
	}
	cleared := sql.NullInt64{}
	stock := trim.Stock(set.Processor, set.Board)
	if i := slices.IndexFunc(trims, func(t store.Trim) bool { return len(trim.Diff(t.Settings.V, stock)) == 0 }); i >= 0 {
		cleared = sql.NullInt64{Int64: trims[i].ID, Valid: true}
	}
	f.FailedIn, f.State, f.Problem = f.State, store.FitNoPost, "the machine did not come up with these settings; they were cleared at the board"
	stood := proof.NoPostStood()
	return f, w.savedByHand(ctx, f, cleared, &stood)
}

// GiveUpFitting gives a fitting up, at once and whatever it waits for. Before anything was entered, or handed to the board, the
// trim in force stays; afterwards nobody knows what is on the board.
func (w *Workshop) GiveUpFitting(ctx context.Context, id int64) (*store.Fitting, error) {
	for {
		f, err := w.fittingByHand(ctx, id)
		if err != nil {
			return nil, err
		}
		if f.State.Ended() {
			return nil, conflict("this fitting has ended already")
		}
		// Whoever drives it may make a step at the same time: what it is then is given up.
		if err := w.giveUpFitting(ctx, f); !errors.Is(err, store.ErrMoved) {
			return f, err
		}
	}
}

func (w *Workshop) giveUpFitting(ctx context.Context, f *store.Fitting) error {
	r, err := w.store.Rig(ctx, f.RigID)
	if err != nil {
		return err
	}
	inForce := sql.NullInt64{}
	f.FailedIn, f.Problem = f.State, "given up; what stands on the board now is not known"
	switch {
	case f.State == store.FitEntering && len(f.Ticked.V) == 0:
		inForce, f.Problem = r.TrimInForce, "given up before anything was entered"
	case f.State == store.FitStaging:
		inForce, f.Problem = r.TrimInForce, "given up; what was handed to the board, if anything, comes into force at its next start"
	}
	f.State = store.FitFailed
	if f.FailedIn == store.FitEntering && len(f.Ticked.V) > 0 {
		f.FailedIn = store.FitWaiting // some of it stands on the board
	}
	return w.store.SaveFitting(ctx, nil, f, inForce, nil)
}

// savedByHand stores a person's step of a fitting; one that comes too late is a conflict.
func (w *Workshop) savedByHand(ctx context.Context, f *store.Fitting, inForce sql.NullInt64, stood *proof.Stood) error {
	err := w.store.SaveFitting(ctx, nil, f, inForce, stood)
	if errors.Is(err, store.ErrMoved) {
		return conflict("this fitting has gone on meanwhile; look at it again")
	}
	return err
}
