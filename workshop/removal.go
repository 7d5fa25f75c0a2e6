package workshop

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"zerokeel/core/invalid"
	"zerokeel/store"
)

// Removal tells what would be removed with a rig.
func (w *Workshop) Removal(ctx context.Context, rig int64) (Dependents, error) {
	if err := may(ctx, look, rig); err != nil {
		return Dependents{}, err
	}
	return w.store.DependentsOf(ctx, rig)
}

// RemoveRig removes a rig with everything that belongs to it, for good. Whoever asks names the rig, so that it is not another one.
func (w *Workshop) RemoveRig(ctx context.Context, id int64, name string) error {
	if err := may(ctx, manage, id); err != nil {
		return err
	}
	called := ""
	err := w.store.RemoveRig(ctx, id, func(r *store.Rig) error {
		if called = r.Name; r.Name != name {
			return invalid.List{{Field: "name", Problem: fmt.Sprintf("the rig is called %s, not %.80q", r.Name, name),
				Remedy: "give the name of the rig that is to be removed"}}
		}
		return nil
	})
	if errors.Is(err, store.ErrTaken) {
		return busy(called)
	} else if err != nil {
		return err
	}
	w.hub.Cut(id)
	return nil
}

// RemoveTrim removes a trim that was never fitted, and from which no other was made.
func (w *Workshop) RemoveTrim(ctx context.Context, id int64) error {
	if err := may(ctx, manage, 0); err != nil {
		return err
	}
	children, err := w.store.MadeFrom(ctx, id)
	if err != nil {
		return err
	}
	if len(children) > 0 {
		names := make([]string, len(children))
		for i, n := range children {
			names[i] = fmt.Sprint("T", n)
		}
		return conflict("%s came from this trim; remove that first", strings.Join(names, ", "))
	}
	err = w.store.RemoveTrim(ctx, id)
	if errors.Is(err, store.ErrFixed) {
		return conflict("this trim was fitted, or is to be, and belongs to the record; only what was never fitted is removed")
	}
	return err
}
