package store

import (
	"context"

	"github.com/jmoiron/sqlx"
)

// Dependents is what is removed with a rig.
type Dependents struct {
	Trims      int `db:"trims"`
	Fittings   int `db:"fittings"`
	Trials     int `db:"trials"`
	Scores     int `db:"scores"`
	Incidents  int `db:"incidents"`
	Recordings int `db:"recordings"`
	Watches    int `db:"watches"`
}

// DependentsOf counts what is removed with a rig.
func (s *Store) DependentsOf(ctx context.Context, rig int64) (Dependents, error) {
	var d Dependents
	err := s.db.GetContext(ctx, &d, `SELECT (SELECT COUNT(*) FROM trims WHERE rig_id = r.id) AS trims,
		(SELECT COUNT(*) FROM fittings WHERE rig_id = r.id) AS fittings, (SELECT COUNT(*) FROM trials WHERE rig_id = r.id) AS trials,
		(SELECT COUNT(*) FROM scores WHERE rig_id = r.id) AS scores, (SELECT COUNT(*) FROM incidents WHERE rig_id = r.id) AS incidents,
		(SELECT COUNT(*) FROM logs l JOIN trials t ON t.id = l.trial_id WHERE t.rig_id = r.id) AS recordings,
		(SELECT COUNT(*) FROM watches WHERE rig_id = r.id) AS watches FROM rigs r WHERE r.id = ?`, rig)
	return d, known(err, "count what belongs to rig %d", rig)
}

// RemoveRig removes a rig with all that belongs to it, unless check says no. It is ErrTaken while something runs on it.
func (s *Store) RemoveRig(ctx context.Context, id int64, check func(*Rig) error) error {
	return known(s.within(ctx, func(tx *txn) error {
		var r Rig
		if err := tx.GetContext(ctx, &r, `SELECT `+rigColumns+` FROM rigs WHERE id = ? FOR UPDATE`, id); err != nil {
			return err
		}
		if err := check(&r); err != nil {
			return err
		}
		if running, err := runs(ctx, tx, id); err != nil {
			return err
		} else if running {
			return ErrTaken
		}
		tx.tell(TopicToken, id, 0)
		tx.tell(TopicRig, id, 0)
		if err := removeLegs(ctx, tx, id); err != nil {
			return err
		}
		for _, statement := range []string{
			`DELETE FROM scores WHERE rig_id = ?`,
			`DELETE FROM logs WHERE trial_id IN (SELECT id FROM trials WHERE rig_id = ?)`,
			`DELETE FROM legs WHERE trial_id IN (SELECT id FROM trials WHERE rig_id = ?)`,
			`DELETE FROM incidents WHERE rig_id = ?`,
			`DELETE FROM trials WHERE rig_id = ?`,
			`DELETE FROM sessions WHERE rig_id = ?`,
			`DELETE FROM pilots WHERE rig_id = ?`,
			`DELETE FROM fittings WHERE rig_id = ?`,
			`DELETE FROM notices WHERE rig_id = ?`,
			`DELETE FROM watches WHERE rig_id = ?`,
			`DELETE FROM corrections WHERE rig_id = ?`,
			`DELETE FROM leases WHERE rig_id = ?`,
			`DELETE FROM link_streams WHERE rig_id = ?`,
			`UPDATE rigs SET trim_in_force = NULL, lost_trim = NULL WHERE id = ?`,
			`UPDATE trims SET parent_id = NULL WHERE rig_id = ?`,
			`DELETE FROM trims WHERE rig_id = ?`,
			`DELETE FROM rigs WHERE id = ?`,
		} {
			if _, err := tx.ExecContext(ctx, statement, id); err != nil {
				return err
			}
		}
		return nil
	}), "remove rig %d", id)
}

// runs reports whether something runs on a rig.
func runs(ctx context.Context, tx *txn, rig int64) (bool, error) {
	n := 0
	err := tx.GetContext(ctx, &n, `SELECT (SELECT COUNT(*) FROM fittings WHERE rig_id = ? AND ended_at IS NULL) +
		(SELECT COUNT(*) FROM trials WHERE rig_id = ? AND ended_at IS NULL) +
		(SELECT COUNT(*) FROM sessions WHERE rig_id = ? AND ended_at IS NULL) +
		(SELECT COUNT(*) FROM pilots WHERE rig_id = ? AND ended_at IS NULL)`, rig, rig, rig, rig)
	return n > 0, err
}

// removeLegs removes what hangs on a rig's legs, leg by leg: there may be much of it.
func removeLegs(ctx context.Context, tx *txn, rig int64) error {
	var legs []int64
	if err := tx.SelectContext(ctx, &legs, `SELECT l.id FROM legs l JOIN trials t ON t.id = l.trial_id WHERE t.rig_id = ?`, rig); err != nil {
		return err
	}
	for _, leg := range legs {
		if err := dropTelemetry(ctx, tx, leg); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `DELETE FROM events WHERE leg_id = ?`, leg); err != nil {
			return err
		}
	}
	return nil
}

// RemoveTrim removes a draft that nothing was made from and that was never to be fitted, or ErrFixed.
func (s *Store) RemoveTrim(ctx context.Context, id int64) error {
	return known(s.within(ctx, func(tx *txn) error {
		var t Trim
		if err := sqlx.GetContext(ctx, tx, &t, `SELECT `+trimColumns+` FROM trims WHERE id = ? FOR UPDATE`, id); err != nil {
			return err
		}
		tx.tell(TopicTrim, t.RigID, id)
		result, err := tx.ExecContext(ctx, `DELETE FROM trims WHERE id = ? AND standing = 'draft' AND number > 0
			AND NOT EXISTS (SELECT 1 FROM fittings WHERE trim_id = ?) AND NOT EXISTS (SELECT 1 FROM scores WHERE trim_id = ?)`, id, id, id)
		if err != nil {
			return err
		}
		return changed(result, ErrFixed)
	}), "remove trim %d", id)
}

// MadeFrom lists the numbers of the trims that were made from one.
func (s *Store) MadeFrom(ctx context.Context, id int64) ([]int, error) {
	numbers := []int{}
	err := s.db.SelectContext(ctx, &numbers, `SELECT number FROM trims WHERE parent_id = ? ORDER BY number`, id)
	return numbers, known(err, "list what was made from trim %d", id)
}
