package store

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"sync"

	"github.com/jmoiron/sqlx"
)

// channelNames numbers the names of channels, which every block would repeat otherwise. Numbers never change, and names are told
// apart byte for byte. It knows the numbers that this process has met.
type channelNames struct {
	mu  sync.Mutex
	ids map[string]int64
}

// unnumbered reports channels that have no number yet, as far as this process knows. They get one outside of the transaction that
// needs it, which then begins anew: so it takes one connection, and a number outlives a transaction that fails.
type unnumbered struct{ keys []string }

func (u *unnumbered) Error() string { return fmt.Sprintf("channels %q have no number yet", u.keys) }

// numbers returns the numbers of channels, or unnumbered.
func (c *channelNames) numbers(keys []string) (map[string]int64, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	out := make(map[string]int64, len(keys))
	var unknown []string
	for _, key := range keys {
		id, ok := c.ids[key]
		if !ok {
			unknown = append(unknown, key)
			continue
		}
		out[key] = id
	}
	if len(unknown) > 0 {
		return nil, &unnumbered{unknown}
	}
	return out, nil
}

// find looks the numbers of channels up; one that has none is missing from what it returns.
func (c *channelNames) find(ctx context.Context, db sqlx.QueryerContext, keys []string) (map[string]int64, error) {
	c.mu.Lock()
	out, unknown := map[string]int64{}, []string(nil)
	for _, key := range keys {
		if id, ok := c.ids[key]; ok {
			out[key] = id
		} else {
			unknown = append(unknown, key)
		}
	}
	c.mu.Unlock()
	for part := range slices.Chunk(unknown, 500) {
		query, args, err := sqlx.In(`SELECT id, name FROM channels WHERE name IN (?)`, part)
		if err != nil {
			return nil, err
		}
		var rows []struct {
			ID   int64  `db:"id"`
			Name string `db:"name"`
		}
		if err := sqlx.SelectContext(ctx, db, &rows, query, args...); err != nil {
			return nil, err
		}
		for _, r := range rows {
			out[r.Name] = r.ID
		}
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	maps.Copy(c.ids, out)
	return out, nil
}

// number gives channels numbers.
func (s *Store) number(ctx context.Context, keys []string) error {
	found, err := s.channels.find(ctx, s.db, keys)
	if err != nil {
		return err
	}
	type name struct {
		Name string `db:"name"`
	}
	var rows []name
	for _, key := range keys {
		if _, has := found[key]; !has {
			rows = append(rows, name{key})
		}
	}
	for part := range slices.Chunk(rows, 500) {
		if _, err := sqlx.NamedExecContext(ctx, s.db, `INSERT IGNORE INTO channels (name) VALUES (:name)`, part); err != nil {
			return err
		}
	}
	found, err = s.channels.find(ctx, s.db, keys)
	if err != nil {
		return err
	}
	for _, key := range keys {
		if _, has := found[key]; !has {
			return fmt.Errorf("channel %q could not be given a number", key)
		}
	}
	return nil
}

// withNumbers is within for what stores blocks of telemetry.
func (s *Store) withNumbers(ctx context.Context, fn func(*txn) error) error {
	for {
		err := s.within(ctx, fn)
		var u *unnumbered
		if !errors.As(err, &u) {
			return err
		}
		if err := s.number(ctx, u.keys); err != nil {
			return err
		}
	}
}
