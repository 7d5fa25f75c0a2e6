package store

import (
	"context"

	"zerokeel/core/channel"
	"zerokeel/core/load"
	"zerokeel/core/verdict"
)

// SoundedLeg is a leg that says how far the cores go: of a load, at full width, with its trim in force.
type SoundedLeg struct {
	TrialID int64                  `db:"trial_id"`
	Trial   int                    `db:"number"`
	TrimID  int64                  `db:"trim_id"`
	Load    load.Kind              `db:"load_kind"`
	Cores   JSON[[]int]            `db:"cores"`
	SeenS   float64                `db:"seen_s"`
	Result  JSON[verdict.Result]   `db:"result"`
	Figures JSON[[]channel.Figure] `db:"figures"`
	Covered float64                `db:"covered"` // of a memory load: the share of its memory that held every pattern; 0 where that was not told
}

// SoundedLegs lists a rig's legs that say how far its cores go, oldest first, those with a fault that was caused on purpose left out.
func (s *Store) SoundedLegs(ctx context.Context, rig int64) ([]SoundedLeg, error) {
	list := []SoundedLeg{}
	err := s.db.SelectContext(ctx, &list, `SELECT l.trial_id, t.number, t.trim_id, l.load_kind, l.cores, l.seen_s, l.result, l.figures,
		COALESCE(JSON_VALUE(l.finished, '$.coverage'), 0) AS covered
		FROM legs l JOIN trials t ON t.id = l.trial_id
		WHERE t.rig_id = ? AND l.in_force AND l.inject IS NULL AND l.yardstick_id = '' AND l.width IN ('', 'widest')
			AND l.sweep IS NULL AND l.result IS NOT NULL
		ORDER BY l.trial_id, l.position`, rig)
	return list, known(err, "list what the legs of rig %d say of its cores", rig)
}

// Used is daily use of a trim: seconds altogether, and the faults that came in it.
type Used struct {
	TrimID  int64   `db:"id"`
	Seconds float64 `db:"seconds"`
	Faults  int     `db:"faults"`
}

// Uses lists the daily use of a rig's trims that have any.
func (s *Store) Uses(ctx context.Context, rig int64) ([]Used, error) {
	list := []Used{}
	err := s.db.SelectContext(ctx, &list, `SELECT m.id, m.used_s + m.faulted_s AS seconds,
		(SELECT COUNT(*) FROM incidents i WHERE i.trim_id = m.id) AS faults FROM trims m WHERE m.rig_id = ?
		HAVING seconds > 0 OR faults > 0 ORDER BY m.id`, rig)
	return list, known(err, "list the daily use of rig %d", rig)
}
