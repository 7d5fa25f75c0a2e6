package link_test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"math"
	"net/http"
	"net/http/httptest"
	"os"
	"runtime"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/santhosh-tekuri/jsonschema/v6"

	"zerokeel/core/channel"
	"zerokeel/core/fan"
	"zerokeel/core/invalid"
	"zerokeel/core/load"
	"zerokeel/core/part"
	"zerokeel/core/verdict"
	"zerokeel/link"
)

func hello() link.Hello {
	return link.Hello{Protocol: link.Version, Agent: "test", Stream: "s1", BootID: "b1", Now: 1, ClockRate: 1, Facts: link.Facts{Cores: 2},
		Channels: []channel.Channel{{Key: "power.package", Quantity: "power", Unit: "W", Core: -1}}}
}

func ptr(x float64) *float64 { return &x }

func TestDecodeNamesEveryFault(t *testing.T) {
	rows := []struct {
		name, text string
		fields     []string
	}{
		{"good beat", `{"beat":{"now":1}}`, nil},
		{"good frame", `{"frame":{"seq":1,"samples":{"at":[1,2],"channels":["a"],"values":[[1,null]]}}}`, nil},
		{"nothing", `{}`, []string{""}},
		{"two parts", `{"beat":{"now":1},"ack":{"seq":1}}`, []string{""}},
		{"no JSON", `{"frame":`, []string{""}},
		{"unknown field", `{"frame":{"seq":1,"smaples":{}}}`, []string{"frame.smaples"}},
		{"frame without a number", `{"frame":{"seq":0}}`, []string{"frame.seq"}},
		{"ragged samples", `{"frame":{"seq":1,"samples":{"at":[1,2],"channels":["a","b"],"values":[[1]]}}}`,
			[]string{"frame.samples.values", "frame.samples.values[0]"}},
		{"time goes back", `{"frame":{"seq":1,"samples":{"at":[2,1],"channels":[],"values":[]}}}`, []string{"frame.samples.at[1]"}},
		{"event of no kind", `{"frame":{"seq":1,"events":[{"order":"","kind":"boom","atS":-1,"core":-2}]}}`,
			[]string{"frame.events[0].order", "frame.events[0].kind", "frame.events[0].atS", "frame.events[0].core"}},
		{"other protocol", `{"hello":{"protocol":9,"agent":"x","stream":"s","bootId":"b","now":1,"clockRate":1,"simulated":false,
			"facts":{"host":"","system":"","kernel":"","processor":"","cores":2,"threads":0,"memoryMB":0},
			"channels":[]}}`, []string{"hello.protocol"}},
		{"order without load", `{"order":{"id":"x","do":"run","cores":[0],"seconds":10}}`, []string{"order.load"}},
		{"order of a core twice", `{"order":{"id":"x","do":"run","load":"heavy","cores":[3,0,3,-1],"seconds":10,
			"inject":{"core":5,"afterS":-1}}}`,
			[]string{"order.cores[2]", "order.cores[3]", "order.inject.afterS", "order.inject.core"}},
		{"sweep under load", `{"order":{"id":"x","do":"run","load":"heavy","cores":[0],"seconds":10,
			"sweep":{"header":"speed.fan.1","duties":[120],"dwellS":8,"maxC":80}}}`,
			[]string{"order.sweep.header", "order.sweep.duties[0]", "order.sweep"}},
		{"ask for all and some", `{"ask":{"id":"","set":{"boost":"off","x":1.5,"y":true},"restore":true}}`,
			[]string{"ask.id", "ask.set", "ask.set", "ask.set"}},
		{"number past the range", `{"frame":{"seq":1,"finished":{"order":"x","how":"done","ranS":1e999}}}`, []string{"frame.finished.ranS"}},
	}
	for _, row := range rows {
		t.Run(row.name, func(t *testing.T) {
			_, err := link.Decode([]byte(row.text))
			var faults invalid.List
			if err != nil && !errors.As(err, &faults) {
				t.Fatalf("%v is no list of faults", err)
			}
			var fields []string
			for _, f := range faults {
				fields = append(fields, f.Field)
			}
			if strings.Join(fields, " ") != strings.Join(row.fields, " ") {
				t.Errorf("got %q, want %q", fields, row.fields)
			}
		})
	}
}

