package workshop

import (
	"context"

	"zerokeel/store"
)

// tracesAtOnce is how many traces are listed at once.
const tracesAtOnce = 200

// Begin notes what somebody is about to do, by the operation of the API: nothing is done that is not noted. Everybody may: who is
// not known yet is noted as such. name is who says to be acting, where nobody is known.
func (w *Workshop) Begin(ctx context.Context, name, ip, deed, path string) (trace int64, err error) {
	a := ActorOf(ctx)
	t := &store.Trace{Name: a.Name, Role: string(a.Role), FromIP: ip, Deed: deed, Path: path}
	if a.Kind == "" {
		t.Name = name
	}
	err = w.store.BeginTrace(ctx, t)
	return t.ID, err
}

// End notes what came of it, by the status of the answer. Everybody may.
func (w *Workshop) End(ctx context.Context, trace int64, status int) error {
	return w.store.EndTrace(ctx, trace, status)
}

// Audit lists what was done, the newest before a trace first; 0 for the newest of all.
func (w *Workshop) Audit(ctx context.Context, before int64) ([]Trace, error) {
	if err := may(ctx, manage, 0); err != nil {
		return nil, err
	}
	return w.store.Traces(ctx, before, tracesAtOnce)
}
