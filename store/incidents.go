package store

import (
	"context"
	"database/sql"
	"time"

	"zerokeel/core/proof"
)

// Incident is a fault seen in daily use, held against the trim then in force.
type Incident struct {
	ID        int64     `db:"id"`
	RigID     int64     `db:"rig_id"`
	TrimID    int64     `db:"trim_id"`
	Kind      string    `db:"kind"`
	Note      string    `db:"note"`
	CreatedAt time.Time `db:"created_at"`

	BootID sql.NullString `db:"boot_id"` // start of the machine that it ended, where the rig noticed it itself
}

// AddIncident stores an incident; from then on the trim counts as fitted only, whatever it held before. It is ErrTaken when the
// rig told of the same one before.
func (s *Store) AddIncident(ctx context.Context, i *Incident) error {
	if i.CreatedAt.IsZero() {
		i.CreatedAt = time.Now()
	}
	i.CreatedAt, i.Note = i.CreatedAt.UTC().Truncate(time.Microsecond), cut(i.Note, maxNote)
	err := s.within(ctx, func(tx *txn) error {
		result, err := tx.NamedExecContext(ctx, `INSERT INTO incidents (rig_id, trim_id, kind, note, created_at, boot_id)
			VALUES (:rig_id, :trim_id, :kind, :note, :created_at, :boot_id)`, i)
		if err != nil {
			return err
		}
		if i.ID, err = result.LastInsertId(); err != nil {
			return err
		}
		tx.tell(TopicTrim, i.RigID, i.TrimID)
		if _, err = tx.ExecContext(ctx, `UPDATE trims SET faulted_s = faulted_s + used_s, used_s = 0 WHERE id = ?`, i.TrimID); err != nil {
			return err
		}
		if _, err = tx.ExecContext(ctx, `UPDATE trims SET standing = ?, verdict_s = 0, proof = NULL WHERE id = ? AND standing IN (?, ?, ?)`,
			proof.Fitted, i.TrimID, proof.Tried, proof.Held, proof.Proven); err != nil {
			return err
		}
		return tx.revise(ctx, i.RigID)
	})
	return known(err, "hold an incident against trim %d", i.TrimID)
}

// LegAt is a leg that ran during a start of a machine. Open ones are not judged yet.
type LegAt struct {
	ID    int64   `db:"id"`
	SeenS float64 `db:"seen_s"`
	Open  bool    `db:"open"`
}

// LegIn returns the last leg that ran on a rig during a start of the machine, if the machine may have ended it: nil when
// every leg of that start finished.
func (s *Store) LegIn(ctx context.Context, rig int64, boot string) (*LegAt, error) {
	var found []LegAt
	err := s.db.SelectContext(ctx, &found, `SELECT l.id, l.seen_s, l.result IS NULL AS open FROM legs l JOIN trials t ON t.id = l.trial_id
		WHERE t.rig_id = ? AND l.boot_id = ? AND l.finished IS NULL ORDER BY l.id DESC LIMIT 1`, rig, boot)
	if err != nil || len(found) == 0 {
		return nil, known(err, "look for a leg of rig %d", rig)
	}
	return &found[0], nil
}

// FittingSince tells whether a fitting restarted a rig from this start of the machine on.
func (s *Store) FittingSince(ctx context.Context, rig int64, boot string) (bool, error) {
	var n int
	err := s.db.GetContext(ctx, &n, `SELECT COUNT(*) FROM fittings WHERE rig_id = ? AND boot_before = ?`, rig, boot)
	return n > 0, known(err, "look for a fitting of rig %d", rig)
}

// Incidents lists a rig's newest incidents, at most a page of them, newest first: those with an id below before, where that is
// above 0.
func (s *Store) Incidents(ctx context.Context, rig, before int64) ([]Incident, error) {
	list := []Incident{}
	err := s.db.SelectContext(ctx, &list,
		`SELECT id, rig_id, trim_id, kind, note, created_at, boot_id FROM incidents
		WHERE rig_id = ? AND (? <= 0 OR id < ?) ORDER BY id DESC LIMIT ?`, rig, before, before, page)
	return list, known(err, "list the incidents of rig %d", rig)
}
