package agent

import (
	"context"
	"fmt"
	"slices"
	"time"

	"zerokeel/core/channel"
	core "zerokeel/core/load"
	"zerokeel/core/verdict"
	"zerokeel/core/yardstick"
	"zerokeel/link"
	"zerokeel/rigside/load"
	"zerokeel/rigside/sensors"
)

// leg is an order being run.
type leg struct {
	order     link.Order
	yardstick yardstick.Yardstick // zero for a proof
	cpus      []int
	started   time.Time
	drill     *load.Drill
	guard     *guard
	usage     *usage
	swept     *swept
	health    func() []sensors.Trouble // what went wrong since the start, by the kernel's counts
	agent     context.Context          // of the agent itself
	ctx       context.Context
	halt      context.CancelFunc
}

// memoryShare is the part of the free memory that a memory load takes when the order names no size.
const memoryShare = 0.5

func (a *agent) newLeg(ctx context.Context, o link.Order, cpus [][]int) (*leg, error) {
	width, err := load.ParseWidth(o.Width)
	if err != nil {
		return nil, err
	}
	spec := load.Spec{Kind: o.Load, CPUs: cpus, Width: width, MemoryMB: o.MemoryMB}
	y, err := measured(&o, &spec)
	if err != nil {
		return nil, err
	}
	if o.Load == core.Memory {
		free, ok := sensors.FreeMB(a.cfg.Root)
		if spec.MemoryMB == 0 {
			spec.MemoryMB = max(len(cpus), int(free*memoryShare))
		}
		if ok && float64(spec.MemoryMB) > free-2*leastFreeMB {
			return nil, fmt.Errorf("%d MB of memory are asked for, and %.0f MB are free", spec.MemoryMB, free)
		}
	}
	workers := 0
	for _, one := range cpus {
		workers += len(one)
	}
	if free, ok := sensors.FreeMB(a.cfg.Root); ok && float64(load.NeedsMB(o.Load, workers)) > free-2*leastFreeMB {
		return nil, fmt.Errorf("%s load takes %d MB of memory on %d processors, and %.0f MB are free", o.Load, load.NeedsMB(o.Load, workers),
			workers, free)
	}
	if in := o.Inject; in != nil {
		if place := slices.Index(o.Cores, in.Core); place >= 0 {
			spec.Inject = &load.Inject{Place: place, After: seconds(in.AfterS), Seed: in.Seed}
		}
	}
	swept, err := a.newSwept(o.Sweep)
	if err != nil {
		return nil, err
	}
	before := sensors.ReadHealth(a.cfg.Root, a.cores, sensors.KernelLog())
	l := &leg{order: o, yardstick: y, cpus: slices.Concat(cpus...), guard: a.newGuard(o), usage: a.newUsage(), swept: swept,
		health: func() []sensors.Trouble {
			log := sensors.KernelLog()
			return sensors.ReadHealth(a.cfg.Root, a.cores, log).Since(before, a.cores, log)
		}}
	// The drill outlives a leg that is halted only until it is stopped; a leg ends with the agent.
	l.agent = ctx
	l.ctx, l.halt = context.WithCancel(ctx)
	l.started = time.Now() // before the drill's own start, so that nothing of it is told to be later than the leg's end
	l.drill = load.Start(context.WithoutCancel(ctx), spec)
	return l, nil
}

// measured fits a drill to the yardstick of an order, if it has one.
func measured(o *link.Order, spec *load.Spec) (yardstick.Yardstick, error) {
	if o.Yardstick == "" {
		return yardstick.Yardstick{}, nil
	}
	y, known := yardstick.Of(o.Yardstick)
	switch {
	case !known:
		return y, fmt.Errorf("the yardstick %.40q is not known to this agent; bring it to the server's version", o.Yardstick)
	case o.Work <= 0 && o.WindowS <= 0 && y.Measure != yardstick.Rest:
		return y, fmt.Errorf("the order names neither an amount of work nor a window for %s", y.Name)
	}
	spec.Measure = y.Measure
	if y.MemoryMB > 0 && spec.MemoryMB == 0 {
		spec.MemoryMB = y.MemoryMB * len(spec.CPUs)
	}
	if y.Measure != yardstick.Rest && y.Measure != yardstick.Waits {
		spec.Quota = &load.Quota{Amount: o.Work, Window: seconds(o.WindowS), Warm: seconds(o.WarmS),
			Turns: y.Measure == yardstick.BestRate}
	}
	return y, nil
}

