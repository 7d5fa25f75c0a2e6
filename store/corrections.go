package store

import (
	"context"
	"time"
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
	err := s.db.SelectContext(ctx, &list, `SELECT rig_id, channel, scale, shift, reason, set_at FROM corrections WHERE rig_id = ? ORDER BY channel`, rig)
	return list, known(err, "list the corrections of rig %d", rig)
}

// SetCorrection stores a correction, in place of one of the same channel.
func (s *Store) SetCorrection(ctx context.Context, c *Correction) error {
	c.SetAt = time.Now().UTC().Truncate(time.Microsecond)
	_, err := s.db.NamedExecContext(ctx, `REPLACE INTO corrections (rig_id, channel, scale, shift, reason, set_at) VALUES (:rig_id, :channel, :scale, :shift, :reason, :set_at)`, c)
	return known(err, "store a correction of rig %d", c.RigID)
}

// DropCorrection removes a correction. It is ErrNotFound when there is none.
func (s *Store) DropCorrection(ctx context.Context, rig int64, channel string) error {
	result, err := s.db.ExecContext(ctx, `DELETE FROM corrections WHERE rig_id = ? AND channel = ?`, rig, channel)
	if err != nil {
		return known(err, "remove a correction of rig %d", rig)
	}
	if n, err := result.RowsAffected(); err != nil || n == 0 {
		return known(ErrNotFound, "remove a correction of rig %d", rig)
	}
	return nil
}
