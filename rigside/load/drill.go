// Package load holds the loads that a rig runs to prove a trim. They are made to find faults: every worker computes
// something whose result is known, and compares it every few milliseconds. A task is what a worker computes, a drill the
// workers of a leg, each bound to its processor.
package load

import (
	"context"
	"math"
	"math/rand/v2"
	"runtime"
	"sync"
	"sync/atomic"
	"time"

	"golang.org/x/sys/unix"

	"zerokeel/core/load"
	"zerokeel/core/yardstick"
)

// Spec says what a drill runs.
type Spec struct {
	Kind     load.Kind
	CPUs     [][]int // per core of the leg: the processors (threads) to load
	Width    Width   // of the vectors; Widest() as a rule
	MemoryMB int     // of a memory load, for all workers together
	Inject   *Inject
	Measure  yardstick.Measure // of a yardstick, which wants always the same work; "" for a proof
	Quota    *Quota            // the work after which the drill is done; nil to go on until Stop
}

// Inject flips one bit in the work of a core, by its place in Spec.CPUs, after some time. Which bit, Seed tells.
type Inject struct {
	Place int
	After time.Duration
	Seed  uint64
}

// Fault is a wrong result.
type Fault struct {
	Place    int
	At       time.Duration // since the start
	Injected bool
}

// Drill is a load that runs. Each thread has a worker of its own, pinned to its processor.
type Drill struct {
	spec     Spec
	started  time.Time
	work     []atomic.Uint64 // per core, in thousands of operations
	turn     atomic.Int32
	armed    atomic.Bool   // an injection is still to be made
	held     atomic.Uint64 // share of the time that workers rest beside, as float bits
	injected atomic.Int64  // when it was made, ns since the start
	coverage []atomic.Uint32
	faults   chan Fault
	failed   chan error
	workers  sync.WaitGroup
	cancel   context.CancelFunc
	quota    *quota
}

// Start begins a drill; it runs until Stop, whether it has a quota or not. Faults come on the channel of Faults. An
// error on the channel of Failed tells that a worker could not begin.
func Start(ctx context.Context, spec Spec) *Drill {
	ctx, cancel := context.WithCancel(ctx)
	d := &Drill{spec: spec, work: make([]atomic.Uint64, len(spec.CPUs)), faults: make(chan Fault, 16), failed: make(chan error, 1),
		cancel: cancel}
	d.armed.Store(spec.Inject != nil)
	if spec.Quota != nil {
		d.quota = newQuota(*spec.Quota, len(spec.CPUs))
	}
	var threads []func()
	for place, cpus := range spec.CPUs {
		for thread, cpu := range cpus {
			if thread > 0 && (spec.Kind.OneCore() || spec.Kind == load.Memory && spec.Measure != "") {
				continue // a core's second thread would add nothing, or take from the first
			}
			worker := len(threads)
			threads = append(threads, func() { d.worker(ctx, worker, place, cpu) })
		}
	}
	d.coverage = make([]atomic.Uint32, len(threads))
	d.started = time.Now()
	for _, work := range threads {
		d.workers.Go(work)
	}
	return d
}

// Faults delivers wrong results as they are found.
func (d *Drill) Faults() <-chan Fault { return d.faults }

// Failed delivers why a worker could not begin.
func (d *Drill) Failed() <-chan error { return d.failed }

// Done delivers, once the quota is full, what each turn of it did, or all cores together.
func (d *Drill) Done() <-chan []Turn {
	if d.quota == nil {
		return nil
	}
	return d.quota.done
}

// Work returns the operations done so far by each core, in thousands.
func (d *Drill) Work() []uint64 {
	out := make([]uint64, len(d.work))
	for i := range d.work {
		out[i] = d.work[i].Load()
	}
	return out
}

// InjectedAt returns when a bit was flipped, since the start; 0 when none was.
func (d *Drill) InjectedAt() time.Duration { return time.Duration(d.injected.Load()) }

