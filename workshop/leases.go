package workshop

import (
	"context"
	"sync"
	"time"

	"zerokeel/link"
	"zerokeel/store"
)

// renewEvery is the time between two renewals of this process's leases.
const renewEvery = store.LeaseFor / 4

// leases are those that this process holds, as it knows them. The database has the last word: each step is guarded there.
type leases struct {
	mu   sync.Mutex
	rigs map[int64]heldLease
}

type heldLease struct {
	store.Lease
	since time.Time
	rate  float64 // of the rig's clock, as the holder before told it
}

func (l *leases) put(one store.Lease, rate float64) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.rigs == nil {
		l.rigs = map[int64]heldLease{}
	}
	if before, known := l.rigs[one.Rig]; known && before.Lease == one {
		return
	}
	l.rigs[one.Rig] = heldLease{one, time.Now(), rate}
}

func (l *leases) count() int {
	l.mu.Lock()
	defer l.mu.Unlock()
	return len(l.rigs)
}

func (l *leases) get(rig int64) (store.Lease, bool) {
	l.mu.Lock()
	defer l.mu.Unlock()
	one, ok := l.rigs[rig]
	return one.Lease, ok
}

// since returns when a rig's lease was taken; a zero time for one that is not held.
func (l *leases) since(rig int64) time.Time {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.rigs[rig].since
}

// rate returns how fast a rig's clock goes, as the holder before told it; 0 where that is not known.
func (l *leases) rate(rig int64) float64 {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.rigs[rig].rate
}

// keep drops the leases that are not among those still held, and returns the rigs of those dropped.
func (l *leases) keep(held []store.Lease) (lost []int64) {
	still := map[int64]store.Lease{}
	for _, one := range held {
		still[one.Rig] = one
		l.put(one, 0)
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	for rig := range l.rigs {
		if _, ok := still[rig]; !ok {
			delete(l.rigs, rig)
			lost = append(lost, rig)
		}
	}
	return lost
}

// ClockRate is how fast a rig's clock goes: as the rig said over its link, or, where it has not linked to this process, as the process
// told that held it before; 1 where nobody knows.
func (w *Workshop) ClockRate(rig int64) float64 {
	for _, rate := range []float64{w.hub.Status(rig).Hello.ClockRate, w.held.rate(rig)} {
		if rate > 0 {
			return rate
		}
	}
	return 1
}

// keepLeases renews this process's leases until the context ends, and tells what it knows of the links. While another process is late
// with its own, silence does not count here: it may stand still, with a rig at its door that would be heard elsewhere.
func (w *Workshop) keepLeases(ctx context.Context) error {
	tick := time.NewTicker(renewEvery)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return nil
		case <-tick.C:
		}
		err := w.renew(ctx)
		if ctx.Err() != nil {
			return nil
		}
		w.came("leases", err)
		if err != nil {
			w.WasDeaf()
			w.log.Warn("the leases could not be renewed", "error", err)
		}
	}
}

func (w *Workshop) renew(ctx context.Context) error {
	held, late, err := w.store.Renew(ctx, w.me)
	if err != nil {
		return err
	}
	if late {
		w.WasDeaf()
	}
	for _, rig := range w.held.keep(held) {
		w.hub.Cut(rig) // it links to another process by now; a link that is left over here is of the time before
	}
	return w.tellLinks(ctx, held...)
}

// tellLinks tells the other processes what this one knows of the links of its rigs.
func (w *Workshop) tellLinks(ctx context.Context, held ...store.Lease) error {
	var list []store.Told
	for _, lease := range held {
		st := w.hub.Status(lease.Rig)
		if st.Hello.BootID == "" {
			continue // it never linked here
		}
		list = append(list, store.Told{Lease: lease, Linked: st.Linked, Link: store.Link{Simulated: st.Hello.Simulated,
			ClockMS: st.Clock(time.Now()), ClockRate: st.Hello.ClockRate}})
	}
	return w.store.TellLinks(ctx, list...)
}

// Held returns this process's lease of a rig. A rig that nobody holds is taken; false when another process holds it.
func (w *Workshop) Held(ctx context.Context, rig int64) (*store.Lease, bool, error) {
	if err := may(ctx, change, rig); err != nil {
		return nil, false, err
	}
	if lease, ok := w.held.get(rig); ok {
		return &lease, true, nil
	}
	lease, taken, err := w.store.TakeFree(ctx, rig, w.me)
	if err != nil || !taken {
		return nil, false, err
	}
	holds, err := w.store.Holds(ctx, rig)
	if err != nil {
		return nil, false, err
	}
	rate := 0.0
	if len(holds) > 0 {
		rate = holds[0].ClockRate
	}
	w.held.put(lease, rate)
	return &lease, true, nil
}

// HeldElsewhere tells which rigs other processes hold.
func (w *Workshop) HeldElsewhere(ctx context.Context) (map[int64]bool, error) {
	if err := may(ctx, look, 0); err != nil {
		return nil, err
	}
	holds, err := w.store.Holds(ctx)
	out := map[int64]bool{}
	for _, h := range holds {
		if h.Live && h.Holder != w.me {
			out[h.Rig] = true
		}
	}
	return out, err
}

// LinkState is what is known of a rig's link, wherever it is linked.
type LinkState struct {
	Linked    bool
	Simulated bool // it says so itself
	Clock     time.Time
}

// linkOf tells how a rig's link stands. A rig that is not linked anywhere has this machine's clock.
func (w *Workshop) linkOf(ctx context.Context, rig int64) (LinkState, error) {
	if st := w.hub.Status(rig); st.Linked {
		return here(st), nil
	}
	holds, err := w.store.Holds(ctx, rig)
	if err != nil {
		return LinkState{}, err
	}
	return linkIn(holds, rig), nil
}

func here(st link.Status) LinkState {
	return LinkState{Linked: st.Linked, Simulated: st.Hello.Simulated, Clock: store.FromMS(st.Clock(time.Now()))}
}

func linkIn(holds []store.Hold, rig int64) LinkState {
	out := LinkState{Clock: time.Now().UTC()}
	for _, h := range holds {
		if h.Rig == rig {
			out.Simulated = h.Simulated
			if out.Linked = h.Live && h.Linked; out.Linked {
				out.Clock = store.FromMS(h.ClockMS)
			}
		}
	}
	return out
}
