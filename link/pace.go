package link

import (
	"context"
	"time"

	"golang.org/x/time/rate"
)

// pace bounds what a rig may say, over all its links, in bytes: so many a second, and so many at once after a silence.
type pace struct {
	perS  rate.Limit
	burst int
}

// usual lets a rig with a hundred figures a second hand over a day in a minute and a half, and a stand-in tell its figures four
// thousand times as fast as its clock goes.
var usual = pace{perS: 4 << 20, burst: 32 << 20}

// maxUnstored is how many bytes of frames are held that are not stored yet, of each rig.
const maxUnstored = 16 << 20

// paceOf returns the pace of a rig. It goes on from link to link: who dials again has no more to say.
func (h *Hub) paceOf(rig int64) *rate.Limiter {
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.paces[rig] == nil {
		h.paces[rig] = rate.NewLimiter(h.pace.perS, h.pace.burst)
	}
	return h.paces[rig]
}

// keepPace waits until a rig may say more. Nothing of it is read meanwhile, which is its own doing: it counts as heard.
func (h *Hub) keepPace(ctx context.Context, s *session, bytes int64) error {
	wait := s.pace.ReserveN(time.Now(), int(bytes)).Delay()
	if wait == 0 {
		return nil
	}
	h.fallBehind(s, true)
	timer := time.NewTimer(wait)
	defer timer.Stop()
	select {
	case <-timer.C:
	case <-ctx.Done():
		return ctx.Err()
	}
	h.fallBehind(s, false)
	return nil
}
