package standin

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"time"

	"zerokeel/core/govern"
	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/verdict"
	"zerokeel/core/yardstick"
	"zerokeel/link"
	"zerokeel/standin/stability"
)

// agent is the virtual agent of one start of the machine. Its methods run under the rig's lock.
type agent struct {
	rig    *Rig
	client *link.Client
	live   context.Context
	end    context.CancelFunc
	gone   chan struct{} // closed when it talks no more
	before *agent        // of the start before
	stream string
	boot   string
	begun  []link.Unending // journal as found at the start
	crash  *link.Crash     // how the start before ended, if by a fault
	seen   map[string]bool // orders taken
	leg    *leg

	channels   []told
	since      float64 // the machine is up, on its clock
	sampleDue  float64
	faultDue   float64
	batch      link.Samples
	frame      link.Frame
	dirty      bool // the frame holds something that must not wait
	lastSample time.Time
	lastFlush  time.Time
}

// leg is an order being run.
type leg struct {
	order   link.Order
	at      float64 // simulated seconds since its start
	random  *rand.Rand
	count   []float64 // work per core of the order
	clock   []float64 // effective clock per core of the machine, summed over the time it was busy
	busyS   []float64 // that time
	dropped map[int]float64
	limits  map[govern.Limiter]float64
	injectd bool
	resting bool    // held back for its target temperature
	warm    float64 // the hottest core as the hold sees it, smoothed
	holdDue float64 // when it looks again
}

func newAgent(r *Rig) *agent {
	a := &agent{rig: r, gone: make(chan struct{}), before: r.last, boot: r.bootID(),
		stream: fmt.Sprintf("%s-%d-%d", r.cfg.Name, r.state.Boots, time.Now().UnixNano()), seen: map[string]bool{}}
	a.live, a.end = context.WithCancel(context.Background())
	a.begun = r.state.Journal
	a.crash = r.state.Crash
	r.state.Journal, r.state.Crash = nil, nil
	a.channels = channels(r)
	a.since, a.sampleDue, a.faultDue = r.state.Clock, r.state.Clock, r.state.Clock
	a.client = link.NewClient(r.opt.Server, a.hello, a.order, r.opt.Log)
	return a
}

func (a *agent) hello() link.Hello {
	a.rig.mu.Lock()
	defer a.rig.mu.Unlock()
	h := link.Hello{
		Protocol: link.Version, Agent: "stand-in", Stream: a.stream, BootID: a.boot, Now: a.rig.nowMS(),
		ClockRate: a.rig.opt.Speed, Simulated: true, Facts: a.rig.facts(), Journal: a.begun, Crash: a.crash,
	}
	if a.rig.restIsFree() {
		h.RestRate = a.rig.opt.Rest
	}
	for _, c := range a.channels {
		h.Channels = append(h.Channels, c.Channel)
	}
	h.Headers = a.rig.headers()
	if a.leg != nil {
		h.Running = a.leg.order.ID
	}
	return h
}

func (a *agent) order(o link.Order) {
	if told := a.rig.opt.Ordered; told != nil {
		told(o)
	}
	a.rig.mu.Lock()
	defer a.rig.mu.Unlock()
	if a.rig.agent != a || a.rig.phase != running {
		return
	}
	switch {
	case o.Do == link.Stop:
		if a.leg != nil && a.leg.order.ID == o.ID {
			a.finish(link.Finished{How: link.Halted})
		}
	case a.seen[o.ID]:
	case a.leg != nil:
		a.refuse(o, "the rig is busy with another order")
	default:
		if _, known := yardstick.Of(o.Yardstick); o.Yardstick != "" && !known {
			a.refuse(o, fmt.Sprintf("the yardstick %.40q is not known here", o.Yardstick))
			return
		}
		for _, c := range o.Cores {
			if c < 0 || c >= a.rig.cfg.Parts.Processor.Cores() {
				a.refuse(o, fmt.Sprintf("core %d does not exist here", c))
				return
			}
		}
		if why := a.sweepable(o.Sweep); why != "" {
			a.refuse(o, why)
			return
		}
		a.begin(o)
	}
}

func (a *agent) refuse(o link.Order, why string) {
	a.seen[o.ID] = true
	a.client.Send(link.Frame{
		Events:   []link.Event{{Order: o.ID, Kind: verdict.EventRefused, Core: -1, Text: why}},
		Finished: &link.Finished{Order: o.ID, How: link.Refused},
	})
}

