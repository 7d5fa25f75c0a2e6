package store

import (
	"context"
	"errors"
	"time"
)

// Answer is what was answered to a request that names a key.
type Answer struct {
	Status int    `db:"status"` // 0 until it is given
	Body   []byte `db:"body"`
}

// keptAnswers is for how long answers are kept: whoever sends a request again does so sooner.
const keptAnswers = 24 * time.Hour

// ClaimRepeat notes that a request is being answered, or returns the answer of the one before of the same name.
func (s *Store) ClaimRepeat(ctx context.Context, name string) (before *Answer, err error) {
	if _, err := s.exec(ctx, `DELETE FROM repeats WHERE at < ? LIMIT 100`, time.Now().UTC().Add(-keptAnswers)); err != nil {
		return nil, known(err, "drop old answers")
	}
	_, err = s.exec(ctx, `INSERT INTO repeats (name, at, status, body) VALUES (?, ?, 0, '')`, name, time.Now().UTC())
	if err = known(err, "note a request"); !errors.Is(err, ErrTaken) {
		return nil, err
	}
	before = &Answer{}
	err = s.db.GetContext(ctx, before, `SELECT status, body FROM repeats WHERE name = ?`, name)
	return before, known(err, "look for the answer of before")
}

// SettleRepeat keeps the answer of a request, or forgets the request where nothing was done.
func (s *Store) SettleRepeat(ctx context.Context, name string, a *Answer) error {
	if a == nil {
		_, err := s.exec(ctx, `DELETE FROM repeats WHERE name = ?`, name)
		return known(err, "forget a request")
	}
	_, err := s.exec(ctx, `UPDATE repeats SET status = ?, body = ? WHERE name = ?`, a.Status, a.Body, name)
	return known(err, "keep an answer")
}
