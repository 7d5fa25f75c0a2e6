package store

import (
	"context"
	"time"
)

// Absence is how a rig is away that was heard before; empty while it is there.
type Absence string

// Kinds of absence.
const (
	AbsentSilent   Absence = "silent"           // gives no sign of life, and nobody knows why yet
	AbsentFrozen   Absence = "froze"            // its board says that it is up
	AbsentOff      Absence = "switched off"     // by its owner, or its board says so
	AbsentStopped  Absence = "agent stopped"    // it took leave; the machine may go on
	AbsentStarting Absence = "does not come up" // its board says that it is on, and it does not come
)

// SetAbsence notes how a rig is away since a moment on its own clock; an empty one, that it is back. It reports whether that is news.
func (s *Store) SetAbsence(ctx context.Context, rig int64, how Absence, since time.Time) (news bool, err error) {
	err = s.within(ctx, func(tx *txn) error {
		result, err := tx.ExecContext(ctx, `UPDATE rigs SET absence = ?, absent_since = IF(? = '', NULL, COALESCE(absent_since, ?))
			WHERE id = ? AND absence <> ?`, how, how, since.UTC(), rig, how)
		if err != nil {
			return err
		}
		n, err := result.RowsAffected()
		if news = n > 0; news {
			tx.tell(TopicRig, rig, 0)
		}
		return err
	})
	return news, known(err, "note how rig %d is away", rig)
}

// WithdrawFreeze takes back that a machine froze outside trials: the same start of it has spoken again. It reports whether there was
// something to take back.
func (s *Store) WithdrawFreeze(ctx context.Context, rig int64, boot string) (withdrawn bool, err error) {
	err = s.within(ctx, func(tx *txn) error {
		result, err := tx.ExecContext(ctx, `DELETE FROM incidents WHERE rig_id = ? AND boot_id = ? AND kind = ?`, rig, boot, AbsentFrozen)
		if err != nil {
			return err
		}
		n, err := result.RowsAffected()
		if withdrawn = n > 0; withdrawn {
			tx.tell(TopicTrim, rig, 0)
			return tx.revise(ctx, rig)
		}
		return err
	})
	return withdrawn, known(err, "take back a freeze of rig %d", rig)
}
