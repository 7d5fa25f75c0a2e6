package store

import (
	"context"
	"time"
)

// Yardstick is a benchmark's definition as stored.
type Yardstick struct {
	ID      string  `db:"id"`
	Name    string  `db:"name"`
	Unit    string  `db:"unit"`
	Better  string  `db:"better"` // higher or lower
	Load    string  `db:"load_kind"`
	Seconds float64 `db:"seconds"`
	Runs    int     `db:"runs"`
}

// Score is a score as stored, with the figures of its leg.
type Score struct {
	ID        int64          `db:"id"`
	TrimID    int64          `db:"trim_id"`
	TrialID   int64          `db:"trial_id"`
	Yardstick string         `db:"yardstick_id"`
	Value     float64        `db:"value"`
	RigClock  time.Time      `db:"rig_clock"`
	Spoilt    string         `db:"spoilt"` // why it does not count; empty when it does
	Figures   JSON[[]Figure] `db:"figures"`
}

// Yardsticks lists every yardstick.
func (s *Store) Yardsticks(ctx context.Context) ([]Yardstick, error) {
	list := []Yardstick{}
	err := s.db.SelectContext(ctx, &list, `SELECT id, name, unit, better, load_kind, seconds, runs FROM yardsticks ORDER BY id`)
	return list, known(err, "list yardsticks")
}

// Scores lists a rig's scores, oldest first.
func (s *Store) Scores(ctx context.Context, rig int64) ([]Score, error) {
	list := []Score{}
	err := s.db.SelectContext(ctx, &list, `SELECT s.id, s.trim_id, l.trial_id, s.yardstick_id, s.value, s.rig_clock, s.spoilt, l.figures
		FROM scores s JOIN legs l ON l.id = s.leg_id WHERE s.rig_id = ? ORDER BY s.id`, rig)
	return list, known(err, "list the scores of rig %d", rig)
}
