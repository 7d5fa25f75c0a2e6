package workshop

import (
	"testing"
	"time"
)

// TestSilenceCountsOnlyWhileSomebodyListens: the time that a process stood still is not held against a rig, whoever asks first
// afterwards; and what it heard before a short delay counts as ever.
func TestSilenceCountsOnlyWhileSomebodyListens(t *testing.T) {
	start := time.Unix(1000, 0)
	at := func(seconds float64) time.Time { return start.Add(time.Duration(seconds * float64(time.Second))) }
	h := hearing{deaf: start}
	if got := h.from(at(30)); !got.Equal(start) {
		t.Errorf("nobody has looked yet: %v", got.Sub(start))
	}
	for i := range 100 {
		h.look(at(30 + 0.2*float64(i)))
	}
	if got := h.from(at(50.5)); !got.Equal(start) {
		t.Errorf("after looks five times a second, silence counts from %v", got.Sub(start))
	}
	if got := h.from(at(60)); !got.Equal(at(60)) {
		t.Errorf("asked first after ten seconds of standing still, silence counts from %v", got.Sub(start))
	}
	h.look(at(60.1))
	h.look(at(70))
	if got := h.from(at(70.2)); !got.Equal(at(70)) {
		t.Errorf("looked first after ten more, silence counts from %v", got.Sub(start))
	}
	h.look(at(70.4))
	h.was(at(70.5))
	if got := h.from(at(71)); !got.Equal(at(70.5)) {
		t.Errorf("after an outage, silence counts from %v", got.Sub(start))
	}
}
