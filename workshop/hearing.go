package workshop

import (
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
