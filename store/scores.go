package store

import (
	"context"
	"database/sql"
	"time"

	"zerokeel/core/channel"
	"zerokeel/core/yardstick"
)

// Score is a score as stored, with the figures of its leg. One that was typed or imported has none, and no trial.
type Score struct {
	ID        int64                  `db:"id"`
	TrimID    int64                  `db:"trim_id"`
	TrialID   sql.NullInt64          `db:"trial_id"`
	Session   sql.NullInt64          `db:"session_id"` // of its trial, if it was interleaved
	Yardstick string                 `db:"yardstick_id"`
	Value     float64                `db:"value"`
	RigClock  time.Time              `db:"rig_clock"`
	Spoilt    string                 `db:"spoilt"` // why it does not count; empty when it does
	Note      string                 `db:"note"`   // where it comes from
	Figures   JSON[[]channel.Figure] `db:"figures"`
}

// Yardsticks lists those of the workshop, which results of other programs are held against, by name.
func (s *Store) Yardsticks(ctx context.Context) ([]yardstick.Yardstick, error) {
	var rows []struct {
		ID     string `db:"id"`
		Name   string `db:"name"`
		Unit   string `db:"unit"`
		Better string `db:"better"`
	}
	if err := s.db.SelectContext(ctx, &rows, `SELECT id, name, unit, better FROM yardsticks ORDER BY name, id`); err != nil {
		return nil, known(err, "list yardsticks")
	}
	list := make([]yardstick.Yardstick, len(rows))
	for i, r := range rows {
		list[i] = yardstick.Yardstick{ID: r.ID, Name: r.Name, Unit: r.Unit, Better: yardstick.Better(r.Better)}
	}
	return list, nil
}

// Scores lists a rig's scores, oldest first.
func (s *Store) Scores(ctx context.Context, rig int64) ([]Score, error) {
	list := []Score{}
	err := s.db.SelectContext(ctx, &list, `SELECT s.id, s.trim_id, l.trial_id, s.yardstick_id, s.value, s.rig_clock, s.spoilt, s.note,
		l.figures, t.session_id
		FROM scores s LEFT JOIN legs l ON l.id = s.leg_id LEFT JOIN trials t ON t.id = l.trial_id WHERE s.rig_id = ? ORDER BY s.id`, rig)
	return list, known(err, "list the scores of rig %d", rig)
}

// AddScores stores scores of a rig that were taken elsewhere, with the yardsticks that are new to the workshop, all or
// none, and returns how many were. One that is there already, from the same moment, is passed over.
func (s *Store) AddScores(ctx context.Context, rig int64, list []Score, fresh []yardstick.Yardstick) (added int, err error) {
	err = s.within(ctx, func(tx *txn) error {
		added = 0
		tx.tell(TopicTrial, rig, 0)
		for _, y := range fresh {
			if _, err := tx.ExecContext(ctx, `INSERT IGNORE INTO yardsticks (id, name, unit, better) VALUES (?, ?, ?, ?)`, y.ID, y.Name, y.Unit,
				y.Better); err != nil {
				return err
			}
		}
		for _, x := range list {
			result, err := tx.ExecContext(ctx, `INSERT INTO scores (rig_id, trim_id, yardstick_id, value, rig_clock, note) SELECT ?, ?, ?, ?, ?,
				? FROM DUAL
				WHERE NOT EXISTS (SELECT 1 FROM scores WHERE rig_id = ? AND trim_id = ? AND yardstick_id = ? AND value = ? AND rig_clock = ?)`,
				rig, x.TrimID, x.Yardstick, x.Value, x.RigClock.UTC(), cut(x.Note, 200), rig, x.TrimID, x.Yardstick, x.Value, x.RigClock.UTC())
			if err != nil {
				return err
			}
			n, err := result.RowsAffected()
			if err != nil {
				return err
			}
			added += int(n)
		}
		return tx.revise(ctx, rig)
	})
	return added, known(err, "store scores of rig %d", rig)
}

// DropScore removes a score that was typed or imported, and its yardstick with the last of its scores.
func (s *Store) DropScore(ctx context.Context, rig, id int64) error {
	err := s.within(ctx, func(tx *txn) error {
		tx.tell(TopicTrial, rig, 0)
		result, err := tx.ExecContext(ctx, `DELETE FROM scores WHERE id = ? AND rig_id = ? AND leg_id IS NULL`, id, rig)
		if err != nil {
			return err
		}
		if n, err := result.RowsAffected(); err != nil || n == 0 {
			return sql.ErrNoRows
		}
		_, err = tx.ExecContext(ctx, `DELETE FROM yardsticks WHERE NOT EXISTS (SELECT 1 FROM scores WHERE yardstick_id = yardsticks.id)`)
		if err != nil {
			return err
		}
		return tx.revise(ctx, rig)
	})
	return known(err, "remove score %d", id)
}

// Values returns the values of a yardstick by trim, without those that are spoilt.
func (s *Store) Values(ctx context.Context, rig int64, yardstick string) (map[int64][]float64, error) {
	var rows []struct {
		Trim  int64   `db:"trim_id"`
		Value float64 `db:"value"`
	}
	err := s.db.SelectContext(ctx, &rows,
		`SELECT trim_id, value FROM scores WHERE rig_id = ? AND yardstick_id = ? AND spoilt = '' ORDER BY id`, rig, yardstick)
	out := map[int64][]float64{}
	for _, r := range rows {
		out[r.Trim] = append(out[r.Trim], r.Value)
	}
	return out, known(err, "list the %s scores of rig %d", yardstick, rig)
}
