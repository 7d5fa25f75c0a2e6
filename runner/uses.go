package runner

import (
	"context"
	"time"
)

// useEveryS is how often the time that a rig was in use is noted, in seconds of its own clock; at loading speeds of simulated rigs
// leastUse bounds it, in real time.
const (
	useEveryS = 60.0
	leastUse  = 2 * time.Second
)

// inUse is a rig as it was at the last note: in one start of the machine, under a trim, and with nothing to do for the server.
type inUse struct {
	boot    string
	trim    int64
	version int64 // of its records: another one tells that a trial came between
	at      time.Time
}

// noteUses adds to the trims in force for how long their rigs were up and heard, outside fittings and trials: daily use proves what
// it is, no regime in particular. Where nothing can fail at rest, it proves nothing. Time goes by this process's clock and the rig's rate,
// so no clock that is set makes up any.
func (r *Runner) noteUses(ctx context.Context, busy, elsewhere map[int64]bool) error {
	now := time.Now()
	linked := map[int64]bool{}
	for _, id := range r.hub.Linked() {
		linked[id] = true
		status := r.hub.Status(id)
		if busy[id] || elsewhere[id] || status.Greeted || r.silent(id) || status.Hello.RestRate > 0 {
			delete(r.uses, id)
			continue
		}
		before, known := r.uses[id]
		passed := now.Sub(before.at)
		if known && (passed < leastUse || passed.Seconds()*status.Hello.ClockRate < useEveryS) {
			continue
		}
		rig, err := r.store.Rig(ctx, id)
		if err != nil {
			return err
		}
		is := inUse{status.Hello.BootID, rig.TrimInForce.Int64, rig.RecordsVersion, now}
		r.uses[id] = is
		if known && is.trim != 0 && is.boot == before.boot && is.trim == before.trim && is.version == before.version {
			if err := r.store.AddUse(ctx, is.trim, passed.Seconds()*status.Hello.ClockRate); err != nil {
				return err
			}
		}
	}
	for id := range r.uses {
		if !linked[id] {
			delete(r.uses, id)
		}
	}
	return nil
}