func (a *agent) begin(o link.Order) {
	a.seen[o.ID] = true
	r := a.rig
	r.state.Journal = []link.Unending{{Order: o.ID, BootID: a.boot, At: r.nowMS()}}
	r.keep()
	a.leg = &leg{
		order: o, random: r.legRandom(), count: make([]float64, len(o.Cores)), clock: make([]float64, r.cfg.Parts.Processor.Cores()),
		busyS:   make([]float64, r.cfg.Parts.Processor.Cores()),
		dropped: map[int]float64{}, limits: map[govern.Limiter]float64{},
	}
	if y, ok := yardstick.Of(o.Yardstick); ok && y.Measure == yardstick.BestRate {
		a.leg.order.TurnS = y.TypicalS / float64(len(o.Cores))
	}
	r.machine.SetLoad(o.Load, o.Cores, a.leg.order.TurnS)
	a.frame.Started = &link.Started{Order: o.ID, At: r.nowMS()}
	a.dirty = true
	a.sampleDue = r.state.Clock
	a.faultDue = r.state.Clock + faultS // so that a leg's faults do not hang on when it began
}

func (a *agent) finish(f link.Finished) {
	l := a.leg
	a.leg = nil
	if s := l.order.Sweep; s != nil {
		a.rig.hold(s.Header, nil)
	}
	a.rig.machine.SetLoad(load.Idle, nil, 0)
	f.Order, f.RanS = l.order.ID, l.at
	a.frame.Finished = &f
	a.frame.Limiters = &link.LimiterCounts{Order: l.order.ID, Seconds: l.limits}
	a.emit()
	a.rig.state.Journal = nil
	a.rig.keep()
}

// advance follows the machine by one time step.
func (a *agent) advance(dt float64) {
	r := a.rig
	if r.state.Clock >= a.sampleDue {
		a.sampleDue = math.Max(a.sampleDue+sampleS, r.state.Clock)
		a.sample()
	}
	if r.state.Clock >= a.faultDue {
		a.faultDue = r.state.Clock + faultS
		if !a.faults(faultS) {
			return
		}
	}
	if a.leg == nil {
		return
	}
	a.leg.at += dt
	a.sweep()
	a.inject()
	a.keepCool()
	a.stalled()
	if a.leg == nil {
		return
	}
	if a.leg.order.Work > 0 || a.leg.order.WindowS > 0 {
		a.measure()
	} else if a.leg.at >= a.leg.order.Seconds {
		a.finish(link.Finished{How: link.Done})
	}
}

// faults draws what goes wrong within a time, and reports whether the machine still runs.
func (a *agent) faults(seconds float64) bool {
	r := a.rig
	s := r.machine.State()
	if s.Overheats {
		r.crashed()
		r.powerOff()
		r.keep()
		return false
	}
	kind, random := load.Idle, r.noise
	switch {
	case a.leg == nil && r.restIsFree():
		return true
	case a.leg != nil:
		kind, random = a.leg.order.Load, a.leg.random
	}
	for risk := range r.risks(kind, &s, stability.Day(r.cfg.Seed, r.state.Ran), r.state.Clock-a.since) {
		if random.Float64() >= stability.Chance(risk.rate, seconds) {
			continue
		}
		core := risk.core
		switch core {
		case inMemory: // which worker meets the wrong word is chance
			core = a.leg.order.Cores[random.IntN(len(a.leg.order.Cores))]
		case besideCores:
			core = r.hottestOf(&s)
		}
		if !a.happens(stability.Draw(risk.regime, risk.margin, random), core) {
			return false
		}
		if risk.core < 0 && a.leg == nil {
			return true
		}
	}
	return true
}

// happens carries out a fault, and reports whether the machine still runs.
func (a *agent) happens(o stability.Outcome, core int) bool {
	r := a.rig
	switch o {
	case stability.Froze:
		a.emit()
		r.freeze()
		return false
	case stability.Restarted:
		a.emit()
		r.crashed()
		r.powerOn()
		return false
	}
	if a.leg == nil {
		return true
	}
	event := link.Event{Order: a.leg.order.ID, AtS: a.leg.at, Core: core}
	switch o {
	case stability.Corrected:
		event.Kind = verdict.EventCorrected
		a.event(event)
	case stability.Miscalculated:
		event.Kind = verdict.EventMiscalculated
		a.event(event)
		a.finish(link.Finished{How: link.Faulted})
	case stability.Dropped:
		a.drop(core)
	}
	return true
}

func (a *agent) event(e link.Event) {
	a.frame.Events = append(a.frame.Events, e)
	a.dirty = true
}

// drop stops one core's worker: the core cools down while the others go on.
func (a *agent) drop(core int) {
	l := a.leg
	if _, already := l.dropped[core]; already {
		return
	}
	l.dropped[core] = l.at
	a.rig.machine.SetLoad(l.order.Load, l.working(), l.order.TurnS)
}

// stalled notices workers that make no progress, as the real agent does.
func (a *agent) stalled() {
	if a.leg == nil {
		return
	}
	for core, since := range a.leg.dropped {
		if a.leg.at-since >= verdict.StallS {
			a.event(link.Event{Order: a.leg.order.ID, Kind: verdict.EventStalled, AtS: since, Core: core})
			a.finish(link.Finished{How: link.Faulted})
			return
		}
	}
}