func seconds(s float64) time.Duration { return time.Duration(s * float64(time.Second)) }

// lookEvery is how often the leg looks for workers that stand still, and hangS how long it waits for them at the end.
const (
	lookEvery = 250 * time.Millisecond
	hangS     = 3 * time.Second
)

// run waits until the leg is over, and returns what happened and how it ended; no end when the agent itself is stopped.
func (l *leg) run() ([]link.Event, *link.Finished) {
	end := time.NewTimer(seconds(l.order.Seconds))
	defer end.Stop()
	look := time.NewTicker(lookEvery)
	defer look.Stop()
	watch := newWatch(l)
	var events []link.Event
	finished := &link.Finished{Order: l.order.ID}
	how := link.Done
	defer l.swept.end()
	waits := l.wait()
loop:
	for {
		select {
		case <-end.C:
			if l.order.Work > 0 || l.order.WindowS > 0 {
				events, how = append(events, l.event(verdict.EventRefused,
					fmt.Sprintf("the work of %s was not done in %.0f s", l.yardstick.Name, l.order.Seconds))), link.Aborted
			}
			break loop
		case <-l.ctx.Done():
			if l.agent.Err() != nil {
				l.drill.Stop(hangS)
				return events, nil
			}
			how = link.Halted
			break loop
		case f := <-l.drill.Faults():
			events, how = append(events, l.fault(f)), link.Faulted
			break loop
		case err := <-l.drill.Failed():
			events, how = append(events, l.event(verdict.EventRefused, err.Error())), link.Aborted
			break loop
		case took := <-l.drill.Done():
			finished.Score, finished.Scored = l.scored(took)
			break loop
		case w := <-waits:
			if w.err != nil {
				events, how = append(events, l.event(verdict.EventRefused, w.err.Error())), link.Aborted
				break loop
			}
			finished.Score = new(l.yardstick.Late(w.late))
			finished.Scored = &link.Scored{FromS: l.order.WarmS, ToS: time.Since(l.started).Seconds(), Core: -1}
			break loop
		case now := <-look.C:
			l.turn()
			l.hold()
			if err := l.swept.follow(now.Sub(l.started)); err != nil {
				events, how = append(events, l.event(verdict.EventRefused, err.Error())), link.Aborted
				break loop
			}
			if kind, why := l.guard.look(now); kind != "" {
				events, how = append(events, l.event(kind, why)), link.Aborted
				break loop
			}
			if core, at, stalled := watch.look(); stalled {
				events = append(events, link.Event{Order: l.order.ID, Kind: verdict.EventStalled, AtS: at, Core: core})
				how = link.Faulted
				break loop
			}
		}
	}
	ran := time.Since(l.started)
	l.halt() // what waits beside the load ends with it
	l.drill.Stop(hangS)
	for _, t := range l.health() {
		e := l.event(verdict.EventKind(t.Kind), t.Text)
		e.Core = t.Core
		events = append(events, e)
	}
	finished.How, finished.RanS, finished.Others = how, ran.Seconds(), l.usage.others()
	if l.order.Load == core.Memory && l.order.Yardstick == "" {
		covered := l.drill.Coverage()
		finished.Coverage = &covered
	}
	return events, finished
}

// scored returns the score of the fastest turn, and which it was.
func (l *leg) scored(turns []load.Turn) (*float64, *link.Scored) {
	rate := func(t load.Turn) float64 { return t.Work / (t.To - t.From).Seconds() }
	best := 0
	for i := range turns {
		if rate(turns[i]) > rate(turns[best]) {
			best = i
		}
	}
	t, core := turns[best], -1
	if len(turns) > 1 {
		core = l.order.Cores[best]
	}
	return new(l.yardstick.Score(t.Work, (t.To - t.From).Seconds())), &link.Scored{FromS: t.From.Seconds(), ToS: t.To.Seconds(), Core: core}
}

