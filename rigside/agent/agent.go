// Package agent is what runs on a rig that is a real Linux machine: it finds the machine's sensors, links to the
// server, runs the legs that are ordered, and reports figures, work and faults. Before it runs a leg it writes so to
// its journal, and after a restart it tells what was running.
package agent

import (
	"context"
	"crypto/rand"
	"fmt"
	"io/fs"
	"log/slog"
	"math"
	"sync"
	"time"

	"zerokeel/core/verdict"
	"zerokeel/link"
	"zerokeel/rigside/headers"
	"zerokeel/rigside/journal"
	"zerokeel/rigside/running"
	"zerokeel/rigside/sensors"
	"zerokeel/rigside/spool"
)

// Version is the agent's version, told at each hello.
const Version = "0.1"

// Config says where an agent links to, and what machine it runs on.
type Config struct {
	Server   link.Server
	StateDir string        // keeps the journal and the spool
	Root     fs.FS         // the machine's file tree, os.DirFS("/")
	Files    headers.Files // writes to it; nil for a machine whose headers are left alone
	Rate     float64       // readings of every sensor per second, 1 to 10; 0 counts as 1
	Inject   *link.Inject
	Log      *slog.Logger

	// Of a machine that does nothing else, nil or empty otherwise.
	Show  func(Now)              // is told at each reading how things stand
	Power func(link.Power) error // shuts it down or restarts it, which ends the agent's context
	Off   func() bool            // reports that the machine is being shut down, in the place of its manager
}

// sendEvery is the time between two frames of figures, however many readings each holds.
const sendEvery = time.Second

type agent struct {
	cfg     Config
	boot    string
	stream  string
	cores   []sensors.Core
	facts   link.Facts // as they were at the agent's start
	sensors []sensors.Sensor
	headers []headers.Header
	keeper  *headers.Keeper
	system  *running.System // nil for a machine that is left alone
	journal *journal.Journal
	client  *link.Client
	crash   *link.Crash
	read    link.Samples // not yet sent
	epoch   time.Time    // start of the agent: its clock goes on evenly from here, whatever is done to the machine's

	mu   sync.Mutex
	seen map[string]bool
	leg  *leg
	last string         // what last went wrong
	legs sync.WaitGroup // each until its end is kept, which is later than leg is free for the next
}

// Run links the machine until the context ends, or the server refuses it.
func Run(ctx context.Context, cfg Config) error {
	if cfg.Rate == 0 {
		cfg.Rate = 1
	}
	if !(cfg.Rate >= 1 && cfg.Rate <= 10) {
		return fmt.Errorf("the rate of %g readings per second is out of range; give 1 to 10", cfg.Rate)
	}
	allowed, err := sensors.Allowed()
	if err != nil {
		return err
	}
	j, err := journal.Open(cfg.StateDir)
	if err != nil {
		return err
	}
	defer func() { _ = j.Close() }()
	a := &agent{cfg: cfg, boot: sensors.BootID(cfg.Root), stream: rand.Text(), journal: j, seen: map[string]bool{}, epoch: time.Now()}
	if a.boot == "" {
		return fmt.Errorf("the kernel tells no id of this boot (/proc/sys/kernel/random/boot_id)")
	}
	found := sensors.Cores(cfg.Root, allowed)
	a.facts = sensors.Facts(cfg.Root, found)
	if a.cores, err = numbered(cfg.StateDir, a.facts.Processor, found); err != nil {
		return err
	}
	a.sensors = sensors.Find(cfg.Root, a.cores, time.Now)
	for i := range a.cores {
		a.sensors = append(a.sensors, a.rateSensor(i))
	}
	if cfg.Files != nil {
		a.headers = headers.Find(cfg.Root)
		if a.keeper, err = headers.NewKeeper(cfg.Root, cfg.Files, cfg.StateDir); err != nil {
			cfg.Log.Error("a fan header that an earlier start had taken is not given back to the board", "error", err)
			a.headers = nil
		}
		if a.system, err = running.Find(cfg.Root, cfg.Files, a.cores, cfg.StateDir, a.boot); err != nil {
			cfg.Log.Error("the running system is not as an earlier start of the agent found it", "error", err)
		}
	}
	if a.crash, err = j.Booted(a.boot); err != nil {
		return err
	}
	if a.crash != nil {
		a.crash.Words = sensors.LastWords(cfg.Root)
		a.last = fmt.Sprintf("this machine went down without a shutdown; last seen %s UTC",
			time.UnixMilli(a.crash.SeenAt).UTC().Format("2006-01-02 15:04:05"))
		cfg.Log.Warn("the machine was not shut down before this start", "last seen", time.UnixMilli(a.crash.SeenAt), "last words", a.crash.Words)
	}
	left, err := spool.Leftovers(cfg.StateDir)
	if err != nil {
		return err
	}
	kept, err := spool.Open(cfg.StateDir, spool.Head{Stream: a.stream, BootID: a.boot})
	if err != nil {
		return err
	}
	defer func() { _ = kept.Close() }()
	a.client = link.NewClient(cfg.Server, a.hello, func(o link.Order) { a.order(ctx, o) }, cfg.Log)
	a.client.Through(kept)
	if cfg.Off == nil {
		a.cfg.Off = sensors.ShuttingDown
	}
	if a.system != nil || cfg.Power != nil {
		a.client.Answers(a.answer)
	}
	cfg.Log.Info("agent starts", "cores", len(a.cores), "channels", len(a.sensors), "boot", a.boot)
	done := make(chan error, 1)
	// The link outlasts the agent's end by as long as its leave takes.
	linked, unlink := context.WithCancel(context.WithoutCancel(ctx))
	defer unlink()
	go func() {
		if err := a.deliver(ctx, left); err != nil {
			done <- err
			return
		}
		if ctx.Err() != nil {
			done <- nil
			return
		}
		done <- a.client.Run(linked)
	}()
	a.sampleUntil(ctx, done)
	if ctx.Err() != nil {
		a.client.Send(link.Frame{Leaving: &link.Leaving{At: a.now(), Off: a.cfg.Off()}})
		a.client.Leave(unlink, takesLeaveFor)
	}
	err = <-done // whoever hands out orders is gone first, so that no leg begins any more
	a.legs.Wait()
	if a.cfg.Off() {
		if err := j.Shut(); err != nil {
			cfg.Log.Error("the journal cannot be written", "error", err)
		}
	}
	return err
}

