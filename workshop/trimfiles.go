package workshop

import (
	"context"
	"database/sql"
	"fmt"

	"zerokeel/core/trim"
	"zerokeel/store"
)

// ExportTrim returns a trim as a file, which holds what differs from the board's delivery, and a name for it.
func (w *Workshop) ExportTrim(ctx context.Context, id int64) (text []byte, name string, err error) {
	if err := may(ctx, look, 0); err != nil {
		return nil, "", err
	}
	t, err := w.store.Trim(ctx, id)
	if err != nil {
		return nil, "", err
	}
	r, set, err := w.rigParts(ctx, t.RigID)
	if err != nil {
		return nil, "", err
	}
	file := trim.File{Name: t.Name, Reason: t.Reason, For: trim.For{Processor: set.Processor.ID, Board: set.Board.ID},
		Settings: trim.Settings{}}
	for _, c := range trim.Diff(trim.Stock(set.Processor, set.Board), t.Settings.V) {
		if c.To.IsSet() {
			file.Settings[c.Key] = c.To
		}
	}
	text, err = trim.MarshalFile(file)
	return append(text, '\n'), fmt.Sprintf("rig-%d-T%d.trim.json", r.ID, t.Number), err
}

// ImportTrim makes a trim of a rig from a file.
func (w *Workshop) ImportTrim(ctx context.Context, rig int64, text []byte) (*Made, error) {
	if err := may(ctx, change, rig); err != nil {
		return nil, err
	}
	r, set, err := w.rigParts(ctx, rig)
	if err != nil {
		return nil, err
	}
	file, err := trim.ParseFile(text, set)
	if err != nil {
		return nil, err
	}
	t := &store.Trim{RigID: rig, Name: file.Name, Reason: file.Reason}
	if t.Name == "" {
		t.Name = "imported"
	}
	if t.ParentID, err = w.base(ctx, r); err != nil {
		return nil, err
	}
	return w.make(ctx, t, r, set, trim.Stock(set.Processor, set.Board).With(file.Settings))
}

// base returns the trim that one from outside becomes a child of: the one in force, or the first.
func (w *Workshop) base(ctx context.Context, r *store.Rig) (sql.NullInt64, error) {
	if r.TrimInForce.Valid {
		return r.TrimInForce, nil
	}
	trims, err := w.store.Trims(ctx, r.ID)
	if err != nil || len(trims) == 0 {
		return sql.NullInt64{}, err
	}
	return sql.NullInt64{Int64: trims[0].ID, Valid: true}, nil
}

// CopyTrim carries a trim to another rig, as far as the other one takes it. An empty name keeps that of the trim.
func (w *Workshop) CopyTrim(ctx context.Context, id, to int64, name string) (*Made, error) {
	if err := may(ctx, change, to); err != nil {
		return nil, err
	}
	from, err := w.store.Trim(ctx, id)
	if err != nil {
		return nil, err
	}
	source, sourceSet, err := w.rigParts(ctx, from.RigID)
	if err != nil {
		return nil, err
	}
	target, targetSet, err := w.rigParts(ctx, to)
	if err != nil {
		return nil, err
	}
	settings, unfit := trim.Transfer(sourceSet, targetSet, from.Settings.V)
	t := &store.Trim{RigID: target.ID, Name: from.Name, Reason: fmt.Sprintf("Copied from %s, T%d.", source.Name, from.Number)}
	if name != "" {
		t.Name = name
	}
	for _, u := range unfit {
		t.Notes += fmt.Sprintf("Left out: %s = %s (%s)\n", u.Key, u.Want, u.Why)
	}
	if t.ParentID, err = w.base(ctx, target); err != nil {
		return nil, err
	}
	out, err := w.make(ctx, t, target, targetSet, settings)
	if err != nil {
		return nil, err
	}
	out.Unfit = unfit
	return out, nil
}

// Card returns the setting card of a trim: what to enter on its rig's board, from what stands on it; all of it when full.
func (w *Workshop) Card(ctx context.Context, id int64, full bool) ([]trim.Line, error) {
	if err := may(ctx, look, 0); err != nil {
		return nil, err
	}
	t, r, set, err := w.trimParts(ctx, id)
	if err != nil {
		return nil, err
	}
	from, err := w.onBoard(ctx, r)
	if err != nil {
		return nil, err
	}
	return trim.Card(set, from, t.Settings.V, full), nil
}

// onBoard returns the settings that are on a rig's board as far as is known: those of the trim in force; nil where none is.
func (w *Workshop) onBoard(ctx context.Context, r *store.Rig) (trim.Settings, error) {
	if !r.TrimInForce.Valid {
		return nil, nil
	}
	t, err := w.store.Trim(ctx, r.TrimInForce.Int64)
	if err != nil {
		return nil, err
	}
	return t.Settings.V, nil
}