// TestSchemaDescribesTheMessages holds the published JSON Schema against what the package writes and refuses.
func TestSchemaDescribesTheMessages(t *testing.T) {
	text, err := os.ReadFile("../docs/link-protocol.schema.json")
	if err != nil {
		t.Fatal(err)
	}
	doc, err := jsonschema.UnmarshalJSON(strings.NewReader(string(text)))
	if err != nil {
		t.Fatal(err)
	}
	compiler := jsonschema.NewCompiler()
	if err := compiler.AddResource("link.json", doc); err != nil {
		t.Fatal(err)
	}
	schema, err := compiler.Compile("link.json")
	if err != nil {
		t.Fatal(err)
	}
	h := hello()
	h.Journal = []link.Unending{{Order: "o", BootID: "b0", At: 5}}
	h.Crash = &link.Crash{BootID: "b0", SeenAt: 5, Words: "w"}
	h.Headers = []link.Header{{Key: "duty.fan.1", Label: "Fan header 1"}}
	covered := 1.0
	score := 12.5
	h.Asked, h.Powers = true, true
	h.Facts.Microcode, h.Facts.Board, h.Facts.Firmware = "0x1", "Skerry M1", "1.4.2"
	h.Facts.Modules = []link.Module{{Slot: "A2", Part: "Cairn", SizeMB: 16384, RatedMTs: 6000, MTs: 4800, MilliV: 1100}}
	messages := []link.Message{
		{Ask: &link.Ask{ID: "a"}}, {Ask: &link.Ask{ID: "a", Set: map[string]any{"boost": "off", "short": 90000}}},
		{Ask: &link.Ask{ID: "a", Restore: true}}, {Ask: &link.Ask{ID: "a", Power: link.Restart}},
		{Answer: &link.Answer{ID: "a", Faults: invalid.List{{Field: "boost", Problem: "p", Remedy: "r"}}, Offer: link.Offer{
			Settings: []part.BoardSetting{{Setting: "clock.boost"}}, Now: map[string]any{"boost": "off"}, Found: map[string]any{},
			Cores: []part.ToldCore{{Threads: 2, MinMHz: 800, MaxMHz: 4700}}}}},
		{Hello: &h}, {Welcome: &link.Welcome{Rig: "x", Last: 3}}, {Ack: &link.Ack{Seq: 1}}, {Beat: &link.Beat{Now: 1}},
		{Refusal: &link.Refusal{Problem: "p", Remedy: "r"}},
		{Order: &link.Order{ID: "o", Do: link.Run, Load: "heavy", Cores: []int{0}, Seconds: 5, Width: "512", MemoryMB: 5, AbortC: 95,
			TargetC: 80, Inject: &link.Inject{Core: 0, AfterS: 1, Seed: 7}, Trim: "T2 Second", Step: 3, Of: 7}},
		{Order: &link.Order{ID: "o", Do: link.Stop}},
		{Order: &link.Order{ID: "o", Do: link.Run, Load: "idle", Cores: []int{0}, Seconds: 5, Sweep: new(fan.Usual("duty.fan.1", 0))}},
		{Frame: &link.Frame{Seq: 1, Samples: &link.Samples{Order: "o", At: []int64{1}, Channels: []string{"a"}, Values: [][]*float64{{nil}}},
			Events:   []link.Event{{Order: "o", Kind: "miscalculated", AtS: 1, Core: 2, Injected: true, Text: "t"}},
			Progress: []link.Progress{{Order: "o", AtS: 1, Count: []float64{1}}},
			Started:  &link.Started{Order: "o", At: 1}, Finished: &link.Finished{Order: "o", How: link.Done, RanS: 2, Score: &score, Others: 0.1,
				Coverage: &covered},
			Limiters: &link.LimiterCounts{Order: "o"}}},
	}
	for _, kind := range load.Kinds {
		messages = append(messages, link.Message{Order: &link.Order{ID: "o", Do: link.Run, Load: kind, Cores: []int{0}, Seconds: 5}})
	}
	for _, kind := range []verdict.EventKind{verdict.EventMiscalculated, verdict.EventCorrected, verdict.EventUncorrected,
		verdict.EventStalled, verdict.EventOverheated,
		verdict.EventThrottled, verdict.EventSensorLost, verdict.EventLowMemory, verdict.EventPanic, verdict.EventRefused} {
		if !kind.Reported() {
			t.Errorf("%s may not be reported", kind)
		}
		messages = append(messages, link.Message{Frame: &link.Frame{Seq: 1, Events: []link.Event{{Order: "o", Kind: kind, Core: -1}}}})
	}
	for _, m := range messages {
		text, err := link.Encode(m)
		if err != nil {
			t.Fatal(err)
		}
		value, err := jsonschema.UnmarshalJSON(strings.NewReader(string(text)))
		if err != nil {
			t.Fatal(err)
		}
		if err := schema.Validate(value); err != nil {
			t.Errorf("%s\n%v", text, err)
		}
	}
	for _, bad := range []string{`{}`, `{"beat":{}}`, `{"frame":{"seq":0}}`, `{"order":{"id":"","do":"run"}}`,
		`{"ack":{"seq":1},"beat":{"now":1}}`} {
		value, _ := jsonschema.UnmarshalJSON(strings.NewReader(bad))
		if schema.Validate(value) == nil {
			t.Errorf("the schema allows %s", bad)
		}
	}
}