// takesLeaveFor is how long the last words of an agent may take to arrive.
const takesLeaveFor = 700 * time.Millisecond

// deliver hands over what earlier agents kept, each under its own stream, so that the server gets the end of a leg that
// it did not hear of.
func (a *agent) deliver(ctx context.Context, left []spool.Left) error {
	for i := range left {
		hello := a.hello()
		hello.Stream, hello.BootID, hello.Running, hello.Crash = left[i].Stream, left[i].BootID, "", nil
		a.cfg.Log.Info("handing over what an earlier agent kept", "frames", len(left[i].Frames))
		if err := link.Deliver(ctx, a.cfg.Server, hello, left[i].Frames, a.cfg.Log); err != nil {
			return err
		}
		if ctx.Err() != nil {
			return nil
		}
		if err := left[i].Remove(); err != nil {
			return fmt.Errorf("remove what was handed over: %w", err)
		}
	}
	return nil
}

// now is the rig's clock, ms since 1970 UTC.
func (a *agent) now() int64 { return a.epoch.Add(time.Since(a.epoch)).UnixMilli() }

func (a *agent) hello() link.Hello {
	a.mu.Lock()
	defer a.mu.Unlock()
	h := link.Hello{
		Protocol: link.Version, Agent: Version, Stream: a.stream, BootID: a.boot, Now: a.now(), ClockRate: 1,
		Asked: a.system != nil, Powers: a.cfg.Power != nil, Facts: a.facts, Journal: a.journal.Before(), Crash: a.crash,
	}
	h.Facts.Cores, h.Facts.Threads = sensors.On(a.coresNow())
	for _, s := range a.sensors {
		h.Channels = append(h.Channels, s.Channel)
	}
	for _, x := range a.headers {
		h.Headers = append(h.Headers, x.Header)
	}
	if a.leg != nil {
		h.Running = a.leg.order.ID
	}
	return h
}

// sampleUntil reads every sensor at a steady pace until the context or the link ends.
func (a *agent) sampleUntil(ctx context.Context, linkEnd chan error) {
	tick := time.NewTicker(time.Duration(float64(time.Second) / a.cfg.Rate))
	defer tick.Stop()
	last := time.Now()
	for {
		select {
		case <-ctx.Done():
			return
		case err := <-linkEnd:
			linkEnd <- err
			return
		case now := <-tick.C:
			a.sample()
			if a.cfg.Show != nil {
				a.cfg.Show(a.stands())
			}
			if now.Sub(last) >= sendEvery-time.Millisecond {
				last = now
				a.send()
				a.journal.Alive(now)
			}
		}
	}
}

