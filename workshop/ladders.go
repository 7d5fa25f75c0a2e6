package workshop

import (
	"context"

	"zerokeel/core/ladder"
	"zerokeel/core/load"
	"zerokeel/store"
)

// Ladder is a template as it is on a machine with so many cores.
type Ladder struct {
	store.Ladder
	Seconds        float64
	Probes, Leaves []load.Regime
}

// usualCores is the number of cores that the time of a template is told for if nobody says.
const usualCores = 8

func ladderOn(l *store.Ladder, cores int) Ladder {
	if cores == 0 {
		cores = usualCores
	}
	out := Ladder{Ladder: *l, Seconds: l.Template.Seconds(cores)}
	out.Probes, out.Leaves = l.Template.Regimes()
	return out
}

// Ladders lists every template, with the time that each takes on a machine with so many cores; 0 for a usual one.
func (w *Workshop) Ladders(ctx context.Context, cores int) ([]Ladder, error) {
	if err := may(ctx, look, 0); err != nil {
		return nil, err
	}
	list, err := w.store.Ladders(ctx)
	out := make([]Ladder, len(list))
	for i := range list {
		out[i] = ladderOn(&list[i], cores)
	}
	return out, err
}

// SaveLadder adds a template, or changes one.
func (w *Workshop) SaveLadder(ctx context.Context, id string, t ladder.Template) (*Ladder, error) {
	if err := may(ctx, change, 0); err != nil {
		return nil, err
	}
	if faults := t.Validate(); len(faults) > 0 {
		return nil, faults
	}
	if err := w.store.SaveLadder(ctx, id, &t, func(now *store.Ladder) error { return expect(ctx, fieldsOfLadder(now)) }); err != nil {
		return nil, err
	}
	l, err := w.store.Ladder(ctx, id)
	if err != nil {
		return nil, err
	}
	out := ladderOn(l, 0)
	return &out, nil
}

// DropLadder removes a template, or puts a delivered one back.
func (w *Workshop) DropLadder(ctx context.Context, id string) error {
	if err := may(ctx, change, 0); err != nil {
		return err
	}
	return w.store.DropLadder(ctx, id, func(now *store.Ladder) error {
		if now == nil {
			return store.ErrNotFound
		}
		return expect(ctx, fieldsOfLadder(now))
	})
}
