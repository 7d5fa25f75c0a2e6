package store

import (
	"context"

	"zerokeel/core/load"
)

// RecordedLeg is a leg whose samples are there.
type RecordedLeg struct {
	ID        int64     `db:"id"`
	TrimID    int64     `db:"trim_id"`
	TrialID   int64     `db:"trial_id"`
	Number    int       `db:"number"` // of the trial
	Load      load.Kind `db:"load_kind"`
	StartedMS int64     `db:"started_ms"`
	SeenS     float64   `db:"seen_s"`
}

// RecordedLegs lists a rig's newest legs that ran and whose samples are there, newest first: those that swept no header, under one trim or,
// where that is 0, under any.
func (s *Store) RecordedLegs(ctx context.Context, rig, trim int64, most int) ([]RecordedLeg, error) {
	list := []RecordedLeg{}
	err := s.db.SelectContext(ctx, &list, `SELECT l.id, t.trim_id, l.trial_id, t.number, l.load_kind, l.started_ms, l.seen_s
		FROM legs l JOIN trials t ON t.id = l.trial_id
		WHERE t.rig_id = ? AND ? IN (0, t.trim_id) AND l.started_ms IS NOT NULL AND l.sweep IS NULL AND t.dropped_at IS NULL AND l.seen_s > 0
		ORDER BY l.id DESC LIMIT ?`, rig, trim, most)
	return list, known(err, "list the recorded legs of rig %d", rig)
}