// TestOddIsTamed: a figure that nothing can have is a gap, a moment or a text too long for the record is cut, and the message is taken;
// the clock of a rig, and what it has of cores, must be right.
func TestOddIsTamed(t *testing.T) {
	h, frame := hello(), link.Frame{Seq: 1}
	h.Facts.Host, h.Channels[0].Unit, h.Channels[0].Core, h.Channels[0].Quantum = strings.Repeat("h", 9999), "W\x00\n", 1<<40, -1
	frame.Samples = &link.Samples{At: []int64{-5, 1 << 60}, Channels: []string{"a"}, Values: [][]*float64{{ptr(1.7e308), ptr(3)}}}
	frame.Started, frame.Events = &link.Started{Order: "o", At: math.MinInt64}, []link.Event{{Order: "o", Kind: "miscalculated", Core: -1,
		Text: strings.Repeat("\u00e9\u202e", 1000)}}
	frame.Progress = []link.Progress{{Order: "o", Count: []float64{-1, 1.7e308}}}
	frame.Finished = &link.Finished{Order: "o", How: link.Done, RanS: 1, Score: ptr(-1e300)}
	over := func(m link.Message) link.Message {
		t.Helper()
		text, err := link.Encode(m)
		if err != nil {
			t.Fatal(err)
		}
		got, err := link.Decode(text)
		if err != nil {
			t.Fatal(err)
		}
		return got
	}
	gotH, got := over(link.Message{Hello: &h}).Hello, over(link.Message{Frame: &frame}).Frame
	if c := gotH.Channels[0]; len(gotH.Facts.Host) != 120 || c.Unit != "W " || c.Core != -1 || c.Quantum != 0 {
		t.Errorf("hello: %d bytes of a name, %+v", len(gotH.Facts.Host), c)
	}
	if s := got.Samples; s.Values[0][0] != nil || *s.Values[0][1] != 3 || s.At[0] != 0 || time.UnixMilli(s.At[1]).UTC().Year() > 9998 ||
		got.Started.At != 0 {
		t.Errorf("samples: %+v, started %d", s, got.Started.At)
	}
	if text := got.Events[0].Text; text != strings.Repeat("\u00e9", 500) || got.Finished.Score != nil {
		t.Errorf("%d bytes of text, score %v", len(text), got.Finished.Score)
	}
	if c := got.Progress[0].Count; c[0] != 0 || c[1] != 1e18 {
		t.Errorf("counts %v", c)
	}
	for field, bad := range map[string]func(*link.Hello){"hello.now": func(h *link.Hello) { h.Now = 1 << 60 },
		"hello.facts.cores":     func(h *link.Hello) { h.Facts.Cores = 0 },
		"hello.channels[0].key": func(h *link.Hello) { h.Channels[0].Key = "a\n" }} {
		h := hello()
		bad(&h)
		text, err := link.Encode(link.Message{Hello: &h})
		if err != nil {
			t.Fatal(err)
		}
		if _, err := link.Decode(text); err == nil || !strings.Contains(err.Error(), field) {
			t.Errorf("%s: %v", field, err)
		}
	}
}

func FuzzDecode(f *testing.F) {
	for _, seed := range []string{`{"beat":{"now":1}}`, `{"frame":{"seq":1,"samples":{"at":[1],"channels":["a"],"values":[[1]]}}}`,
		`{"order":{"id":"x","do":"stop"}}`, `{"frame":{"seq":1,"samples":{"at":[9],"channels":["a"],"values":[[-1.7e308]]}}}`} {
		f.Add([]byte(seed))
	}
	f.Fuzz(func(t *testing.T, text []byte) {
		m, err := link.Decode(text)
		if err != nil {
			return
		}
		if fr := m.Frame; fr != nil && fr.Samples != nil {
			for _, row := range fr.Samples.Values {
				for _, v := range row {
					if v != nil && !channel.Possible(*v) {
						t.Errorf("%g was let in", *v)
					}
				}
			}
		}
		again, err := link.Encode(m)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := link.Decode(again); err != nil {
			t.Errorf("%s was accepted, but not what is written of it: %v", text, err)
		}
	})
}

