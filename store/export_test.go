package store

import (
	"context"
	"fmt"
	"time"

	"zerokeel/core/series"
	"zerokeel/core/verdict"
)

// Unfold reads one portion of unpacked telemetry.
func Unfold(body []byte) (map[string][]series.Sample, error) { return unfold([][]byte{body}, nil) }

// ShiftLease moves the end of a lease.
func (s *Store) ShiftLease(ctx context.Context, l Lease, by time.Duration) error {
	_, err := s.exec(ctx, `UPDATE leases SET until = until + INTERVAL ? MICROSECOND WHERE rig_id = ?`, by.Microseconds(), l.Rig)
	return err
}

// Numbers gives channels numbers and returns them.
func (s *Store) Numbers(ctx context.Context, keys ...string) (map[string]int64, error) {
	if err := s.number(ctx, keys); err != nil {
		return nil, err
	}
	return s.channels.numbers(keys)
}

// Known tells an error of the driver in this package's own.
func Known(err error) error { return known(err, "store it") }

// MigrateTo brings the schema to a version.
func (s *Store) MigrateTo(ctx context.Context, version int64) error {
	p, err := s.provider()
	if err != nil {
		return err
	}
	_, err = p.UpTo(ctx, version)
	return err
}

// Waiting is how many handovers wait to be stored together.
func (s *Store) Waiting() int {
	s.gathered.mu.Lock()
	defer s.gathered.mu.Unlock()
	return len(s.gathered.waiting)
}

// FillEvents stores so many events of a leg.
func (s *Store) FillEvents(ctx context.Context, leg int64, kind verdict.EventKind, n int) error {
	_, err := s.exec(ctx, fmt.Sprintf(`INSERT INTO events (leg_id, kind, at_s, core, injected, note)
		SELECT ?, ?, 1, 0, FALSE, '' FROM seq_1_to_%d`, n), leg, kind)
	return err
}
