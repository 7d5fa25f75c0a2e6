package store

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/jmoiron/sqlx"
)

// LeaseFor is for how long a lease holds after it was taken or renewed. A process that renews it four times within that
// time loses it only when it is cut off.
const LeaseFor = 12 * time.Second

// latest is how far ahead, in µs, a lease may end.
var latest = 2 * LeaseFor.Microseconds()

// Errors of steps that come too late.
var (
	// ErrNotHeld reports a step of a rig whose lease another process has taken.
	ErrNotHeld = errors.New("another server process holds the rig")
	// ErrMoved reports a step from a state in which the thing is no longer.
	ErrMoved = errors.New("it was stepped meanwhile")
)

// Lease is a process's right to step a rig's fittings and trials. Times are the database's own.
type Lease struct {
	Rig    int64  `db:"rig_id"`
	Holder string `db:"holder"`
	Epoch  int64  `db:"epoch"` // raised whenever the holder changes
}

// Hold is a lease as it stands, and what its holder knows of the rig's link.
type Hold struct {
	Lease
	Live      bool    `db:"live"`   // it has not run out
	Linked    bool    `db:"linked"` // the rig is linked to the holder
	Simulated bool    `db:"simulated"`
	ClockMS   int64   `db:"clock_ms"` // the rig's clock now, ms since 1970 UTC
	ClockRate float64 `db:"clock_rate"`
}

// running says that a lease has not run out. One that ends much later than any lease can is of before the clock was set back.
const running = `(until > UTC_TIMESTAMP(6) AND until <= UTC_TIMESTAMP(6) + INTERVAL ? MICROSECOND)`

const holdColumns = `rig_id, holder, epoch, ` + running + ` AS live, linked, simulated, clock_rate,
	CAST(clock_ms + clock_rate * TIMESTAMPDIFF(MICROSECOND, clock_at, UTC_TIMESTAMP(6)) / 1000 AS SIGNED) AS clock_ms`

// Holds lists the leases of rigs, of all where none is named.
func (s *Store) Holds(ctx context.Context, rigs ...int64) ([]Hold, error) {
	query, args := `SELECT `+holdColumns+` FROM leases`, []any{latest}
	if len(rigs) > 0 {
		var err error
		if query, args, err = sqlx.In(query+` WHERE rig_id IN (?)`, args[0], rigs); err != nil {
			return nil, fmt.Errorf("list leases: %w", err)
		}
	}
	list := []Hold{}
	err := s.db.SelectContext(ctx, &list, query, args...)
	return list, known(err, "list leases")
}

// Link is what a rig's link tells of its clock.
type Link struct {
	Simulated bool
	ClockMS   int64
	ClockRate float64
}

// takeLease makes a process the holder of a rig that links to it, whoever held it before: where the link is, the rig is
// heard.
func takeLease(ctx context.Context, tx *txn, rig int64, holder string, l Link) (Lease, error) {
	_, err := tx.ExecContext(ctx, `INSERT INTO leases (rig_id, holder, epoch, until, linked, simulated, clock_ms, clock_rate, clock_at)
		VALUES (?, ?, 1, UTC_TIMESTAMP(6) + INTERVAL ? MICROSECOND, TRUE, ?, ?, ?, UTC_TIMESTAMP(6))
		ON DUPLICATE KEY UPDATE epoch = epoch + (holder <> VALUES(holder)), holder = VALUES(holder), until = VALUES(until), linked = TRUE,
			simulated = VALUES(simulated), clock_ms = VALUES(clock_ms), clock_rate = VALUES(clock_rate), clock_at = VALUES(clock_at)`,
		rig, holder, LeaseFor.Microseconds(), l.Simulated, l.ClockMS, l.ClockRate)
	if err != nil {
		return Lease{}, err
	}
	var out Lease
	err = tx.GetContext(ctx, &out, `SELECT rig_id, holder, epoch FROM leases WHERE rig_id = ?`, rig)
	return out, err
}

// TakeFree makes a process the holder of a rig that nobody holds; false when somebody does.
func (s *Store) TakeFree(ctx context.Context, rig int64, holder string) (lease Lease, taken bool, err error) {
	err = s.within(ctx, func(tx *txn) error {
		taken = false
		if _, err := tx.ExecContext(ctx,
			`INSERT IGNORE INTO leases (rig_id, holder, epoch, until, linked, clock_at)
				VALUES (?, '', 0, UTC_TIMESTAMP(6), FALSE, UTC_TIMESTAMP(6))`, rig); err != nil {
			return err
		}
		result, err := tx.ExecContext(ctx, `UPDATE leases SET epoch = epoch + 1, holder = ?,
			until = UTC_TIMESTAMP(6) + INTERVAL ? MICROSECOND, linked = FALSE
			WHERE rig_id = ? AND NOT `+running, holder, LeaseFor.Microseconds(), rig, latest)
		if err != nil {
			return err
		}
		n, err := result.RowsAffected()
		if err != nil || n == 0 {
			return err
		}
		taken = true
		tx.tell(TopicRig, rig, 0)
		return tx.GetContext(ctx, &lease, `SELECT rig_id, holder, epoch FROM leases WHERE rig_id = ?`, rig)
	})
	return lease, taken, known(err, "take rig %d", rig)
}

