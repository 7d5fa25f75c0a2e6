package store

import (
	"context"
	"database/sql"
	"maps"
	"slices"
	"time"

	"github.com/jmoiron/sqlx"

	"zerokeel/core/watch"
	"zerokeel/link"
)

// Watch is a watch on a rig's channel, and where it stands.
type Watch struct {
	ID    int64             `db:"id"`
	RigID int64             `db:"rig_id"`
	Rule  JSON[watch.Rule]  `db:"rule"`
	Send  string            `db:"send"` // http address that gets each change; empty for none
	State JSON[watch.State] `db:"state"`
	Value sql.NullFloat64   `db:"value"` // the figure at the last change

	changed bool // since it was read
}

// Notice is a change of a watch: it was raised, or all is clear.
type Notice struct {
	ID      int64            `db:"id"`
	RigID   int64            `db:"rig_id"`
	WatchID int64            `db:"watch_id"`
	Raised  bool             `db:"raised"`
	Rule    JSON[watch.Rule] `db:"rule"` // as it was then
	Value   float64          `db:"value"`
	At      time.Time        `db:"at"` // on the rig's clock
	Send    string           `db:"send"`
	DueAt   sql.NullTime     `db:"due_at"` // when it is to be sent; not valid when there is nothing more to send
	Tries   int              `db:"tries"`
	Outcome string           `db:"outcome"` // of the sending
}

const watchColumns = `id, rig_id, rule, send, state, value`

// Watches lists the watches of a rig.
func (s *Store) Watches(ctx context.Context, rig int64) ([]Watch, error) {
	list := []Watch{}
	err := s.db.SelectContext(ctx, &list, `SELECT `+watchColumns+` FROM watches WHERE rig_id = ? ORDER BY id`, rig)
	return list, known(err, "list the watches of rig %d", rig)
}

// AddWatch stores a watch.
func (s *Store) AddWatch(ctx context.Context, w *Watch) error {
	w.State = AsJSON(watch.State{})
	return known(s.within(ctx, func(tx *txn) error {
		result, err := tx.NamedExecContext(ctx, `INSERT INTO watches (rig_id, rule, send, state) VALUES (:rig_id, :rule, :send, :state)`, w)
		if err == nil {
			w.ID, err = result.LastInsertId()
			tx.tell(TopicWatch, w.RigID, w.ID)
		}
		return err
	}), "store a watch")
}

// DropWatch removes a watch; what it told stays in the log.
func (s *Store) DropWatch(ctx context.Context, id int64) (rig int64, err error) {
	err = s.within(ctx, func(tx *txn) error {
		if err := tx.GetContext(ctx, &rig, `SELECT rig_id FROM watches WHERE id = ? FOR UPDATE`, id); err != nil {
			return err
		}
		tx.tell(TopicWatch, rig, id)
		tx.tell(TopicRig, rig, 0)
		_, err := tx.ExecContext(ctx, `DELETE FROM watches WHERE id = ?`, id)
		return err
	})
	return rig, known(err, "remove watch %d", id)
}

// reading is a figure of a channel.
type reading struct {
	atMS  int64
	value float64
}

// readings are figures by channel, each in the order of time.
type readings map[string][]reading

func (r readings) add(s *link.Samples) {
	for c, key := range s.Channels {
		for k, at := range s.At {
			if v := s.Values[c][k]; v != nil {
				r[key] = append(r[key], reading{at, *v})
			}
		}
	}
}

