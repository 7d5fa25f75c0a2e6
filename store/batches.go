package store

import (
	"context"
	"database/sql"
	"time"

	"zerokeel/core/batch"
)

// Batch is a ladder that runs on several rigs, begun by one action.
type Batch struct {
	ID        int64        `db:"id"`
	Name      string       `db:"name"`
	Ladder    string       `db:"ladder"`
	MostW     float64      `db:"most_w"` // at the wall, of all its rigs together; 0 for no ceiling
	StopAsked bool         `db:"stop_asked"`
	CreatedAt time.Time    `db:"created_at"`
	EndedAt   sql.NullTime `db:"ended_at"`
	Members   []Member     `db:"-"`
}

// MemberState is where a rig of a batch stands.
type MemberState string

const (
	MemberWaits MemberState = "waits" // for its turn
	MemberGoes  MemberState = "goes"  // its trim is being fitted, or its trial runs
	MemberEnded MemberState = "ended"
)

// Member is a rig of a batch.
type Member struct {
	BatchID  int64         `db:"batch_id"`
	RigID    int64         `db:"rig_id"`
	Position int           `db:"position"`
	TrimID   sql.NullInt64 `db:"trim_id"`  // to be fitted first; null for the one in force
	ExpectW  float64       `db:"expect_w"` // at the wall, at the most, while it works
	IdleW    float64       `db:"idle_w"`   // and at rest
	State    MemberState   `db:"state"`
	Fitting  sql.NullInt64 `db:"fitting_id"`
	Words    string        `db:"words"` // what came of it
}

const (
	batchColumns  = `id, name, ladder, most_w, stop_asked, created_at, ended_at`
	memberColumns = `batch_id, rig_id, position, trim_id, expect_w, idle_w, state, fitting_id, words`
)

// CreateBatch stores a batch with its members. It is ErrTaken where one of them is a member of another that has not ended.
func (s *Store) CreateBatch(ctx context.Context, b *Batch) error {
	b.CreatedAt = time.Now().UTC().Truncate(time.Microsecond)
	return known(s.within(ctx, func(tx *txn) error {
		for i := range b.Members {
			m := &b.Members[i]
			// A row of the rig is written, so that two batches at once see each other.
			if _, err := tx.ExecContext(ctx, `UPDATE rigs SET claims = claims + 1 WHERE id = ?`, m.RigID); err != nil {
				return err
			}
			open := 0
			if err := tx.GetContext(ctx, &open, `SELECT COUNT(*) FROM batch_members WHERE rig_id = ? AND state <> ?`, m.RigID,
				MemberEnded); err != nil {
				return err
			}
			if open > 0 {
				return ErrTaken
			}
		}
		result, err := tx.NamedExecContext(ctx, `INSERT INTO batches (name, ladder, most_w, created_at)
			VALUES (:name, :ladder, :most_w, :created_at)`, b)
		if err != nil {
			return err
		}
		if b.ID, err = result.LastInsertId(); err != nil {
			return err
		}
		for i := range b.Members {
			b.Members[i].BatchID, b.Members[i].Position = b.ID, i
			tx.tell(TopicTrial, b.Members[i].RigID, 0)
		}
		_, err = tx.NamedExecContext(ctx, `INSERT INTO batch_members (batch_id, rig_id, position, trim_id, expect_w, idle_w, state, words)
			VALUES (:batch_id, :rig_id, :position, :trim_id, :expect_w, :idle_w, :state, :words)`, b.Members)
		return err
	}), "begin a batch")
}

// Batches lists the newest batches with their members, newest first.
func (s *Store) Batches(ctx context.Context, most int) ([]Batch, error) {
	list := []Batch{}
	if err := s.db.SelectContext(ctx, &list, `SELECT `+batchColumns+` FROM batches ORDER BY id DESC LIMIT ?`, most); err != nil {
		return nil, known(err, "list the batches")
	}
	for i := range list {
		if err := s.members(ctx, &list[i]); err != nil {
			return nil, err
		}
	}
	return list, nil
}

// Batch returns a batch with its members.
func (s *Store) Batch(ctx context.Context, id int64) (*Batch, error) {
	var b Batch
	if err := s.db.GetContext(ctx, &b, `SELECT `+batchColumns+` FROM batches WHERE id = ?`, id); err != nil {
		return nil, known(err, "load batch %d", id)
	}
	return &b, s.members(ctx, &b)
}

func (s *Store) members(ctx context.Context, b *Batch) error {
	return known(s.db.SelectContext(ctx, &b.Members, `SELECT `+memberColumns+` FROM batch_members WHERE batch_id = ? ORDER BY position`, b.ID),
		"list the rigs of batch %d", b.ID)
}

