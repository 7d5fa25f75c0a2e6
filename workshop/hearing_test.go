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

// TestAllAtOnceIsTheNetwork: rigs that fall silent at once say nothing of their machines; one alone, or one after the other, do.
func TestAllAtOnceIsTheNetwork(t *testing.T) {
	now := time.Unix(100_000, 0)
	for _, row := range []struct {
		name  string
		heard []float64 // seconds ago
		want  bool
	}{
		{"nobody was ever heard", nil, false},
		{"one rig, silent", []float64{60}, false},
		{"one of two, silent", []float64{60, 0.5}, false},
		{"both of two, at once", []float64{60, 61}, true},
		{"both of two, one after the other", []float64{60, 75}, false},
		{"two at once, and one that was silent before", []float64{60, 61.5, 4000}, true},
		{"two at once, while a third speaks", []float64{60, 60, 1}, false},
		{"a moment between two beats", []float64{1.2, 1.1}, false},
		{"both for so long that somebody would have noticed", []float64{900, 901}, false},
	} {
		var heard []time.Time
		for _, ago := range row.heard {
			heard = append(heard, now.Add(-time.Duration(ago*float64(time.Second))))
		}
		if got := together(heard, now); got != row.want {
			t.Errorf("%s: %t", row.name, got)
		}
	}
}