// lateAfter is for how long a lease is not renewed before its holder counts as late: it renews four times within LeaseFor.
const lateAfter = LeaseFor * 3 / 8

// Renew renews every lease of a process, and returns those that it still holds. late tells whether another process, whose leases have
// not run out yet, is late with them: it is gone, or stands still.
func (s *Store) Renew(ctx context.Context, holder string) (list []Lease, late bool, err error) {
	err = s.within(ctx, func(tx *txn) error {
		list = list[:0]
		_, err := tx.ExecContext(ctx, `UPDATE leases SET until = UTC_TIMESTAMP(6) + INTERVAL ? MICROSECOND WHERE holder = ?`,
			LeaseFor.Microseconds(), holder)
		if err != nil {
			return err
		}
		if err := tx.GetContext(ctx, &late, `SELECT EXISTS (SELECT 1 FROM leases WHERE holder <> ? AND `+running+`
			AND until < UTC_TIMESTAMP(6) + INTERVAL ? MICROSECOND)`, holder, latest, (LeaseFor - lateAfter).Microseconds()); err != nil {
			return err
		}
		return tx.SelectContext(ctx, &list, `SELECT rig_id, holder, epoch FROM leases WHERE holder = ?`, holder)
	})
	return list, late, known(err, "renew leases")
}

// Told is what the holder of a rig's lease knows of the rig's link.
type Told struct {
	Lease
	Link
	Linked bool
}

// clockDrift is by how much, in ms, a rig's clock may be off what others reckon from what was told of it last.
const clockDrift = 50

// TellLinks records what a process knows of the links of its rigs. What others reckon already is not told again, nor anything of a
// rig that another process has taken.
func (s *Store) TellLinks(ctx context.Context, list ...Told) error {
	return known(s.within(ctx, func(tx *txn) error {
		for _, t := range list {
			var before []Hold
			if err := tx.SelectContext(ctx, &before, `SELECT `+holdColumns+` FROM leases WHERE rig_id = ? AND holder = ? AND epoch = ?`, latest,
				t.Rig, t.Holder, t.Epoch); err != nil {
				return err
			}
			if len(before) == 0 {
				continue
			}
			was := &before[0]
			if was.Linked != t.Linked {
				tx.tell(TopicRig, t.Rig, 0)
			} else if off := was.ClockMS - t.ClockMS; was.Simulated == t.Simulated && was.ClockRate == t.ClockRate && max(off, -off) <= clockDrift {
				continue
			}
			if _, err := tx.ExecContext(ctx, `UPDATE leases SET linked = ?, simulated = ?, clock_ms = ?, clock_rate = ?, clock_at = UTC_TIMESTAMP(6)
				WHERE rig_id = ? AND holder = ? AND epoch = ?`, t.Linked, t.Simulated, t.ClockMS, t.ClockRate, t.Rig, t.Holder, t.Epoch); err != nil {
				return err
			}
		}
		return nil
	}), "tell the links of rigs")
}

// Release gives every lease of a process up, so that another need not wait until they have run out.
func (s *Store) Release(ctx context.Context, holder string) error {
	return known(s.within(ctx, func(tx *txn) error {
		var rigs []int64
		if err := tx.SelectContext(ctx, &rigs, `SELECT rig_id FROM leases WHERE holder = ?`, holder); err != nil {
			return err
		}
		for _, rig := range rigs {
			tx.tell(TopicRig, rig, 0)
		}
		_, err := tx.ExecContext(ctx, `UPDATE leases SET until = UTC_TIMESTAMP(6), linked = FALSE, holder = '' WHERE holder = ?`, holder)
		return err
	}), "release leases")
}

// hold makes sure that a step's process still holds the rig: the lease's row is written, so that of a step and another
// process's taking of the rig one fails, on whichever nodes of a cluster they are made. A nil lease is a step that
// everybody may make.
func (t *txn) hold(ctx context.Context, lease *Lease) error {
	if lease == nil {
		return nil
	}
	result, err := t.ExecContext(ctx,
		`UPDATE leases SET steps = steps + 1 WHERE rig_id = ? AND holder = ? AND epoch = ? AND until > UTC_TIMESTAMP(6)`, lease.Rig,
		lease.Holder, lease.Epoch)
	if err != nil {
		return err
	}
	return changed(result, ErrNotHeld)
}