// OpenMembers lists the rigs of batches that are not through.
func (s *Store) OpenMembers(ctx context.Context) ([]Member, error) {
	list := []Member{}
	err := s.db.SelectContext(ctx, &list,
		`SELECT `+memberColumns+` FROM batch_members WHERE state <> ? ORDER BY batch_id, position`, MemberEnded)
	return list, known(err, "list what batches wait for")
}

// Admit lets a member of a batch begin if its ceiling bears that, and reports whether it did. Of two that ask at once, one sees the other.
func (s *Store) Admit(ctx context.Context, lease *Lease, m *Member) (bool, error) {
	admitted := false
	err := s.within(ctx, func(tx *txn) error {
		if err := tx.hold(ctx, lease); err != nil {
			return err
		}
		var b Batch
		if err := tx.GetContext(ctx, &b, `SELECT `+batchColumns+` FROM batches WHERE id = ? FOR UPDATE`, m.BatchID); err != nil {
			return err
		}
		var all []Member
		if err := tx.SelectContext(ctx, &all, `SELECT `+memberColumns+` FROM batch_members WHERE batch_id = ? ORDER BY position`,
			m.BatchID); err != nil {
			return err
		}
		draws, going, own := make([]batch.Draw, len(all)), make([]bool, len(all)), 0
		for i, x := range all {
			draws[i], going[i] = batch.Draw{Works: x.ExpectW, Rests: x.IdleW}, x.State == MemberGoes
			if x.RigID == m.RigID {
				own = i
			}
		}
		if admitted = all[own].State == MemberWaits && batch.Fits(b.MostW, draws, going, own); !admitted {
			return nil
		}
		tx.tell(TopicTrial, m.RigID, 0)
		_, err := tx.ExecContext(ctx, `UPDATE batch_members SET state = ? WHERE batch_id = ? AND rig_id = ?`, MemberGoes, m.BatchID, m.RigID)
		return err
	})
	return admitted, known(err, "let rig %d of batch %d begin", m.RigID, m.BatchID)
}

// SaveMember stores a step of a member that was in a state; the batch ends with its last. It is ErrMoved when it was stepped meanwhile.
func (s *Store) SaveMember(ctx context.Context, lease *Lease, m *Member, from MemberState) error {
	return known(s.within(ctx, func(tx *txn) error {
		if err := tx.hold(ctx, lease); err != nil {
			return err
		}
		result, err := tx.ExecContext(ctx, `UPDATE batch_members SET state = ?, fitting_id = ?, words = ?
			WHERE batch_id = ? AND rig_id = ? AND state = ?`, m.State, m.Fitting, cut(m.Words, 300), m.BatchID, m.RigID, from)
		if err != nil {
			return err
		}
		tx.tell(TopicTrial, m.RigID, 0)
		if err := changed(result, ErrMoved); err != nil {
			return err
		}
		if m.State != MemberEnded {
			return nil
		}
		// Others of the batch wait for what this one no longer draws.
		tx.tell(TopicTrial, 0, 0)
		_, err = tx.ExecContext(ctx, `UPDATE batches SET ended_at = UTC_TIMESTAMP(6) WHERE id = ? AND ended_at IS NULL AND NOT EXISTS
			(SELECT 1 FROM batch_members WHERE batch_id = ? AND state <> ?)`, m.BatchID, m.BatchID, MemberEnded)
		return err
	}), "store a step of rig %d of batch %d", m.RigID, m.BatchID)
}

// BatchTrial returns the trial of a rig of a batch; ErrNotFound before it has begun.
func (s *Store) BatchTrial(ctx context.Context, batch, rig int64) (*Trial, error) {
	var t Trial
	err := s.db.GetContext(ctx, &t, `SELECT `+trialColumns+` FROM trials WHERE batch_id = ? AND rig_id = ? ORDER BY id LIMIT 1`, batch, rig)
	t.loaded()
	return &t, known(err, "load the trial of rig %d of batch %d", rig, batch)
}

// StopBatch asks for all of a batch to be ended: what waits does not begin, and what runs is stopped by whoever drives it.
func (s *Store) StopBatch(ctx context.Context, id int64) error {
	return known(s.within(ctx, func(tx *txn) error {
		tx.tell(TopicTrial, 0, 0)
		result, err := tx.ExecContext(ctx, `UPDATE batches SET stop_asked = TRUE WHERE id = ? AND ended_at IS NULL`, id)
		if err == nil {
			err = changed(result, ErrMoved)
		}
		return err
	}), "stop batch %d", id)
}
