package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"

	"zerokeel/core/series"
)

// Samples lie in parts, one for each month in which they were stored, so that dropping a month is quick however much it holds. What
// is kept for good lies in a part of its own.

// StoredMonth is how much the samples of a month take.
type StoredMonth struct {
	Month int   `db:"-"` // see MonthOf; 0 for what is kept for good
	Rows  int64 `db:"table_rows"`
	Bytes int64 `db:"bytes"`

	Name string `db:"partition_name"`
}

// keptPart and restPart are the parts that are no month's: of what is kept for good, and of months that have no part yet.
const (
	keptPart = "kept"
	restPart = "rest"
)

// monthPart names the part of a month.
func monthPart(month int) string { return "m" + strconv.Itoa(month) }

// StoredMonths lists the months of which samples are stored, oldest first, with what is kept for good before them. The figures are
// the database's own estimates.
func (s *Store) StoredMonths(ctx context.Context) ([]StoredMonth, error) {
	var list []StoredMonth
	err := s.db.SelectContext(ctx, &list, `SELECT partition_name AS partition_name, table_rows AS table_rows, data_length AS bytes
		FROM information_schema.partitions WHERE table_schema = DATABASE() AND table_name = 'telemetry'
		ORDER BY partition_ordinal_position`)
	for i := range list {
		switch name := list[i].Name; name {
		case keptPart:
		case restPart:
			list[i].Month = MonthOf(time.Now())
		default:
			list[i].Month, _ = strconv.Atoi(strings.TrimPrefix(name, "m"))
		}
	}
	return list, known(err, "look how much samples take")
}

// PartMonths makes parts for the month of a moment and for the one after it, where they are missing. Another process may do so at
// the same time.
func (s *Store) PartMonths(ctx context.Context, at time.Time) error {
	there, err := s.StoredMonths(ctx)
	if err != nil {
		return err
	}
	newest := 0
	for _, m := range there {
		if m.Name != restPart {
			newest = max(newest, m.Month)
		}
	}
	for month := max(newest+1, MonthOf(at)); month <= MonthOf(at)+1; month++ {
		_, err := s.exec(ctx, fmt.Sprintf(`ALTER TABLE telemetry REORGANIZE PARTITION rest INTO
			(PARTITION %s VALUES LESS THAN (%d), PARTITION rest VALUES LESS THAN MAXVALUE)`, monthPart(month), month+1))
		if err != nil {
			return known(err, "make a part for month %d", month)
		}
	}
	return s.estimate(ctx)
}

// estimate lets the database estimate anew how much the parts hold; by itself it does so late.
func (s *Store) estimate(ctx context.Context) error {
	_, err := s.exec(ctx, `ANALYZE TABLE telemetry`)
	return known(err, "estimate how much samples take")
}

// DropSamples drops the samples that were stored before a month, but for those that are kept for good, and returns whose. What they
// are summed up to stays.
func (s *Store) DropSamples(ctx context.Context, before int) ([]int, error) {
	there, err := s.StoredMonths(ctx)
	if err != nil {
		return nil, err
	}
	var gone []int
	for _, m := range there {
		if m.Month == 0 || m.Name == restPart || m.Month >= before {
			continue
		}
		if err := s.sumUp(ctx, m.Name); err != nil {
			return gone, err
		}
		if _, err := s.exec(ctx, `ALTER TABLE telemetry DROP PARTITION `+m.Name); err != nil {
			return gone, known(err, "drop the samples of month %d", m.Month)
		}
		gone = append(gone, m.Month)
	}
	if len(gone) == 0 {
		return nil, nil
	}
	_, err = s.exec(ctx, `UPDATE trials t SET dropped_at = UTC_TIMESTAMP(6) WHERE state = ? AND dropped_at IS NULL
		AND EXISTS (SELECT 1 FROM legs l JOIN telemetry_levels v ON v.leg_id = l.id WHERE l.trial_id = t.id)
		AND NOT EXISTS (SELECT 1 FROM legs l JOIN telemetry x ON x.leg_id = l.id WHERE l.trial_id = t.id)`, TrialEnded)
	if err != nil {
		return gone, known(err, "note whose samples were dropped")
	}
	return gone, s.estimate(ctx)
}

