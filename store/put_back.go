package store

import "context"

// PutBack notes that the records are of an earlier moment: what rigs told since is lost. Their streams go on with a gap, what is on
// their boards is to be read anew, and legs that were under way are to be run anew, for nobody knows what came of them.
func (s *Store) PutBack(ctx context.Context) error {
	return known(s.within(ctx, func(tx *txn) error {
		for _, statement := range []string{
			`UPDATE link_streams SET put_back = TRUE`,
			`UPDATE rigs SET check_due = TRUE`,
			`UPDATE legs SET put_back = TRUE WHERE state IN ('ordered', 'running')`,
			`DELETE FROM leases`,
			`DELETE FROM repeats`,
			`DELETE FROM logins`,
		} {
			if _, err := tx.ExecContext(ctx, statement); err != nil {
				return err
			}
		}
		return nil
	}), "note that the records were put back")
}

// LegAgain makes a leg that was put back be run anew: what is stored of it is dropped.
func (s *Store) LegAgain(ctx context.Context, lease *Lease, t *Trial, leg int64) error {
	return known(s.within(ctx, func(tx *txn) error {
		if err := tx.hold(ctx, lease); err != nil {
			return err
		}
		tx.tell(TopicTrial, t.RigID, t.ID)
		result, err := tx.ExecContext(ctx, `UPDATE legs SET state = ?, put_back = FALSE, order_id = NULL, boot_id = '', stream = '',
			ordered_at = NULL, started_ms = NULL, seen_s = 0, moments = 0, finished = NULL, limiters = NULL
			WHERE id = ? AND put_back`, LegWaiting, leg)
		if err != nil {
			return err
		}
		if err := changed(result, ErrMoved); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `DELETE FROM events WHERE leg_id = ?`, leg); err != nil {
			return err
		}
		return dropTelemetry(ctx, tx, leg)
	}), "run leg %d anew", leg)
}

// follow returns the last frame held of a stream; of one that was put back it goes on before the first that the rig still holds.
func follow(ctx context.Context, tx *txn, rig int64, stream string, from uint64) (uint64, error) {
	var row struct {
		Last    uint64 `db:"last_seq"`
		PutBack bool   `db:"put_back"`
	}
	if err := tx.GetContext(ctx, &row, `SELECT last_seq, put_back FROM link_streams WHERE rig_id = ? AND stream = ? FOR UPDATE`, rig,
		stream); err != nil || !row.PutBack {
		return row.Last, err
	}
	if from > row.Last+1 {
		row.Last = from - 1
	}
	_, err := tx.ExecContext(ctx, `UPDATE link_streams SET last_seq = ?, put_back = FALSE WHERE rig_id = ? AND stream = ?`, row.Last, rig,
		stream)
	return row.Last, err
}

// Holdings is how much a database holds.
type Holdings struct {
	Rigs   int `db:"rigs"`
	Trims  int `db:"trims"`
	Trials int `db:"trials"`
}

// Count counts what the database holds.
func (s *Store) Count(ctx context.Context) (Holdings, error) {
	var h Holdings
	err := s.db.GetContext(ctx, &h, `SELECT (SELECT COUNT(*) FROM rigs) AS rigs, (SELECT COUNT(*) FROM trims) AS trims,
		(SELECT COUNT(*) FROM trials) AS trials`)
	return h, known(err, "count what is held")
}
