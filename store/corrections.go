package store

import (
	"context"
	"database/sql"
	"time"

	"zerokeel/core/channel"
)

// Correction is how a channel of a rig is put right: what was read, times the scale, plus the shift.
type Correction struct {
	RigID   int64     `db:"rig_id"`
	Channel string    `db:"channel"`
	Scale   float64   `db:"scale"`
	Shift   float64   `db:"shift"`
	Reason  string    `db:"reason"`
	SetAt   time.Time `db:"set_at"`
}

// Corrections lists the corrections of a rig.
func (s *Store) Corrections(ctx context.Context, rig int64) ([]Correction, error) {
	list := []Correction{}
	err := s.db.SelectContext(ctx, &list,
		`SELECT rig_id, channel, scale, shift, reason, set_at FROM corrections WHERE rig_id = ? ORDER BY channel`, rig)
	return list, known(err, "list the corrections of rig %d", rig)
}

// SetCorrection stores a correction, in place of one of the same channel, and puts the figures of the rig's legs right that
// were summed up before: anew turns a figure as it stands into what it is from now on.
// still is told the correction that there is, nil for none, and may refuse.
func (s *Store) SetCorrection(ctx context.Context, c *Correction, anew func(float64) float64, still func(now *Correction) error) error {
	c.SetAt = time.Now().UTC().Truncate(time.Microsecond)
	err := s.within(ctx, func(tx *txn) error {
		if err := stillSo(ctx, tx, c.RigID, c.Channel, still); err != nil {
			return err
		}
		if _, err := tx.NamedExecContext(ctx,
			`REPLACE INTO corrections (rig_id, channel, scale, shift, reason, set_at)
				VALUES (:rig_id, :channel, :scale, :shift, :reason, :set_at)`, c); err != nil {
			return err
		}
		tx.tell(TopicCorrection, c.RigID, 0)
		return refigure(ctx, tx, c.RigID, c.Channel, anew)
	})
	return known(err, "store a correction of rig %d", c.RigID)
}

// stillSo tells how a correction stands, and keeps others from changing it meanwhile.
func stillSo(ctx context.Context, tx *txn, rig int64, channel string, still func(*Correction) error) error {
	var there []Correction
	if err := tx.SelectContext(ctx, &there, `SELECT rig_id, channel, scale, shift, reason, set_at FROM corrections
		WHERE rig_id = ? AND channel = ? FOR UPDATE`, rig, channel); err != nil {
		return err
	}
	if len(there) == 0 {
		return still(nil)
	}
	return still(&there[0])
}

// DropCorrection removes a correction, and puts the figures back that it changed. It is ErrNotFound when there is none. still may
// refuse, as of SetCorrection.
func (s *Store) DropCorrection(ctx context.Context, rig int64, channel string, anew func(float64) float64,
	still func(now *Correction) error) error {
	err := s.within(ctx, func(tx *txn) error {
		if err := stillSo(ctx, tx, rig, channel, still); err != nil {
			return err
		}
		result, err := tx.ExecContext(ctx, `DELETE FROM corrections WHERE rig_id = ? AND channel = ?`, rig, channel)
		if err != nil {
			return err
		}
		if n, err := result.RowsAffected(); err != nil || n == 0 {
			return sql.ErrNoRows
		}
		tx.tell(TopicCorrection, rig, 0)
		return refigure(ctx, tx, rig, channel, anew)
	})
	return known(err, "remove a correction of rig %d", rig)
}

// refigure changes what a rig's legs tell of a channel.
func refigure(ctx context.Context, tx *txn, rig int64, key string, anew func(float64) float64) error {
	var legs []struct {
		ID      int64                  `db:"id"`
		Figures JSON[[]channel.Figure] `db:"figures"`
	}
	if err := tx.SelectContext(ctx, &legs,
		`SELECT l.id, l.figures FROM legs l JOIN trials t ON t.id = l.trial_id WHERE t.rig_id = ? AND l.figures IS NOT NULL FOR UPDATE`,
		rig); err != nil {
		return err
	}
	for _, l := range legs {
		channel.Refigure(l.Figures.V, key, anew)
		if _, err := tx.ExecContext(ctx, `UPDATE legs SET figures = ? WHERE id = ?`, l.Figures, l.ID); err != nil {
			return err
		}
	}
	return tx.revise(ctx, rig)
}