// Coverage returns the share of its memory that a memory load has put through every pattern, 0 to 1.
func (d *Drill) Coverage() float64 {
	total := 0.0
	for i := range d.coverage {
		total += float64(d.coverage[i].Load()) / 1e6
	}
	return total / float64(max(1, len(d.coverage)))
}

// Hold makes every worker rest for a share of its time, 0 to 0.95, so that the machine stays cooler.
func (d *Drill) Hold(share float64) {
	d.held.Store(math.Float64bits(min(0.95, max(0, share))))
}

// Held returns the share of the time that workers rest.
func (d *Drill) Held() float64 { return math.Float64frombits(d.held.Load()) }

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

// Times of a worker: how long one that has nothing to do looks away at most, how often an idle watch computes a
// little, and the work and the pause of a light load, so that the core keeps its highest clock.
const (
	resting    = 2 * time.Millisecond
	idleEvery  = time.Second
	lightWorks = 400 * time.Millisecond
	lightRests = 15 * time.Millisecond
	holdPeriod = 50 * time.Millisecond
)

// worker is one thread's work. It stays locked to its thread, so that the thread, bound to one processor, ends with it.
func (d *Drill) worker(ctx context.Context, worker, place, cpu int) {
	runtime.LockOSThread()
	var set unix.CPUSet
	set.Set(cpu)
	_ = unix.SchedSetaffinity(0, &set) // where binding is forbidden, the load still runs
	t, err := newTask(d.spec.Kind, setting{width: d.spec.Width, memoryBytes: d.spec.MemoryMB << 20 / len(d.coverage),
		measure: d.spec.Measure, seed: uint64(cpu)})
	if err != nil {
		select {
		case d.failed <- err:
		default:
		}
		return
	}
	defer closeTask(t)
	for ctx.Err() == nil {
		if rest, works := d.rest(place); rest > 0 {
			select {
			case <-ctx.Done():
				return
			case <-time.After(rest):
			}
			if !works {
				continue
			}
		}
		d.round(t, place)
		if m, ok := t.(*memory); ok { // a proof's; a yardstick covers nothing
			d.coverage[worker].Store(uint32(1e6 * m.coverage()))
		}
	}
}

// rest tells how long a core rests before its next round, and whether there is a round after it.
func (d *Drill) rest(place int) (time.Duration, bool) {
	at := time.Since(d.started)
	switch d.spec.Kind {
	case load.Idle:
		return idleEvery, true
	case load.Light:
		if int(d.turn.Load()) != place {
			return resting, false
		}
		if d.spec.Measure == "" && at%(lightWorks+lightRests) > lightWorks {
			return lightRests, true
		}
	case load.Transition:
		if works, forS := load.Burst(at.Seconds(), place, len(d.spec.CPUs)); !works {
			return min(10*resting, time.Duration(forS*float64(time.Second))+time.Microsecond), false
		}
	}
	if held := d.Held(); held > 0 && at%holdPeriod < time.Duration(held*float64(holdPeriod)) {
		return min(resting, time.Duration(held*float64(holdPeriod))-at%holdPeriod), false
	}
	return 0, true
}

func (d *Drill) round(t task, place int) {
	at := time.Since(d.started)
	var disturb *disturbance
	if in := d.spec.Inject; in != nil && in.Place == place && at >= in.After && d.armed.CompareAndSwap(true, false) {
		disturb = &disturbance{random: rand.New(rand.NewPCG(in.Seed, 1))}
		d.injected.Store(int64(at))
	}
	n, right := t.round(disturb)
	if disturb != nil && disturb.later {
		d.injected.Store(0)
		d.armed.Store(true)
	}
	d.work[place].Add(uint64(n / 1000))
	if d.quota != nil {
		if turn := d.quota.add(place, n, at, time.Since(d.started)); d.quota.Turns {
			d.Turn(turn)
		}
	}
	if right {
		return
	}
	injected := d.InjectedAt() > 0
	select {
	case d.faults <- Fault{Place: place, At: time.Since(d.started), Injected: injected}:
	default: // enough are waiting to be read
	}
}
