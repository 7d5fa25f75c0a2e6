package workshop

import (
	"context"
	"math"
	"slices"

	"zerokeel/core/proof"
	"zerokeel/core/trim"
	"zerokeel/store"
)

// Blame is which change broke a trim that failed: the trim that held and is nearest to it, and what differs.
type Blame struct {
	Held    *Trim
	Changes []trim.Contrast // from the one that held to the one that failed
}

// Blame tells which change broke a trim; nil of one that has not failed, and where nothing held.
func (w *Workshop) Blame(ctx context.Context, id int64) (*Blame, error) {
	if err := may(ctx, look, 0); err != nil {
		return nil, err
	}
	t, r, set, err := w.trimParts(ctx, id)
	if err != nil {
		return nil, err
	}
	if t.Standing != proof.Failed {
		return nil, nil
	}
	all, err := w.Trims(ctx, r.ID)
	if err != nil {
		return nil, err
	}
	held := slices.DeleteFunc(slices.Clone(all), func(x Trim) bool { return !heldSomething(&x.Trim) })
	settings := make([]trim.Settings, len(held))
	for i := range held {
		settings[i] = held[i].Settings.V
	}
	at, keys := trim.Blame(set, t.Settings.V, settings)
	if at < 0 {
		return nil, nil
	}
	of := func(s trim.Settings) trim.Configured {
		return trim.Configured{Set: set, Settings: s, Volts: math.NaN()}
	}
	changes := slices.DeleteFunc(trim.Contrasts(of(settings[at]), of(t.Settings.V)), func(c trim.Contrast) bool {
		return !c.Counts && !slices.Contains(keys, c.Key)
	})
	return &Blame{&held[at], trim.Folded(changes)}, nil
}

// heldSomething reports whether a trim stood trials, of whatever length, and did not fail.
func heldSomething(t *store.Trim) bool {
	return t.Standing == proof.Tried || t.Standing == proof.Held || t.Standing == proof.Proven
}