// inject flips a bit when the order asks for it.
func (a *agent) inject() {
	l := a.leg
	if l.order.Inject == nil || l.injectd || l.at < l.order.Inject.AfterS {
		return
	}
	l.injectd = true
	a.event(link.Event{Order: l.order.ID, Kind: verdict.EventMiscalculated, AtS: l.at, Core: l.order.Inject.Core, Injected: true,
		Text: "one bit flipped on purpose"})
	a.finish(link.Finished{How: link.Faulted})
}

// keepCool holds the load back above its target temperature, and ends it at its abort limit, as the real agent does.
func (a *agent) keepCool() {
	l := a.leg
	if l == nil {
		return
	}
	hottest, limit := a.rig.machine.HottestC(), l.order.AbortC
	if s := l.order.Sweep; s != nil && (limit == 0 || s.MaxC < limit) {
		limit = s.MaxC
	}
	if limit > 0 && hottest >= limit {
		a.event(link.Event{Order: l.order.ID, Kind: verdict.EventOverheated, AtS: l.at, Core: -1,
			Text: fmt.Sprintf("%.1f °C reached, the leg may go to %.0f °C", hottest, limit)})
		a.finish(link.Finished{How: link.Aborted})
		return
	}
	target := l.order.TargetC
	if target <= 0 {
		return
	}
	if l.warm == 0 {
		l.warm = hottest
	}
	l.warm += (hottest - l.warm) * stepS / holdFilterS
	if l.at < l.holdDue || l.warm > target == l.resting {
		return
	}
	l.holdDue, l.resting = l.at+holdS, l.warm > target
	if l.resting {
		a.rig.machine.SetLoad(load.Idle, nil, 0)
		return
	}
	a.rig.machine.SetLoad(l.order.Load, l.working(), l.order.TurnS)
}

// A load that is held back goes on or rests for holdS at least, by a temperature smoothed over holdFilterS: a core jumps
// by many degrees as soon as it works.
const (
	holdS       = 0.5
	holdFilterS = 3.0
)

// working lists the cores of a leg that did not drop.
func (l *leg) working() []int {
	rest := []int{}
	for _, c := range l.order.Cores {
		if _, gone := l.dropped[c]; !gone {
			rest = append(rest, c)
		}
	}
	return rest
}

// sample reads every channel, and counts work.
func (a *agent) sample() {
	r := a.rig
	s := r.machine.State()
	if l := a.leg; l != nil {
		for i, core := range l.order.Cores {
			if s.Cores[core].Active {
				l.count[i] += s.Cores[core].EffectiveMHz * sampleS
			}
		}
		for core, c := range s.Cores {
			if c.Active {
				if l.at >= l.order.WarmS {
					l.clock[core] += c.EffectiveMHz
					l.busyS[core]++
				}
			}
		}
		l.limits[s.Limiter] += sampleS
		a.frame.Progress = append(a.frame.Progress, link.Progress{Order: l.order.ID, AtS: l.at, Count: append([]float64(nil), l.count...)})
	} else if time.Since(a.lastSample) < idleSampleEvery {
		return
	}
	a.lastSample = time.Now()
	a.read(&s)
}

// idleSampleEvery bounds, in real time, how often figures are sent while no order runs.
const idleSampleEvery = 500 * time.Millisecond

func (a *agent) read(s *machine.State) {
	b := &a.batch
	if len(b.At) == 0 {
		b.Channels = make([]string, len(a.channels))
		b.Values = make([][]*float64, len(a.channels))
		for i, c := range a.channels {
			b.Channels[i] = c.Key
		}
		b.Order = ""
		if a.leg != nil {
			b.Order = a.leg.order.ID
		}
	}
	b.At = append(b.At, a.rig.nowMS())
	for i, c := range a.channels {
		x := c.sensor.Read(c.value(s), a.rig.noise)
		b.Values[i] = append(b.Values[i], &x)
	}
}

// emit sends what has gathered.
func (a *agent) emit() {
	if len(a.batch.At) > 0 {
		batch := a.batch
		a.frame.Samples = &batch
	}
	if l := a.leg; l != nil && len(a.frame.Progress) > 0 {
		seconds := make(map[govern.Limiter]float64, len(l.limits))
		for k, v := range l.limits {
			seconds[k] = v
		}
		a.frame.Limiters = &link.LimiterCounts{Order: l.order.ID, Seconds: seconds}
	}
	a.client.Send(a.frame)
	a.frame, a.batch, a.dirty = link.Frame{}, link.Samples{}, false
}

// batchMax is how many moments are gathered at most into one frame, and flushEvery for how long in real time.
const (
	batchMax   = 60
	flushEvery = 40 * time.Millisecond
)

// flush sends what has gathered, if it is worth a frame.
func (a *agent) flush() {
	gathered := len(a.batch.At) + len(a.frame.Progress)
	if a.dirty || len(a.batch.At) >= batchMax || (gathered > 0 && time.Since(a.lastFlush) >= flushEvery) {
		a.lastFlush = time.Now()
		a.emit()
	}
}