// stepWatches takes in new figures of rigs, and stores what they change: a notice for each change, due to be sent where it has
// an address. The watches' states are read under a lock, so that several servers do not tell the same change twice.
func stepWatches(ctx context.Context, tx *txn, of map[int64]readings) error {
	if len(of) == 0 {
		return nil
	}
	query, args, err := sqlx.In(`SELECT `+watchColumns+` FROM watches WHERE rig_id IN (?) ORDER BY rig_id, id FOR UPDATE`,
		slices.Sorted(maps.Keys(of)))
	if err != nil {
		return err
	}
	var list []Watch
	if err := tx.SelectContext(ctx, &list, query, args...); err != nil {
		return err
	}
	for i := range list {
		w := &list[i]
		changes := w.step(of[w.RigID][w.Rule.V.Channel])
		if w.changed {
			if _, err := tx.NamedExecContext(ctx, `UPDATE watches SET state = :state, value = :value WHERE id = :id`, w); err != nil {
				return err
			}
		}
		for _, n := range changes {
			tx.tell(TopicWatch, w.RigID, w.ID)
			tx.tell(TopicRig, w.RigID, 0)
			if _, err := tx.NamedExecContext(ctx, `INSERT INTO notices (rig_id, watch_id, raised, rule, value, at, send, due_at)
				VALUES (:rig_id, :watch_id, :raised, :rule, :value, :at, :send, :due_at)`, n); err != nil {
				return err
			}
		}
	}
	return nil
}

// StepWatches takes in a figure of a rig that no sensor told.
func (s *Store) StepWatches(ctx context.Context, rig int64, key string, at time.Time, x float64) error {
	return known(s.within(ctx, func(tx *txn) error {
		return stepWatches(ctx, tx, map[int64]readings{rig: {key: {{at.UnixMilli(), x}}}})
	}), "step the watches of rig %d", rig)
}

// Watched is a rig of which something is watched: as its records stand, by their version, and its newest watch of that.
type Watched struct {
	Rig     int64 `db:"id"`
	Version int64 `db:"records_version"`
	Watch   int64 `db:"watch"`
}

// WatchedRigs lists the rigs of which something is watched that no sensor tells.
func (s *Store) WatchedRigs(ctx context.Context, key string) ([]Watched, error) {
	list := []Watched{}
	err := s.db.SelectContext(ctx, &list, `SELECT r.id, r.records_version, MAX(w.id) AS watch FROM rigs r
		JOIN watches w ON w.rig_id = r.id WHERE JSON_VALUE(w.rule, '$.channel') = ? GROUP BY r.id, r.records_version`, key)
	return list, known(err, "list the rigs of which %s is watched", key)
}

// step steps a watch through new figures, and returns the notices of what changed.
func (w *Watch) step(list []reading) []Notice {
	var changes []Notice
	for _, r := range list {
		next, turned := w.Rule.V.Step(w.State.V, r.atMS, r.value)
		w.changed = w.changed || next != w.State.V
		w.State.V = next
		if !turned {
			continue
		}
		w.Value = sql.NullFloat64{Float64: r.value, Valid: true}
		changes = append(changes, Notice{RigID: w.RigID, WatchID: w.ID, Raised: next.Raised, Rule: w.Rule, Value: r.value, At: FromMS(r.atMS),
			Send: w.Send, DueAt: sql.NullTime{Time: time.Now().UTC(), Valid: w.Send != ""}})
	}
	return changes
}

const noticeColumns = `id, rig_id, watch_id, raised, rule, value, at, send, due_at, tries, outcome`

// ClaimNotice takes the next notice that is due, for a time within which nobody else takes it; nil if there is none.
func (s *Store) ClaimNotice(ctx context.Context, hold time.Duration) (*Notice, error) {
	var found []Notice
	err := s.within(ctx, func(tx *txn) error {
		found = nil
		now := time.Now().UTC()
		if err := tx.SelectContext(ctx, &found,
			`SELECT `+noticeColumns+` FROM notices WHERE due_at <= ? ORDER BY id LIMIT 1 FOR UPDATE SKIP LOCKED`, now); err != nil ||
			len(found) == 0 {
			return err
		}
		_, err := tx.ExecContext(ctx, `UPDATE notices SET due_at = ?, tries = tries + 1 WHERE id = ?`, now.Add(hold), found[0].ID)
		return err
	})
	if err != nil || len(found) == 0 {
		return nil, known(err, "take a notice")
	}
	return &found[0], nil
}

// SettleNotice records how a notice was sent; due says when to try again, nil for no more.
func (s *Store) SettleNotice(ctx context.Context, id int64, outcome string, due *time.Time) error {
	_, err := s.exec(ctx, `UPDATE notices SET outcome = ?, due_at = ? WHERE id = ?`, cut(outcome, 200), due, id)
	return known(err, "settle notice %d", id)
}
