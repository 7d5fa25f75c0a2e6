package live_test

import (
	"testing"

	"zerokeel/live"
)

func TestEveryListenerHearsInOrder(t *testing.T) {
	var bus live.Bus
	a, b := bus.Listen(), bus.Listen()
	for i := range 5 {
		bus.Publish(live.Message{Topic: "rig", ID: int64(i)})
	}
	for _, l := range []*live.Listener{a, b} {
		for i := range 5 {
			if m := <-l.C; m.ID != int64(i) {
				t.Fatalf("message %d at place %d", m.ID, i)
			}
		}
		if l.TakeLost() {
			t.Error("a listener that kept up lost something")
		}
	}
	b.Close()
	bus.Publish(live.Message{Topic: "rig"})
	if len(b.C) != 0 || len(a.C) != 1 {
		t.Errorf("after closing: %d and %d messages wait, want 0 and 1", len(b.C), len(a.C))
	}
}

// TestSlowListenerHoldsNobodyUp: who does not read loses messages, and is told so once; the others lose none.
func TestSlowListenerHoldsNobodyUp(t *testing.T) {
	var bus live.Bus
	slow, quick := bus.Listen(), bus.Listen()
	const n = 1000
	for i := range n {
		bus.Publish(live.Message{ID: int64(i)})
		if m := <-quick.C; m.ID != int64(i) {
			t.Fatalf("the quick listener got %d instead of %d", m.ID, i)
		}
	}
	if len(slow.C) >= n || !slow.TakeLost() || slow.TakeLost() {
		t.Errorf("%d messages wait for the slow listener; its loss must be told once", len(slow.C))
	}
	if quick.TakeLost() {
		t.Error("the quick listener lost something")
	}
}
