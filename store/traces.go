package store

import (
	"context"
	"time"
)

// Trace is what somebody did, or tried to do.
type Trace struct {
	ID     int64     `db:"id"`
	At     time.Time `db:"at"`
	Name   string    `db:"name"` // of who did it
	Role   string    `db:"role"` // that he had then
	FromIP string    `db:"from_ip"`
	Deed   string    `db:"deed"` // the operation of the API
	Path   string    `db:"path"`
	Status int       `db:"status"` // of the answer; 0 where none was given
}

// keptTraces is for how long traces are kept.
const keptTraces = 2 * 366 * 24 * time.Hour

// BeginTrace stores what is about to be done.
func (s *Store) BeginTrace(ctx context.Context, t *Trace) error {
	t.At = time.Now().UTC().Truncate(time.Microsecond)
	t.Name, t.Path, t.FromIP = cut(t.Name, 80), cut(t.Path, 300), cut(t.FromIP, 45)
	result, err := s.db.NamedExecContext(ctx, `INSERT INTO traces (at, name, role, from_ip, deed, path, status)
		VALUES (:at, :name, :role, :from_ip, :deed, :path, 0)`, t)
	if err == nil {
		t.ID, err = result.LastInsertId()
	}
	return known(err, "note what is done")
}

// EndTrace notes what came of it, once.
func (s *Store) EndTrace(ctx context.Context, id int64, status int) error {
	_, err := s.exec(ctx, `UPDATE traces SET status = ? WHERE id = ? AND status = 0`, status, id)
	return known(err, "note what was done")
}

// Traces lists the newest traces before one, 0 for all of them, newest first.
func (s *Store) Traces(ctx context.Context, before int64, limit int) ([]Trace, error) {
	list := []Trace{}
	err := s.db.SelectContext(ctx, &list, `SELECT id, at, name, role, from_ip, deed, path, status FROM traces
		WHERE ? = 0 OR id < ? ORDER BY id DESC LIMIT ?`, before, before, limit)
	return list, known(err, "list what was done")
}

// DropTraces drops what is older than traces are kept, a portion of it.
func (s *Store) DropTraces(ctx context.Context) error {
	_, err := s.exec(ctx, `DELETE FROM traces WHERE at < ? ORDER BY at LIMIT 1000`, time.Now().UTC().Add(-keptTraces))
	return known(err, "drop old traces")
}