// waited is what came of the waits of a yardstick.
type waited struct {
	late []float64
	err  error
}

// wait begins the waits of a yardstick that has some, once the load is warm.
func (l *leg) wait() <-chan waited {
	if l.yardstick.Measure != yardstick.Waits {
		return nil
	}
	out := make(chan waited, 1)
	go func() {
		select {
		case <-l.ctx.Done():
			return
		case <-time.After(seconds(l.order.WarmS)):
		}
		times := max(1, int(l.order.Work)/len(l.cpus))
		late, err := load.Waits(l.ctx, l.cpus, seconds(yardstick.WaitEveryS), times)
		if l.ctx.Err() == nil {
			out <- waited{late, err}
		}
	}()
	return out
}

// event is one that no core is known for, at this moment.
func (l *leg) event(kind verdict.EventKind, text string) link.Event {
	return link.Event{Order: l.order.ID, Kind: kind, AtS: time.Since(l.started).Seconds(), Core: -1, Text: text}
}

func (l *leg) fault(f load.Fault) link.Event {
	e := link.Event{Order: l.order.ID, Kind: verdict.EventMiscalculated, AtS: f.At.Seconds(), Core: l.order.Cores[f.Place],
		Injected: f.Injected}
	if f.Injected {
		e.Text = "one bit flipped on purpose"
	}
	return e
}

// hold keeps the load back while the processor is hotter than the leg's target: a degree above it takes a tenth of the
// time away at each look, a degree below gives it back.
func (l *leg) hold() {
	if l.order.TargetC <= 0 {
		return
	}
	if t, ok := l.guard.temperature(); ok {
		l.drill.Hold(l.drill.Held() + 0.1*(t-l.order.TargetC)*lookEvery.Seconds())
	}
}

// turn moves a one-core load on.
func (l *leg) turn() {
	if l.order.Load.OneCore() && l.order.TurnS > 0 {
		l.drill.Turn(int(time.Since(l.started).Seconds()/l.order.TurnS) % len(l.order.Cores))
	}
}

// progress returns the work done so far.
func (l *leg) progress() link.Progress {
	p := link.Progress{Order: l.order.ID, AtS: time.Since(l.started).Seconds()}
	for _, n := range l.drill.Work() {
		p.Count = append(p.Count, float64(n))
	}
	return p
}

// watch looks for a core whose work stands still while another's moves on.
type watch struct {
	leg   *leg
	steps []verdict.Progress
}

func newWatch(l *leg) *watch { return &watch{leg: l} }

func (w *watch) look() (core int, at float64, stalled bool) {
	p := w.leg.progress()
	w.steps = append(w.steps, verdict.Progress{AtS: p.AtS, Count: p.Count})
	if keep := int(3 * verdict.StallS / lookEvery.Seconds()); len(w.steps) > keep {
		w.steps = w.steps[len(w.steps)-keep:]
	}
	return verdict.Stalled(w.leg.order.Cores, w.steps, w.leg.order.Load)
}

// rateSensor tells how fast a core computes while a leg runs.
func (a *agent) rateSensor(number int) sensors.Sensor {
	var last float64
	var at time.Time
	var order string
	return sensors.Sensor{
		Channel: channel.OfCore(channel.Rate, number, 0.01),
		Read: func() (float64, bool) {
			l := a.running()
			if l == nil {
				return 0, false
			}
			place := slices.Index(l.order.Cores, number)
			if place < 0 {
				return 0, false
			}
			now, work := time.Now(), float64(l.drill.Work()[place])
			fresh := order != l.order.ID
			rate := (work - last) / now.Sub(at).Seconds() / 1e6
			last, at, order = work, now, l.order.ID
			return rate, !fresh
		},
	}
}
