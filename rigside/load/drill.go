package load

import (
	"context"
	"math/rand/v2"
	"runtime"
	"sync"
	"sync/atomic"
	"time"

	"golang.org/x/sys/unix"

	"zerokeel/core/load"
)

// Spec says what a drill runs.
type Spec struct {
	Kind   load.Kind
	CPUs   [][]int // per core of the leg: the processors (threads) to load
	Inject *Inject
}

// Inject flips one bit in the work of a core, by its place in Spec.CPUs, after some time.
type Inject struct {
	Place int
	After time.Duration
}

// Fault is a wrong result.
type Fault struct {
	Place    int
	At       time.Duration // since the start
	Injected bool
}

// Drill is a load that runs. Each thread has a worker of its own, pinned to its processor.
type Drill struct {
	spec    Spec
	started time.Time
	passes  []atomic.Uint64 // per core
	turn    atomic.Int32
	armed   atomic.Bool // an injection is still to be made
	faults  chan Fault
	workers sync.WaitGroup
	cancel  context.CancelFunc
}

// Start begins a drill; it runs until Stop. Faults come on the channel of Faults.
func Start(ctx context.Context, spec Spec) *Drill {
	// Pre-computing the references keeps their cost out of the measured time.
	for _, w := range Widths() {
		NewWorker(w)
	}
	ctx, cancel := context.WithCancel(ctx)
	d := &Drill{spec: spec, started: time.Now(), passes: make([]atomic.Uint64, len(spec.CPUs)), faults: make(chan Fault, 16), cancel: cancel}
	d.armed.Store(spec.Inject != nil)
	for place, cpus := range spec.CPUs {
		for thread, cpu := range cpus {
			if spec.Kind.OneCore() && thread > 0 {
				continue // a light load leaves the core's second thread idle
			}
			d.workers.Go(func() { d.work(ctx, place, cpu) })
		}
	}
	return d
}

// Faults delivers wrong results as they are found.
func (d *Drill) Faults() <-chan Fault { return d.faults }

// Passes returns the work done so far by each core.
func (d *Drill) Passes() []uint64 {
	out := make([]uint64, len(d.passes))
	for i := range d.passes {
		out[i] = d.passes[i].Load()
	}
	return out
}

// Turn moves a one-core load to another core.
func (d *Drill) Turn(place int) { d.turn.Store(int32(place)) }

// Stop ends the workers and waits for them, at most for a time: one that hangs is left behind, as the machine will
// have to be restarted anyway.
func (d *Drill) Stop(wait time.Duration) (clean bool) {
	d.cancel()
	done := make(chan struct{})
	go func() { d.workers.Wait(); close(done) }()
	select {
	case <-done:
		return true
	case <-time.After(wait):
		return false
	}
}

// resting is how long a worker that has nothing to do looks away, and idleEvery how often an idle watch computes a
// little.
const (
	resting   = 2 * time.Millisecond
	idleEvery = time.Second
)

// work is one worker. It stays locked to its thread, so that the thread, bound to one processor, ends with it.
func (d *Drill) work(ctx context.Context, place, cpu int) {
	runtime.LockOSThread()
	var set unix.CPUSet
	set.Set(cpu)
	_ = unix.SchedSetaffinity(0, &set) // where binding is forbidden, the load still runs
	byWidth := map[Width]*Worker{}
	for _, w := range Widths() {
		byWidth[w] = NewWorker(w)
	}
	choose := rand.New(rand.NewPCG(uint64(cpu), 7))
	for ctx.Err() == nil {
		width, rest := d.next(place, choose)
		if rest > 0 {
			select {
			case <-ctx.Done():
				return
			case <-time.After(rest):
			}
			if width < 0 {
				continue
			}
		}
		d.round(byWidth[width], place)
	}
}

// next tells how wide a core's next round is, and how long it rests before; a width below zero skips the round.
func (d *Drill) next(place int, choose *rand.Rand) (Width, time.Duration) {
	switch d.spec.Kind {
	case load.Idle:
		return Portable, idleEvery
	case load.Light:
		if int(d.turn.Load()) != place {
			return -1, resting
		}
		return Portable, 0
	case load.Mixed:
		widths := Widths()
		return widths[choose.IntN(len(widths))], 0
	case load.Transition:
		if !load.Bursting(time.Since(d.started).Seconds()) {
			return -1, resting
		}
	}
	return Widest(), 0
}

func (d *Drill) round(w *Worker, place int) {
	at := time.Since(d.started)
	injected := false
	run := w.Run
	if in := d.spec.Inject; in != nil && in.Place == place && at >= in.After && d.armed.CompareAndSwap(true, false) {
		injected = true
		run = func() (int, bool) {
			return w.RunWith(func(sum []float64) { FlipBit(sum, len(sum)/2, 40) })
		}
	}
	n, right := run()
	d.passes[place].Add(uint64(n))
	if right {
		return
	}
	select {
	case d.faults <- Fault{Place: place, At: time.Since(d.started), Injected: injected}:
	default: // enough are waiting to be read
	}
}
