package store_test

import (
	"testing"
	"time"

	"zerokeel/core/trim"
	"zerokeel/store"
	"zerokeel/store/storetest"
)

// TestALeaseEndsHoweverTheClockIsSet: a rig held by a process that is gone is free for another one at once or after a while, and
// never only after the day by which the clock was set back.
func TestALeaseEndsHoweverTheClockIsSet(t *testing.T) {
	s := storetest.Open(t)
	for i, row := range []struct {
		set  time.Duration
		free bool
		late bool // its holder, to others
	}{{0, false, false}, {5 * time.Second, false, true}, {-5 * time.Second, false, false}, {24 * time.Hour, true, false},
		{-24 * time.Hour, true, false}} {
		holder := row.set.String()
		r := &store.Rig{Name: holder, TokenHash: append(make([]byte, 31), byte(i))}
		if err := s.CreateRig(t.Context(), r, &store.Trim{Name: "stock", Settings: store.AsJSON(trim.Settings{})}, true); err != nil {
			t.Fatal(err)
		}
		lease, taken, err := s.TakeFree(t.Context(), r.ID, holder)
		if err != nil || !taken {
			t.Fatal(taken, err)
		}
		if err := s.ShiftLease(t.Context(), lease, -row.set); err != nil {
			t.Fatal(err)
		}
		holds, err := s.Holds(t.Context(), r.ID)
		if err != nil || len(holds) != 1 || holds[0].Live == row.free {
			t.Errorf("clock set by %s: %+v, %v", row.set, holds, err)
		}
		if _, late, err := s.Renew(t.Context(), "third"); err != nil || late != row.late {
			t.Errorf("clock set by %s: the holder is late: %v, %v", row.set, late, err)
		}
		if _, late, err := s.Renew(t.Context(), holder); err != nil || late {
			t.Errorf("clock set by %s: late to itself: %v, %v", row.set, late, err)
		}
		if err := s.ShiftLease(t.Context(), lease, -row.set); err != nil {
			t.Fatal(err)
		}
		if _, taken, err := s.TakeFree(t.Context(), r.ID, "other"); err != nil || taken != row.free {
			t.Errorf("clock set by %s: taken %v, %v", row.set, taken, err)
		}
		if _, _, err := s.Renew(t.Context(), holder); err != nil {
			t.Fatal(err)
		}
	}
}
