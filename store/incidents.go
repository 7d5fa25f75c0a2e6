package store

import (
	"context"
	"time"
)

// Incident is a fault seen in daily use, held against the trim then in force.
type Incident struct {
	ID        int64     `db:"id"`
	RigID     int64     `db:"rig_id"`
	TrimID    int64     `db:"trim_id"`
	Kind      string    `db:"kind"`
	Note      string    `db:"note"`
	CreatedAt time.Time `db:"created_at"`
}

// AddIncident stores an incident; a proven trim counts as fitted only from then on.
func (s *Store) AddIncident(ctx context.Context, i *Incident) error {
	i.CreatedAt = time.Now().UTC().Truncate(time.Microsecond)
	result, err := s.db.NamedExecContext(ctx, `INSERT INTO incidents (rig_id, trim_id, kind, note, created_at) VALUES (:rig_id, :trim_id, :kind, :note, :created_at)`, i)
	if err != nil {
		return known(err, "store an incident")
	}
	if i.ID, err = result.LastInsertId(); err != nil {
		return known(err, "store an incident")
	}
	_, err = s.db.ExecContext(ctx, `UPDATE trims SET standing = ? WHERE id = ? AND standing = ?`, StandingFitted, i.TrimID, StandingProven)
	return known(err, "hold an incident against trim %d", i.TrimID)
}

// Incidents lists a rig's incidents, newest first.
func (s *Store) Incidents(ctx context.Context, rig int64) ([]Incident, error) {
	list := []Incident{}
	err := s.db.SelectContext(ctx, &list, `SELECT id, rig_id, trim_id, kind, note, created_at FROM incidents WHERE rig_id = ? ORDER BY id DESC LIMIT 200`, rig)
	return list, known(err, "list the incidents of rig %d", rig)
}