// until waits until something holds.
func until(ctx context.Context, t *testing.T, what string, holds func() bool) {
	t.Helper()
	for !holds() {
		if ctx.Err() != nil {
			t.Fatalf("waited in vain until %s", what)
		}
		runtime.Gosched()
	}
}

// memory is a sink that keeps frames as the store does, and can be told to fail.
type memory struct {
	mu     sync.Mutex
	seen   []uint64
	last   uint64
	fail   int
	hellos int
	grew   chan struct{}
}

func (m *memory) Hello(context.Context, int64, *link.Hello) (uint64, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.hellos++
	return m.last, nil
}

func (m *memory) greeted() int {
	m.mu.Lock()
	defer m.mu.Unlock()
	return m.hellos
}

func (m *memory) held() uint64 {
	m.mu.Lock()
	defer m.mu.Unlock()
	return m.last
}

func (m *memory) Frames(_ context.Context, _ int64, _ string, frames []link.Frame) (uint64, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.fail > 0 {
		m.fail--
		return 0, errors.New("the disk is full")
	}
	for _, f := range frames {
		if f.Seq == m.last+1 {
			m.last = f.Seq
			m.seen = append(m.seen, f.Seq)
		}
	}
	select {
	case m.grew <- struct{}{}:
	default:
	}
	return m.last, nil
}

func (m *memory) Changed(int64) {}

// rigOf returns the client of a rig that links to a hub, and how long it may run.
func rigOf(t *testing.T, hub *link.Hub) (*link.Client, context.Context, context.CancelFunc) {
	t.Helper()
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { hub.Serve(w, r, 1, "test") }))
	t.Cleanup(server.Close)
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	to := link.Server{Address: server.URL, Token: "token"}
	return link.NewClient(to, hello, func(link.Order) {}, slog.New(slog.DiscardHandler)), ctx, cancel
}

// TestNoFrameIsLostOrDoubled sends frames while storing fails and links are cut again and again.
func TestNoFrameIsLostOrDoubled(t *testing.T) {
	sink := &memory{fail: 4, grew: make(chan struct{}, 1)}
	hub := link.NewHub(sink, slog.New(slog.DiscardHandler))
	client, ctx, cancel := rigOf(t, hub)
	defer cancel()
	done := make(chan error, 1)
	go func() { done <- client.Run(ctx) }()
	const frames = 300
	for i := range frames {
		client.Send(link.Frame{Samples: &link.Samples{At: []int64{int64(i)}, Channels: []string{"power.package"},
			Values: [][]*float64{{ptr(1)}}}})
		if i%100 == 50 {
			hub.Close()
		}
	}
	for {
		sink.mu.Lock()
		n := sink.last
		sink.mu.Unlock()
		if n == frames {
			break
		}
		select {
		case <-sink.grew:
		case <-ctx.Done():
			t.Fatalf("%d of %d frames arrived", n, frames)
		}
	}
	cancel()
	<-done
	for i, seq := range sink.seen {
		if seq != uint64(i+1) {
			t.Fatalf("frame %d at place %d", seq, i)
		}
	}
	if sink.hellos < 3 {
		t.Errorf("only %d links: the test cut none", sink.hellos)
	}
}

// slow is a sink that stores nothing before it is told to.
type slow struct {
	changes
	asked, hello, frames chan struct{}
}

func (s *slow) Hello(ctx context.Context, rig int64, h *link.Hello) (uint64, error) {
	s.asked <- struct{}{}
	<-s.hello
	return s.changes.Hello(ctx, rig, h)
}

func (s *slow) Frames(ctx context.Context, rig int64, stream string, frames []link.Frame) (uint64, error) {
	<-s.frames
	return s.changes.Frames(ctx, rig, stream, frames)
}

