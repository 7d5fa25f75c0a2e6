package store

import (
	"context"
	"database/sql"
	"time"

	"github.com/jmoiron/sqlx"
)

// News is word of what changed. It is written in the transaction that changes it, so that whoever reads the outbox learns
// of everything that was committed and of nothing that was not.
type News struct {
	ID    int64          `db:"id"`
	Topic string         `db:"topic"` // one of the topics below
	Rig   int64          `db:"rig_id"`
	Ref   int64          `db:"ref_id"` // of the thing that changed; 0 for several
	Body  sql.NullString `db:"body"`   // JSON, of those that carry figures
}

// Topics of news.
const (
	TopicRig        = "rig"
	TopicTrim       = "trim"
	TopicFitting    = "fitting"
	TopicTrial      = "trial"
	TopicPilot      = "pilot"
	TopicWatch      = "watch"
	TopicCorrection = "correction"
	TopicPart       = "part"
	TopicToken      = "token"
	TopicVitals     = "vitals"
)

// txn is a transaction, with the news that it makes.
type txn struct {
	*sqlx.Tx
	news []News
}

// tell adds a piece of news; the same one is told once.
func (t *txn) tell(topic string, rig, ref int64) {
	n := News{Topic: topic, Rig: rig, Ref: ref}
	for _, told := range t.news {
		if told == n {
			return
		}
	}
	t.news = append(t.news, n)
}

// write puts the news into the outbox. It comes last in a transaction, so that numbers are given out just before the commit.
func (t *txn) write(ctx context.Context) error {
	if len(t.news) == 0 {
		return nil
	}
	_, err := t.NamedExecContext(ctx,
		`INSERT INTO outbox (at, topic, rig_id, ref_id, body) VALUES (UTC_TIMESTAMP(6), :topic, :rig_id, :ref_id, :body)`, t.news)
	return err
}

// Tell puts a piece of news into the outbox by itself.
func (s *Store) Tell(ctx context.Context, n News) error {
	return known(s.within(ctx, func(tx *txn) error {
		tx.news = append(tx.news, n)
		return nil
	}), "tell news")
}

// OutboxEnd returns the number of the newest piece of news.
func (s *Store) OutboxEnd(ctx context.Context) (int64, error) {
	var id int64
	err := s.db.GetContext(ctx, &id, `SELECT COALESCE(MAX(id), 0) FROM outbox`)
	return id, known(err, "look at the outbox")
}

// Outbox lists the news after a number, and those of the missing numbers that have come in, in the order of their numbers.
// Numbers are given out before a commit: of transactions that commit at the same time a lower one may come in later.
func (s *Store) Outbox(ctx context.Context, after int64, missing []int64) ([]News, error) {
	query, args := `SELECT id, topic, rig_id, ref_id, body FROM outbox WHERE id > ?`, []any{after}
	if len(missing) > 0 {
		var err error
		if query, args, err = sqlx.In(query+` OR id IN (?)`, after, missing); err != nil {
			return nil, known(err, "read the outbox")
		}
	}
	list := []News{}
	err := s.db.SelectContext(ctx, &list, query+` ORDER BY id`, args...)
	return list, known(err, "read the outbox")
}

// PruneOutbox removes news that are older than an age: everybody has read them.
func (s *Store) PruneOutbox(ctx context.Context, age time.Duration) error {
	_, err := s.exec(ctx, `DELETE FROM outbox WHERE at < UTC_TIMESTAMP(6) - INTERVAL ? MICROSECOND`, age.Microseconds())
	return known(err, "prune the outbox")
}

// Committed returns a channel that holds a word whenever this process has put news into the outbox.
func (s *Store) Committed() <-chan struct{} { return s.committed }
