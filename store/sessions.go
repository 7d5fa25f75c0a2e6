package store

import (
	"context"
	"database/sql"
	"fmt"
	"time"
)

// Session is an interleaved session as stored: two trims of a rig that are fitted by turns, each time with some runs, so that the
// day that they share does not stand between them.
type Session struct {
	ID         int64               `db:"id"`
	RigID      int64               `db:"rig_id"`
	Base       int64               `db:"base_trim_id"`
	Other      int64               `db:"other_trim_id"`
	Blocks     JSON[[]SessionPart] `db:"blocks"`
	Yardsticks JSON[[]string]      `db:"yardsticks"`
	Block      int                 `db:"block"`      // that is at hand, by its place
	FittingID  sql.NullInt64       `db:"fitting_id"` // that brought its trim
	EndAsked   bool                `db:"end_asked"`
	Problem    string              `db:"problem"` // why it ended before its last block; empty where it did not
	CreatedAt  time.Time           `db:"created_at"`
	EndedAt    sql.NullTime        `db:"ended_at"`
}

// SessionPart is a block of a session: so many runs of each yardstick under a trim.
type SessionPart struct {
	Trim int64 `json:"trim"`
	Runs int   `json:"runs"`
}

const sessionColumns = `id, rig_id, base_trim_id, other_trim_id, blocks, yardsticks, block, fitting_id, end_asked, problem, created_at,
	ended_at`

// CreateSession stores a session. It is ErrTaken while something runs on the rig, or another session does.
func (s *Store) CreateSession(ctx context.Context, x *Session) error {
	x.CreatedAt = time.Now().UTC().Truncate(time.Microsecond)
	err := s.within(ctx, func(tx *txn) error {
		if err := claim(ctx, tx, x.RigID); err != nil {
			return err
		}
		var open int
		if err := tx.GetContext(ctx, &open, `SELECT COUNT(*) FROM sessions WHERE rig_id = ? AND ended_at IS NULL`, x.RigID); err != nil {
			return err
		}
		if open > 0 {
			return ErrTaken
		}
		result, err := tx.NamedExecContext(ctx, `INSERT INTO sessions (rig_id, base_trim_id, other_trim_id, blocks, yardsticks, created_at)
			VALUES (:rig_id, :base_trim_id, :other_trim_id, :blocks, :yardsticks, :created_at)`, x)
		if err != nil {
			return err
		}
		tx.tell(TopicTrial, x.RigID, 0)
		x.ID, err = result.LastInsertId()
		return err
	})
	return known(err, "start a session on rig %d", x.RigID)
}

// Sessions lists a rig's newest sessions, newest first.
func (s *Store) Sessions(ctx context.Context, rig int64) ([]Session, error) {
	list := []Session{}
	err := s.db.SelectContext(ctx, &list, `SELECT `+sessionColumns+` FROM sessions WHERE rig_id = ? ORDER BY id DESC LIMIT ?`, rig, page)
	return list, known(err, "list the sessions of rig %d", rig)
}

// Session returns one session.
func (s *Store) Session(ctx context.Context, id int64) (*Session, error) {
	var x Session
	err := s.db.GetContext(ctx, &x, `SELECT `+sessionColumns+` FROM sessions WHERE id = ?`, id)
	return &x, known(err, "load session %d", id)
}

// OpenSessions lists the sessions that have not ended.
func (s *Store) OpenSessions(ctx context.Context) ([]Session, error) {
	list := []Session{}
	err := s.db.SelectContext(ctx, &list, `SELECT `+sessionColumns+` FROM sessions WHERE ended_at IS NULL ORDER BY id`)
	return list, known(err, "list open sessions")
}

// SessionTrial returns the trial of a session's block; ErrNotFound before it has begun.
func (s *Store) SessionTrial(ctx context.Context, session int64, block int) (*Trial, error) {
	var t Trial
	err := s.db.GetContext(ctx, &t, `SELECT `+trialColumns+` FROM trials WHERE session_id = ? AND session_block = ?`, session, block)
	t.loaded()
	return &t, known(err, "load the trial of block %d of session %d", block, session)
}

// SaveSession stores a step of a session from the block at hand, from. It is ErrMoved when the session was stepped meanwhile, and
// ErrNotHeld when another process holds the lease.
func (s *Store) SaveSession(ctx context.Context, lease *Lease, x *Session, from int) error {
	err := s.within(ctx, func(tx *txn) error {
		if err := tx.hold(ctx, lease); err != nil {
			return err
		}
		result, err := tx.ExecContext(ctx, `UPDATE sessions SET block = ?, fitting_id = ?, problem = ?, ended_at = ?
			WHERE id = ? AND block = ? AND ended_at IS NULL`,
			x.Block, x.FittingID, cut(x.Problem, 300), x.EndedAt, x.ID, from)
		if err != nil {
			return err
		}
		tx.tell(TopicTrial, x.RigID, 0)
		return changed(result, ErrMoved)
	})
	return known(err, "store a step of session %d", x.ID)
}

// AskEnd asks for a session to be ended: whoever drives it does so.
func (s *Store) AskEnd(ctx context.Context, x *Session) error {
	err := s.within(ctx, func(tx *txn) error {
		tx.tell(TopicTrial, x.RigID, 0)
		_, err := tx.ExecContext(ctx, `UPDATE sessions SET end_asked = TRUE WHERE id = ?`, x.ID)
		return err
	})
	if err != nil {
		return fmt.Errorf("end session %d: %w", x.ID, err)
	}
	return nil
}