// TestASlowStoreIsNoSilence: while what a rig said waits to be stored, the rig counts as heard.
func TestASlowStoreIsNoSilence(t *testing.T) {
	sink := &slow{changes{memory{grew: make(chan struct{}, 1)}, make(chan struct{}, 8)}, make(chan struct{}, 1),
		make(chan struct{}), make(chan struct{})}
	hub := link.NewHub(sink, slog.New(slog.DiscardHandler))
	client, ctx, cancel := rigOf(t, hub)
	defer cancel()
	go func() { _ = client.Run(ctx) }()
	<-sink.asked
	if st := hub.Status(1); !st.Greeted || st.Linked {
		t.Errorf("with a hello that waits: %+v", st)
	}
	close(sink.hello)
	<-sink.linked
	until(ctx, t, "the greeting is over", func() bool { return !hub.Status(1).Greeted })
	const frames = 1000 // more than are taken in at once
	for range frames {
		client.Send(link.Frame{})
	}
	heardNow := 0
	until(ctx, t, "frames that wait are a sign of life", func() bool {
		if now := time.Now(); hub.Status(1).Heard.Before(now) {
			heardNow = 0
		} else {
			heardNow++
		}
		return heardNow > 100
	})
	close(sink.frames)
	until(ctx, t, "every frame is stored", func() bool {
		sink.mu.Lock()
		defer sink.mu.Unlock()
		return sink.last == frames
	})
	if st := hub.Status(1); !st.Linked || !st.Heard.Before(time.Now()) {
		t.Errorf("when all is stored: %+v", st)
	}
}

// TestRefusals: a wrong token ends the client with words; a malformed message is refused with its faults.
// TestWhoSaysTooMuchHoldsOnlyItselfUp: a rig that says more than it may is read no further, which is no silence, also when it dials
// again; others are.
func TestWhoSaysTooMuchHoldsOnlyItselfUp(t *testing.T) {
	sinks := map[int64]*memory{1: {grew: make(chan struct{}, 1)}, 2: {grew: make(chan struct{}, 1)}}
	hub := link.NewHub(perRig(sinks), slog.New(slog.DiscardHandler))
	hub.SetPace(1, 4000) // a byte a second after the first ones
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	clients := map[int64]*link.Client{}
	for rig := range sinks {
		clients[rig] = dialling(ctx, t, hub, rig)
	}
	for range 3 {
		clients[1].Send(link.Frame{Events: []link.Event{{Order: "o", Kind: verdict.EventCorrected, Text: strings.Repeat("x", 1800)}}})
	}
	until(ctx, t, "the first rig has said too much", func() bool { return hub.Behind(1) })
	clients[2].Send(link.Frame{})
	until(ctx, t, "the second one's frame is in", func() bool { return sinks[2].held() == 1 })
	if n := sinks[1].held(); n >= 3 {
		t.Errorf("%d frames of the first rig are in", n)
	}
	hub.Cut(1)
	until(ctx, t, "it says as much over its next link", func() bool { return hub.Status(1).LinkedAt.After(hub.Status(2).LinkedAt) && hub.Behind(1) })
	if n := sinks[1].held(); n >= 3 {
		t.Errorf("%d frames of the first rig are in once it has dialled again", n)
	}
}

// TestAFrozenMachineDialsNoMore: whose machine stands still does not come back when its link is lost, until it takes leave with words
// on their way.
func TestAFrozenMachineDialsNoMore(t *testing.T) {
	sinks := map[int64]*memory{1: {grew: make(chan struct{}, 1)}, 2: {grew: make(chan struct{}, 1)}}
	hub := link.NewHub(perRig(sinks), slog.New(slog.DiscardHandler))
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	clients := map[int64]*link.Client{}
	for rig := range sinks {
		clients[rig] = dialling(ctx, t, hub, rig)
	}
	until(ctx, t, "both are linked", func() bool { return len(hub.Linked()) == 2 })
	clients[1].Mute()
	clients[1].Send(link.Frame{}) // which a machine that stands still would not
	for round := range 3 {
		hub.Close()
		until(ctx, t, "the other one is linked again", func() bool { return sinks[2].greeted() == round+2 && hub.Status(2).Linked })
	}
	if n := sinks[1].greeted(); n != 1 {
		t.Errorf("it was greeted %d times", n)
	}
	clients[1].Leave(func() {}, time.Minute)
	until(ctx, t, "it takes leave", func() bool { return sinks[1].greeted() == 2 })
}

// dialling runs a client of a rig against a hub.
func dialling(ctx context.Context, t *testing.T, hub *link.Hub, rig int64) *link.Client {
	t.Helper()
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { hub.Serve(w, r, rig, "test") }))
	t.Cleanup(server.Close)
	client := link.NewClient(link.Server{Address: server.URL}, hello, func(link.Order) {}, slog.New(slog.DiscardHandler))
	go func() { _ = client.Run(ctx) }()
	return client
}

