package workshop

import (
	"context"
	"time"

	"zerokeel/core/invalid"
	"zerokeel/store"
)

// Incidents lists a rig's newest incidents, those with an id below before where that is above 0, newest first.
func (w *Workshop) Incidents(ctx context.Context, rig, before int64) ([]store.Incident, error) {
	if err := may(ctx, look, rig); err != nil {
		return nil, err
	}
	return w.store.Incidents(ctx, rig, before)
}

// NewIncident is a fault seen in daily use; At is now, on the rig's clock, if nobody says.
type NewIncident struct {
	Kind, Note string
	At         *time.Time
}

// ReportIncident holds a fault against the trim in force.
func (w *Workshop) ReportIncident(ctx context.Context, rig int64, in NewIncident) (*store.Incident, error) {
	if err := may(ctx, change, rig); err != nil {
		return nil, err
	}
	r, err := w.store.Rig(ctx, rig)
	if err != nil {
		return nil, err
	}
	if !r.TrimInForce.Valid {
		return nil, conflict("no trim is known to be in force on %s, so the incident can be held against none", r.Name)
	}
	at, err := w.linkOf(ctx, rig)
	if err != nil {
		return nil, err
	}
	i := &store.Incident{CreatedAt: at.Clock, RigID: rig, TrimID: r.TrimInForce.Int64, Kind: in.Kind, Note: in.Note}
	if in.At != nil && in.At.After(i.CreatedAt.Add(time.Hour)) {
		return nil, invalid.List{{Field: "at", Problem: "the moment lies in the future", Remedy: "give when it was seen, or leave it out"}}
	}
	put(&i.CreatedAt, in.At)
	return i, w.store.AddIncident(ctx, i)
}
