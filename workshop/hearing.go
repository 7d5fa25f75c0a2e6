package workshop

import (
	"slices"
	"sync"
	"time"
)

// stalled is for how long this process may not look at its rigs before it counts as having stood still: the machine slept, or
// was kept from it, or the database hung. It looks five times a second.
const stalled = time.Second

// hearing is whether this process could have heard a rig: silence counts only while it could.
type hearing struct {
	mu     sync.Mutex
	deaf   time.Time // until when it could not: its start, or the end of an outage
	looked time.Time // when it last looked at its rigs; zero before the first time
}

// Rigs that fell silent within silentTogether of each other, while no other is heard, have not died at once: what lies between them
// and this process has. After noMoreThan they are judged nevertheless: two may freeze by chance, or by one dip of the
// mains.
const (
	silentTogether = 3 * time.Second
	noMoreThan     = 5 * time.Minute
)

// together tells whether all rigs that were heard last, two or more, fell silent at once.
func together(heard []time.Time, now time.Time) bool {
	if len(heard) == 0 {
		return false
	}
	last := slices.MaxFunc(heard, time.Time.Compare)
	if silent := now.Sub(last); silent < silentTogether || silent > noMoreThan {
		return false
	}
	n := 0
	for _, at := range heard {
		if last.Sub(at) < silentTogether {
			n++
		}
	}
	return n > 1
}

// was notes that nothing could be heard up to a moment.
func (h *hearing) was(deaf time.Time) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.deaf = deaf
}

// look notes a look at the rigs.
func (h *hearing) look(now time.Time) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.since(now)
	h.looked = now
}

// from returns the moment from which silence may count.
func (h *hearing) from(now time.Time) time.Time {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.since(now)
	return h.deaf
}

// since notes a time in which this process stood still. Whoever asks first after it notices, and nobody before judges by it.
func (h *hearing) since(now time.Time) {
	if !h.looked.IsZero() && now.Sub(h.looked) > stalled {
		h.deaf, h.looked = now, now
	}
}