// perRig hands each rig's words to a sink of its own.
type perRig map[int64]*memory

func (p perRig) Hello(ctx context.Context, rig int64, h *link.Hello) (uint64, error) {
	return p[rig].Hello(ctx, rig, h)
}

func (p perRig) Frames(ctx context.Context, rig int64, stream string, frames []link.Frame) (uint64, error) {
	return p[rig].Frames(ctx, rig, stream, frames)
}

func (p perRig) Changed(rig int64) { p[rig].Changed(rig) }

func TestRefusals(t *testing.T) {
	denied := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(http.StatusUnauthorized) }))
	defer denied.Close()
	client := link.NewClient(link.Server{Address: denied.URL, Token: "wrong"}, hello, func(link.Order) {}, slog.New(slog.DiscardHandler))
	var refusal *link.Refusal
	if err := client.Run(t.Context()); !errors.As(err, &refusal) || !strings.Contains(refusal.Remedy, "token") {
		t.Errorf("wrong token: %v", err)
	}
	hub := link.NewHub(&memory{grew: make(chan struct{}, 1)}, slog.New(slog.DiscardHandler))
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { hub.Serve(w, r, 1, "test") }))
	defer server.Close()
	bad := hello()
	bad.Protocol, bad.Stream = 7, ""
	client = link.NewClient(link.Server{Address: server.URL}, func() link.Hello { return bad }, nil, slog.New(slog.DiscardHandler))
	if err := client.Run(t.Context()); !errors.As(err, &refusal) || !strings.Contains(refusal.Problem, "hello.protocol") ||
		!strings.Contains(refusal.Problem, "hello.stream") {
		t.Errorf("malformed hello: %v", err)
	}
}

// TestOrdersArrive: an order reaches the rig once it is linked, and not before.
func TestOrdersArrive(t *testing.T) {
	linked := make(chan struct{}, 8)
	sink := &changes{memory{grew: make(chan struct{}, 1)}, linked}
	hub := link.NewHub(sink, slog.New(slog.DiscardHandler))
	if err := hub.Order(1, link.Order{ID: "early"}); !errors.Is(err, link.ErrNotLinked) {
		t.Errorf("order to nobody: %v", err)
	}
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { hub.Serve(w, r, 1, "test") }))
	defer server.Close()
	orders := make(chan link.Order, 1)
	client := link.NewClient(link.Server{Address: server.URL}, hello, func(o link.Order) { orders <- o }, slog.New(slog.DiscardHandler))
	ctx, cancel := context.WithCancel(context.Background())
	defer cancel()
	go func() { _ = client.Run(ctx) }()
	<-linked
	want := link.Order{ID: "o1", Do: link.Run, Load: "heavy", Cores: []int{0, 1}, Seconds: 10}
	if err := hub.Order(1, want); err != nil {
		t.Fatal(err)
	}
	got := <-orders
	a, _ := json.Marshal(got)
	b, _ := json.Marshal(want)
	if string(a) != string(b) {
		t.Errorf("got %s, want %s", a, b)
	}
	if s := hub.Status(1); !s.Linked || s.Hello.BootID != "b1" {
		t.Errorf("status: %+v", s)
	}
}

type changes struct {
	memory
	linked chan struct{}
}

func (c *changes) Changed(int64) { c.linked <- struct{}{} }

// TestDeliverHandsOverWhatWasKept: frames of an earlier process arrive though storing fails at first, those that the server
// holds already are not sent twice, and Deliver returns when all are held.
func TestDeliverHandsOverWhatWasKept(t *testing.T) {
	sink := &memory{fail: 2, last: 4, grew: make(chan struct{}, 1)}
	hub := link.NewHub(sink, slog.New(slog.DiscardHandler))
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { hub.Serve(w, r, 1, "test") }))
	defer server.Close()
	var frames []link.Frame
	for seq := uint64(3); seq <= 9; seq++ {
		frames = append(frames, link.Frame{Seq: seq})
	}
	to := link.Server{Address: server.URL, Token: "token"}
	if err := link.Deliver(t.Context(), to, hello(), frames, slog.New(slog.DiscardHandler)); err != nil {
		t.Fatal(err)
	}
	if got := fmt.Sprint(sink.seen); got != "[5 6 7 8 9]" {
		t.Errorf("the server got %s", got)
	}
}
