package store

import (
	"context"
	"database/sql"
	"time"

	"zerokeel/core/fan"
)

// FanRole is what hangs on a header.
type FanRole string

const (
	FanOfCooler FanRole = "cooler" // carries the processor's heat away; at most one header's
	FanOfCase   FanRole = "case"
	FanPump     FanRole = "pump"
	FanNone     FanRole = "none" // nothing
)

// FanRoles lists them.
var FanRoles = []FanRole{FanOfCooler, FanOfCase, FanPump, FanNone}

// Fan is what is known of what hangs on a header of a rig.
type Fan struct {
	RigID   int64            `db:"rig_id"`
	Header  string           `db:"header"` // as the rig names the channel of its duty
	Role    FanRole          `db:"role"`
	Learnt  JSON[fan.Learnt] `db:"learnt"`   // by a sweep, or entered
	Problem string           `db:"problem"`  // why its last sweep told nothing
	Trial   sql.NullInt64    `db:"trial_id"` // of the sweep; null where it was entered
	At      time.Time        `db:"at"`
}

// Fans lists what is known of a rig's headers.
func (s *Store) Fans(ctx context.Context, rig int64) ([]Fan, error) {
	list := []Fan{}
	err := s.db.SelectContext(ctx, &list, `SELECT rig_id, header, role, learnt, problem, trial_id, at FROM fans WHERE rig_id = ? ORDER BY header`, rig)
	return list, known(err, "list the fans of rig %d", rig)
}

// ChangeFan changes what is known of a header, as it stands then; of one that nothing is known of, from a fan without a role. The cooler's
// fan is that of one header: another that was is a case's from then on. change may be called more than once.
func (s *Store) ChangeFan(ctx context.Context, rig int64, header string, change func(*Fan) error) error {
	return known(s.within(ctx, func(tx *txn) error {
		var list []Fan
		if err := tx.SelectContext(ctx, &list, `SELECT rig_id, header, role, learnt, problem, trial_id, at FROM fans WHERE rig_id = ? FOR UPDATE`,
			rig); err != nil {
			return err
		}
		f := Fan{RigID: rig, Header: header}
		for _, x := range list {
			if x.Header == header {
				f = x
			}
		}
		if err := change(&f); err != nil {
			return err
		}
		f.At = time.Now().UTC().Truncate(time.Microsecond)
		if f.Role == FanOfCooler {
			if _, err := tx.ExecContext(ctx, `UPDATE fans SET role = ? WHERE rig_id = ? AND role = ? AND header <> ?`, FanOfCase, rig,
				FanOfCooler, header); err != nil {
				return err
			}
		}
		if _, err := tx.NamedExecContext(ctx, `INSERT INTO fans (rig_id, header, role, learnt, problem, trial_id, at)
			VALUES (:rig_id, :header, :role, :learnt, :problem, :trial_id, :at) ON DUPLICATE KEY UPDATE role = VALUES(role),
				learnt = VALUES(learnt), problem = VALUES(problem), trial_id = VALUES(trial_id), at = VALUES(at)`, f); err != nil {
			return err
		}
		tx.tell(TopicRig, rig, 0)
		return tx.revise(ctx, rig)
	}), "change the fan at %s of rig %d", header, rig)
}
