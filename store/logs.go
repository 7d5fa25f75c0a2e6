package store

import (
	"context"
	"errors"
	"slices"
	"time"

	"github.com/jmoiron/sqlx"

	"zerokeel/core/channel"
	"zerokeel/core/columns"
	"zerokeel/core/series"
)

// Log is a table of another recorder's figures that was joined to a trial.
type Log struct {
	ID        int64                   `db:"id"`
	TrialID   int64                   `db:"trial_id"`
	SourceID  string                  `db:"source_id"`
	Name      string                  `db:"name"`
	ShiftS    float64                 `db:"shift_s"` // added to its times
	Channels  JSON[[]channel.Channel] `db:"channels"`
	Lines     int64                   `db:"lines_read"`
	Used      int64                   `db:"lines_used"` // that fell into a leg
	Broken    int64                   `db:"broken"`
	CreatedAt time.Time               `db:"created_at"`
}

// LogMapping returns how the columns of a source were mapped last; nil if they never were.
func (s *Store) LogMapping(ctx context.Context, source string) ([]columns.Target, error) {
	var row JSON[[]columns.Target]
	err := s.db.GetContext(ctx, &row, `SELECT mapping FROM log_sources WHERE id = ?`, source)
	if err = known(err, "load the mapping of %.40q", source); errors.Is(err, ErrNotFound) {
		return nil, nil
	}
	return row.V, err
}

// SaveLogMapping keeps how the columns of a source are mapped.
func (s *Store) SaveLogMapping(ctx context.Context, source string, mapping []columns.Target) error {
	_, err := s.exec(ctx, `REPLACE INTO log_sources (id, mapping, changed_at) VALUES (?, ?, ?)`, source, AsJSON(mapping), time.Now().UTC())
	return known(err, "keep the mapping of %.40q", source)
}

// Logs lists the logs joined to a trial, oldest first.
func (s *Store) Logs(ctx context.Context, trial int64) ([]Log, error) {
	list := []Log{}
	err := s.db.SelectContext(ctx, &list, `SELECT id, trial_id, source_id, name, shift_s, channels, lines_read, lines_used, broken, created_at
		FROM logs WHERE trial_id = ? ORDER BY id`, trial)
	return list, known(err, "list the logs of trial %d", trial)
}

// LogChannels lists the channels that logs add to a trial.
func (s *Store) LogChannels(ctx context.Context, trial int64) ([]channel.Channel, error) {
	logs, err := s.Logs(ctx, trial)
	var out []channel.Channel
	for _, l := range logs {
		out = append(out, l.Channels.V...)
	}
	return out, err
}

// JoinLog stores a log with its samples, all or nothing: fill is given a function that takes samples of a leg by channel,
// each sorted by time; it fills in the counts of the log.
func (s *Store) JoinLog(ctx context.Context, l *Log, fill func(add func(leg int64, samples map[string][]series.Sample) error) error) error {
	l.CreatedAt = time.Now().UTC().Truncate(time.Microsecond)
	keys := make([]string, len(l.Channels.V))
	for i, c := range l.Channels.V {
		keys[i] = c.Key
	}
	if err := s.number(ctx, keys); err != nil {
		return known(err, "join a log to trial %d", l.TrialID)
	}
	// Not tried again after a deadlock: what is read is gone by then.
	err := s.once(ctx, func(tx *txn) error {
		err := fill(func(leg int64, samples map[string][]series.Sample) error {
			return s.insertBlocks(ctx, tx, leg, samples, nil)
		})
		if err != nil {
			return err
		}
		l.Name = cut(l.Name, 120)
		result, err := tx.NamedExecContext(ctx, `INSERT INTO logs (trial_id, source_id, name, shift_s, channels, lines_read, lines_used,
			broken, created_at)
			VALUES (:trial_id, :source_id, :name, :shift_s, :channels, :lines_read, :lines_used, :broken, :created_at)`, l)
		if err != nil {
			return err
		}
		if l.ID, err = result.LastInsertId(); err != nil {
			return err
		}
		return told(ctx, tx, l.TrialID)
	})
	return known(err, "join a log to trial %d", l.TrialID)
}

// typedSource begins the source of readings that were typed in.
const typedSource = "typed "