// sumUp makes the levels that blocks of a part lack, because an earlier version packed them.
func (s *Store) sumUp(ctx context.Context, part string) error {
	for {
		var blocks []block
		if err := s.db.SelectContext(ctx, &blocks, `SELECT t.leg_id, t.channel_id, t.t0, t.t1, t.body FROM telemetry PARTITION (`+part+`) t
			JOIN telemetry_levels v USING (leg_id, channel_id, t0, t1) WHERE v.level = '' LIMIT 200`); err != nil || len(blocks) == 0 {
			return known(err, "look for telemetry that is not summed up")
		}
		for _, b := range blocks {
			samples, err := series.Decode(b.Body)
			if err != nil {
				return fmt.Errorf("sum up leg %d: %w", b.Leg, err)
			}
			if _, err := s.exec(ctx, `UPDATE telemetry_levels SET level = ? WHERE leg_id = ? AND channel_id = ? AND t0 = ? AND t1 = ?`,
				series.EncodeLevel(samples, 0), b.Leg, b.Channel, b.T0, b.T1); err != nil {
				return known(err, "sum up leg %d", b.Leg)
			}
		}
	}
}

// KeepTrial keeps the samples of a trial that has ended for good, or no longer; from then on they count as stored in that month.
// It is ErrMoved for one that has not ended, and ErrNotFound for one that has no samples any more.
func (s *Store) KeepTrial(ctx context.Context, id int64, keep bool, month int) error {
	if keep {
		month = 0
	}
	return known(s.within(ctx, func(tx *txn) error {
		var t struct {
			Rig     int64        `db:"rig_id"`
			State   TrialState   `db:"state"`
			Kept    bool         `db:"kept"`
			Dropped sql.NullTime `db:"dropped_at"`
		}
		if err := tx.GetContext(ctx, &t, `SELECT rig_id, state, kept, dropped_at FROM trials WHERE id = ? FOR UPDATE`, id); err != nil {
			return err
		}
		switch {
		case t.State != TrialEnded:
			return ErrMoved
		case t.Dropped.Valid:
			return sql.ErrNoRows
		case t.Kept == keep:
			return nil
		}
		tx.tell(TopicTrial, t.Rig, id)
		var legs []int64
		if err := tx.SelectContext(ctx, &legs, `SELECT id FROM legs WHERE trial_id = ?`, id); err != nil {
			return err
		}
		for _, leg := range legs {
			if _, err := tx.ExecContext(ctx, `UPDATE telemetry SET month = ? WHERE leg_id = ?`, month, leg); err != nil {
				return err
			}
		}
		_, err := tx.ExecContext(ctx, `UPDATE trials SET kept = ? WHERE id = ?`, keep, id)
		return err
	}), "keep the samples of trial %d", id)
}

// keepMonths is the rule for how many months samples are kept; 0 for good.
const keepMonths = "keep months"

// KeepMonths returns for how many months samples are kept; 0 means for good.
func (s *Store) KeepMonths(ctx context.Context) (months int, err error) {
	err = s.db.GetContext(ctx, &months, `SELECT value FROM rules WHERE name = ?`, keepMonths)
	if errors.Is(err, sql.ErrNoRows) {
		return 0, nil
	}
	return months, known(err, "look for how long samples are kept")
}

// SetKeepMonths says for how many months samples are kept; 0 means for good.
func (s *Store) SetKeepMonths(ctx context.Context, months int) error {
	_, err := s.exec(ctx, `INSERT INTO rules (name, value) VALUES (?, ?) ON DUPLICATE KEY UPDATE value = VALUES(value)`, keepMonths, months)
	return known(err, "say for how long samples are kept")
}

// Begun returns since when the samples were stored that are held, by the day; zero where there are none.
func (s *Store) Begun(ctx context.Context) (time.Time, error) {
	var at sql.NullTime
	err := s.db.GetContext(ctx, &at, `SELECT MIN(created_at) FROM trials WHERE dropped_at IS NULL`)
	return at.Time, known(err, "look for the first trial")
}

// Bytes returns how much the whole database takes, by the database's own estimate.
func (s *Store) Bytes(ctx context.Context) (bytes int64, err error) {
	err = s.db.GetContext(ctx, &bytes, `SELECT COALESCE(SUM(data_length + index_length), 0) FROM information_schema.tables
		WHERE table_schema = DATABASE()`)
	return bytes, known(err, "look how much the records take")
}

// For how long what agents and watches leave behind is kept.
const (
	keptStreams = 400 * 24 * time.Hour // of agents' starts; the present one is used all the time
	keptNotices = 400 * 24 * time.Hour
)

// DropOld drops streams that no agent speaks any more, and notices that were sent long ago, some at a time.
func (s *Store) DropOld(ctx context.Context) error {
	now := time.Now().UTC()
	_, err := s.exec(ctx, `DELETE FROM link_streams WHERE used_at < ? LIMIT 1000`, now.Add(-keptStreams))
	if err == nil {
		_, err = s.exec(ctx, `DELETE FROM notices WHERE due_at IS NULL AND at < ? LIMIT 1000`, now.Add(-keptNotices))
	}
	return known(err, "drop what is old")
}
