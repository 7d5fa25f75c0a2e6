package servertest

import (
	"context"
	"fmt"
	"log/slog"

	"zerokeel/core/channel"
	"zerokeel/link"
	"zerokeel/server/api"
)

// Fake is a rig without parts whose every word a test chooses: the test speaks the link protocol for it.
type Fake struct {
	*Bench
	ID     int64
	Orders chan link.Order

	taken  map[string]bool
	links  int
	token  string
	hello  link.Hello
	client *link.Client
	end    func()
}

// AddFake adds a rig that reports these channels, and links it. Its clock stands where the hello says.
func (b *Bench) AddFake(name string, channels []channel.Channel) *Fake {
	b.t.Helper()
	var created api.CreatedRig
	b.Call("POST", "/api/rigs", api.CreateRigRequest{Name: name}, 201, &created)
	f := &Fake{Bench: b, ID: created.Rig.Id, token: created.Token, Orders: make(chan link.Order, 16), taken: map[string]bool{}}
	f.hello = link.Hello{Protocol: link.Version, Agent: "test", ClockRate: 1, Simulated: true, Now: 1_800_000_000_000,
		Facts: link.Facts{Host: name, System: "test", Kernel: "1", Processor: "P", Cores: 4, Threads: 4, MemoryMB: 1000}, Channels: channels}
	f.Boot("boot-1", nil)
	b.t.Cleanup(func() { f.end() })
	return f
}

// Boot starts the rig anew under an id, and says how the start before ended.
func (f *Fake) Boot(id string, crash *link.Crash) {
	f.t.Helper()
	f.Pass(600)
	f.hello.BootID, f.hello.Crash = id, crash
	f.dial()
}

func (f *Fake) dial() {
	f.t.Helper()
	if f.end != nil {
		f.end()
	}
	f.links++
	f.hello.Stream = fmt.Sprintf("stream-%d", f.links)
	hello := f.hello
	client := link.NewClient(f.serverOf(f.token), func() link.Hello { return hello }, func(o link.Order) { f.Orders <- o },
		slog.New(slog.DiscardHandler))
	ctx, cancel := context.WithCancel(context.Background())
	done := make(chan struct{})
	go func() { defer close(done); _ = client.Run(ctx) }()
	f.end = func() { cancel(); <-done }
	f.client = client
	f.Until("the fake rig links by its new link", func() bool {
		st := f.Shop.Hub().Status(f.ID)
		return st.Linked && st.Hello.Stream == hello.Stream
	})
}

// BootID is the id of this start of the rig.
func (f *Fake) BootID() string { return f.hello.BootID }

// Relink links the rig again as it is, so that the server knows its clock.
func (f *Fake) Relink() {
	f.t.Helper()
	f.hello.Crash = nil
	f.dial()
}

// Pass lets seconds pass on the rig's clock, as it tells it at its next link.
func (f *Fake) Pass(seconds float64) { f.hello.Now += int64(1000 * seconds) }

// Now is the rig's clock, ms since 1970 UTC.
func (f *Fake) Now() int64 { return f.hello.Now }

// Send sends a frame, and waits until the server holds it.
func (f *Fake) Send(frames ...link.Frame) {
	f.t.Helper()
	for _, one := range frames {
		f.client.Send(one)
	}
	f.Until("the frames are held", func() bool { return f.client.Pending() == 0 })
}

// Hold makes frames that are sent once the server is there.
func (f *Fake) Hold(frames ...link.Frame) {
	for _, one := range frames {
		f.client.Send(one)
	}
}

// Holds is how many frames the server has not stored yet.
func (f *Fake) Holds() int { return f.client.Pending() }

// Order starts a trial of one heavy leg, and returns its order.
func (f *Fake) Order(seconds float64) link.Order {
	f.t.Helper()
	f.Call("POST", fmt.Sprintf("/api/rigs/%d/trials", f.ID), api.StartTrialRequest{Legs: []api.LegRequest{Leg("heavy", seconds)}}, 201, nil)
	return f.next()
}

// Get returns the rig as the API tells it.
func (f *Fake) Get() api.Rig {
	f.t.Helper()
	var out api.Rig
	f.Call("GET", fmt.Sprintf("/api/rigs/%d", f.ID), nil, 200, &out)
	return out
}

// Prove runs a proof of every regime, each for some seconds, which holds, and returns the trial.
func (f *Fake) Prove(seconds float64) api.Trial {
	f.t.Helper()
	legs := []api.LegRequest{Leg("heavy", seconds), Leg("light", seconds), Leg("transition", seconds), Leg("idle", seconds)}
	return f.run(legs, func(o link.Order) {
		f.Send(link.Frame{Started: &link.Started{Order: o.ID, At: f.hello.Now}},
			link.Frame{Finished: &link.Finished{Order: o.ID, How: link.Done, RanS: seconds}})
	})
}

// Heat plays a rig's part in a leg: it grows warmer by the second, and runs to the end.
func (f *Fake) Heat(o link.Order) {
	frames := []link.Frame{{Started: &link.Started{Order: o.ID, At: f.hello.Now}}}
	for i := range int(o.Seconds) {
		warm := 40 + float64(i)/8
		frames = append(frames, link.Frame{Samples: &link.Samples{Order: o.ID, At: []int64{f.hello.Now + int64(1000*i)},
			Channels: []string{channel.Temperature}, Values: [][]*float64{{&warm}}}})
	}
	f.Send(append(frames, link.Frame{Finished: &link.Finished{Order: o.ID, How: link.Done, RanS: o.Seconds}})...)
}

// next returns the next order that is no repetition.
func (f *Fake) next() link.Order {
	for {
		if o := <-f.Orders; !f.taken[o.ID] {
			f.taken[o.ID] = true
			return o
		}
	}
}

// Run runs a trial of one heavy leg; leg plays the rig's part in it.
func (f *Fake) Run(seconds float64, leg func(link.Order)) api.Trial {
	f.t.Helper()
	return f.run([]api.LegRequest{Leg("heavy", seconds)}, leg)
}

func (f *Fake) run(legs []api.LegRequest, leg func(link.Order)) api.Trial {
	f.t.Helper()
	var t api.Trial
	f.Call("POST", fmt.Sprintf("/api/rigs/%d/trials", f.ID), api.StartTrialRequest{Legs: legs}, 201, &t)
	for range legs {
		leg(f.next())
	}
	f.Until("the trial ends", func() bool {
		f.Call("GET", fmt.Sprintf("/api/trials/%d", t.Id), nil, 200, &t)
		return t.Ended
	})
	return t
}