// AddReading notes what a person read of a meter during a leg, in a log of its own for each channel.
func (s *Store) AddReading(ctx context.Context, trial, leg int64, c channel.Channel, x series.Sample) error {
	err := s.withNumbers(ctx, func(tx *txn) error {
		if err := s.insertBlocks(ctx, tx, leg, map[string][]series.Sample{c.Key: {x}}, nil); err != nil {
			return err
		}
		result, err := tx.ExecContext(ctx,
			`UPDATE logs SET lines_read = lines_read + 1, lines_used = lines_used + 1 WHERE trial_id = ? AND source_id = ?`, trial,
			typedSource+c.Key)
		if err != nil {
			return err
		}
		n, err := result.RowsAffected()
		if err == nil && n == 0 {
			_, err = tx.ExecContext(ctx, `INSERT INTO logs (trial_id, source_id, name, shift_s, channels, lines_read, lines_used, broken,
				created_at) VALUES (?, ?, ?, 0, ?, 1, 1, 0, ?)`,
				trial, typedSource+c.Key, c.Label+", typed in", AsJSON([]channel.Channel{c}), time.Now().UTC())
		}
		if err != nil {
			return err
		}
		return told(ctx, tx, trial)
	})
	return known(err, "note a reading of trial %d", trial)
}

// DropLog takes a log off a trial again, with its samples and figures.
func (s *Store) DropLog(ctx context.Context, trial, id int64) error {
	var row Log
	err := s.db.GetContext(ctx, &row, `SELECT id, trial_id, source_id, name, shift_s, channels, lines_read, lines_used, broken, created_at
		FROM logs WHERE id = ? AND trial_id = ?`, id, trial)
	if err != nil {
		return known(err, "load log %d", id)
	}
	legs, err := s.Legs(ctx, trial)
	if err != nil {
		return err
	}
	keys := make([]string, len(row.Channels.V))
	for i, c := range row.Channels.V {
		keys[i] = c.Key
	}
	err = s.within(ctx, func(tx *txn) error {
		for _, from := range []string{"telemetry", "telemetry_levels"} {
			query, args, err := sqlx.In(`DELETE t FROM `+from+` t JOIN channels c ON c.id = t.channel_id JOIN legs l ON l.id = t.leg_id
				WHERE l.trial_id = ? AND c.name IN (?)`, trial, append(keys, ""))
			if err != nil {
				return err
			}
			if _, err := tx.ExecContext(ctx, query, args...); err != nil {
				return err
			}
		}
		for i := range legs {
			rest := slices.DeleteFunc(slices.Clone(legs[i].Figures.V), func(f channel.Figure) bool { return slices.Contains(keys, f.Key) })
			if _, err := tx.ExecContext(ctx, `UPDATE legs SET figures = ? WHERE id = ?`, AsJSON(rest), legs[i].ID); err != nil {
				return err
			}
		}
		if _, err := tx.ExecContext(ctx, `DELETE FROM logs WHERE id = ?`, id); err != nil {
			return err
		}
		return told(ctx, tx, trial)
	})
	return known(err, "take log %d off", id)
}

// AddFigures adds figures to a leg that has ended, in place of those of the same channels.
func (s *Store) AddFigures(ctx context.Context, l *Leg, list []channel.Figure) error {
	if len(list) == 0 {
		return nil
	}
	rest := slices.DeleteFunc(slices.Clone(l.Figures.V), func(f channel.Figure) bool {
		return slices.ContainsFunc(list, func(o channel.Figure) bool { return o.Key == f.Key })
	})
	l.Figures = AsJSON(append(rest, list...))
	return known(s.within(ctx, func(tx *txn) error {
		if _, err := tx.ExecContext(ctx, `UPDATE legs SET figures = ? WHERE id = ?`, l.Figures, l.ID); err != nil {
			return err
		}
		return told(ctx, tx, l.TrialID)
	}), "add figures to leg %d", l.ID)
}

// told notes that a trial's figures were told anew.
func told(ctx context.Context, tx *txn, trial int64) error {
	var rig int64
	if err := tx.GetContext(ctx, &rig, `SELECT rig_id FROM trials WHERE id = ?`, trial); err != nil {
		return err
	}
	tx.tell(TopicTrial, rig, trial)
	return tx.revise(ctx, rig)
}