// running returns the leg at hand, nil if there is none.
func (a *agent) running() *leg {
	a.mu.Lock()
	defer a.mu.Unlock()
	return a.leg
}

// sample takes one reading of every sensor. A sensor that does not answer leaves a gap.
func (a *agent) sample() {
	s := &a.read
	at := a.now()
	order := ""
	if l := a.running(); l != nil {
		order = l.order.ID
	}
	if len(s.At) > 0 && s.Order != order {
		a.send()
	}
	if len(s.At) == 0 {
		*s = link.Samples{Order: order, Channels: make([]string, len(a.sensors)), Values: make([][]*float64, len(a.sensors))}
		for i, one := range a.sensors {
			s.Channels[i] = one.Key
		}
	}
	s.At = append(s.At, at)
	for i, one := range a.sensors {
		x, ok := one.Read()
		if !ok || math.IsNaN(x) || math.IsInf(x, 0) {
			s.Values[i] = append(s.Values[i], nil)
			continue
		}
		if q := one.Quantum; q > 0 {
			x = math.Round(x/q) * q
		}
		s.Values[i] = append(s.Values[i], &x)
	}
}

// send sends the readings taken so far, and the work done.
func (a *agent) send() {
	if len(a.read.At) == 0 {
		return
	}
	s := a.read
	a.read = link.Samples{}
	f := link.Frame{Samples: &s}
	if l := a.running(); l != nil && l.order.ID == s.Order {
		f.Progress = []link.Progress{l.progress()}
	}
	a.client.Send(f)
}

// order takes an order from the server.
func (a *agent) order(ctx context.Context, o link.Order) {
	a.mu.Lock()
	defer a.mu.Unlock()
	switch {
	case o.Do == link.Stop:
		if a.leg != nil && a.leg.order.ID == o.ID {
			a.leg.halt()
		}
	case a.seen[o.ID]:
		// A repetition, sent in case the first one was lost.
	case a.leg != nil:
		a.refuse(o, "the machine is busy with another order")
	default:
		a.begin(ctx, o)
	}
}

func (a *agent) refuse(o link.Order, why string) {
	a.seen[o.ID] = true
	a.client.Send(link.Frame{
		Events:   []link.Event{{Order: o.ID, Kind: verdict.EventRefused, Core: -1, Text: why}},
		Finished: &link.Finished{Order: o.ID, How: link.Refused},
	})
}

// begin starts a leg, once the journal holds that it is about to.
func (a *agent) begin(ctx context.Context, o link.Order) {
	cpus := make([][]int, len(o.Cores))
	for i, core := range o.Cores {
		if core < 0 || core >= len(a.cores) {
			a.refuse(o, fmt.Sprintf("core %d does not exist here", core))
			return
		}
		if a.offNow(core) {
			a.refuse(o, fmt.Sprintf("core %d is switched off", core))
			return
		}
		cpus[i] = a.cores[core].CPUs
	}
	if o.Inject == nil && o.Yardstick == "" {
		o.Inject = a.cfg.Inject
	}
	if err := a.journal.Begin(link.Unending{Order: o.ID, BootID: a.boot, At: a.now()}); err != nil {
		a.refuse(o, "the journal cannot be written: "+err.Error())
		return
	}
	a.seen[o.ID] = true
	l, err := a.newLeg(ctx, o, cpus)
	if err != nil {
		a.refuse(o, err.Error())
		if err := a.journal.End(o.ID); err != nil {
			a.cfg.Log.Error("the journal cannot be written", "error", err)
		}
		return
	}
	a.leg = l
	a.client.Send(link.Frame{Started: &link.Started{Order: o.ID, At: a.now()}})
	a.legs.Go(func() { a.follow(l) })
}

// follow waits for the end of a leg and reports it.
func (a *agent) follow(l *leg) {
	events, finished := l.run()
	a.mu.Lock()
	a.leg = nil
	a.note(l, events)
	a.mu.Unlock()
	if finished == nil { // the journal keeps it open: the next agent tells
		return
	}
	a.client.Send(link.Frame{Events: events, Progress: []link.Progress{l.progress()}, Finished: finished})
	if err := a.journal.End(l.order.ID); err != nil {
		a.cfg.Log.Error("the journal cannot be written", "error", err)
	}
}
