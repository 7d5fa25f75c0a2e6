package runner_test

import (
	"context"
	"database/sql"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"os"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"zerokeel/core/channel"
	"zerokeel/core/part"
	"zerokeel/core/proof"
	"zerokeel/core/trim"
	"zerokeel/core/verdict"
	"zerokeel/demo/rigs"
	"zerokeel/keys"
	"zerokeel/link"
	"zerokeel/runner"
	"zerokeel/standin"
	"zerokeel/store"
	"zerokeel/store/storetest"
	"zerokeel/workshop"
)

func TestMain(m *testing.M) { os.Exit(storetest.Main(m)) }

// rate is the clock rate that the scripted agent claims, so that waits are as short as they get.
const rate = 1000

// bench is a runner with one rig, whose board and agent do exactly what a test tells them.
type bench struct {
	t     *testing.T
	store *store.Store
	shop  *workshop.Workshop
	run   *runner.Runner
	rig   *store.Rig
	stock int64
	board *board
	url   string
	dsn   string
}

// board answers as the Redfish service of a stand-in, but for what a test overrides.
type board struct {
	mu       sync.Mutex
	inner    http.Handler
	override map[string]http.HandlerFunc // by method and path
	changes  []string
}

func (b *board) ServeHTTP(w http.ResponseWriter, q *http.Request) {
	b.mu.Lock()
	handler := b.override[q.Method+" "+q.URL.Path]
	if q.Method != http.MethodGet {
		b.changes = append(b.changes, q.URL.Path[strings.LastIndex(q.URL.Path, "/")+1:])
	}
	b.mu.Unlock()
	if handler != nil {
		handler(w, q)
		return
	}
	b.inner.ServeHTTP(w, q)
}

func (b *board) set(request string, h http.HandlerFunc) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.override[request] = h
}

func (b *board) did() string {
	b.mu.Lock()
	defer b.mu.Unlock()
	return strings.Join(b.changes, " ")
}

func answer(status int, body string) http.HandlerFunc {
	return func(w http.ResponseWriter, _ *http.Request) {
		w.WriteHeader(status)
		_, _ = io.WriteString(w, body)
	}
}

// system answers as a machine in a certain state.
func system(power, progress, health string) http.HandlerFunc {
	return answer(200, fmt.Sprintf(`{"PowerState":%q,"BootProgress":{"LastState":%q},"Status":{"Health":%q},"Bios":{"@odata.id":"%s/Bios"},
		"Actions":{"#ComputerSystem.Reset":{"target":"%s/Actions/ComputerSystem.Reset"}}}`, power, progress, health, systemPath, systemPath))
}

const systemPath = "/redfish/v1/Systems/1"

func start(t *testing.T, withBoard bool) *bench {
	t.Helper()
	text, err := rigs.Standin("petrel")
	if err != nil {
		t.Fatal(err)
	}
	cfg, err := standin.ParseConfig(text)
	if err != nil {
		t.Fatal(err)
	}
	sim, err := standin.NewRig(cfg, standin.Options{Speed: 1})
	if err != nil {
		t.Fatal(err)
	}
	s, dsns := storetest.OpenDSN(t)
	b := &bench{t: t, store: s, dsn: dsns[0], board: &board{inner: sim.Handler(), override: map[string]http.HandlerFunc{}}}
	service := httptest.NewServer(b.board)
	t.Cleanup(service.Close)
	b.shop = workshop.New(b.store, slog.New(slog.DiscardHandler), keys.Passing())
	b.run = runner.New(b.shop, b.store, slog.New(slog.DiscardHandler))
	hub := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { b.shop.Hub().Serve(w, r, b.rig.ID, "rig") }))
	t.Cleanup(hub.Close)
	b.url = hub.URL
	b.rig = &store.Rig{Name: "Petrel", TokenHash: make([]byte, 32)}
	if withBoard {
		b.rig.FirmwareAddress = service.URL
		p := cfg.Parts
		for _, one := range []struct {
			kind, id string
			to       *sql.NullString
			sheet    any
		}{{"processor", p.Processor.ID, &b.rig.Processor, p.Processor}, {"board", p.Board.ID, &b.rig.Board, p.Board},
			{"cooler", p.Cooler.ID, &b.rig.Cooler, p.Cooler}, {"memory", p.Memory.ID, &b.rig.Memory, p.Memory}} {
			sheet, err := store.AsJSON(one.sheet).Value()
			if err != nil {
				t.Fatal(err)
			}
			if err := b.store.PutPart(t.Context(), store.Part{Kind: one.kind, ID: one.id, Name: one.id, Sheet: []byte(sheet.(string))},
				func(*store.Part) error { return nil }); err != nil {
				t.Fatal(err)
			}
			*one.to = sql.NullString{String: one.id, Valid: true}
		}
	}
	first := &store.Trim{Name: "stock", Settings: store.AsJSON(trim.Stock(cfg.Parts.Processor, cfg.Parts.Board))}
	if err := b.store.CreateRig(t.Context(), b.rig, first, true); err != nil {
		t.Fatal(err)
	}
	b.stock = first.ID
	ctx, cancel := context.WithCancel(context.Background())
	var all sync.WaitGroup
	all.Go(func() { _ = b.shop.Run(ctx) })
	all.Go(func() { _ = b.run.Run(ctx) })
	t.Cleanup(func() { cancel(); all.Wait() })
	return b
}

// agent links a scripted agent; orders arrive on its channel.
type agent struct {
	*link.Client
	orders chan link.Order
	end    context.CancelFunc
}

func (b *bench) agent(boot, stream string) *agent { return b.busyAgent(boot, stream, "") }

// busyAgent links a scripted agent that runs an order.
func (b *bench) busyAgent(boot, stream, running string) *agent {
	b.t.Helper()
	a := &agent{orders: make(chan link.Order, 16)}
	hello := func() link.Hello {
		return link.Hello{Protocol: link.Version, Agent: "script", Stream: stream, BootID: boot, Now: time.Now().UnixMilli(), ClockRate: rate,
			Running: running, Facts: link.Facts{Cores: 2},
			Channels: []channel.Channel{{Key: "power.package", Quantity: "power", Unit: "W", Quantum: 0.5, Core: -1}}}
	}
	a.Client = link.NewClient(link.Server{Address: b.url}, hello, func(o link.Order) { a.orders <- o }, slog.New(slog.DiscardHandler))
	var ctx context.Context
	ctx, a.end = context.WithCancel(context.Background())
	done := make(chan struct{})
	go func() { defer close(done); _ = a.Run(ctx) }()
	b.t.Cleanup(func() { a.end(); <-done })
	b.until("the agent links", func() bool {
		s := b.shop.Hub().Status(b.rig.ID)
		return s.Linked && s.Hello.Stream == stream
	})
	return a
}

func (b *bench) until(what string, holds func() bool) {
	b.t.Helper()
	tick := time.NewTicker(10 * time.Millisecond)
	defer tick.Stop()
	end := time.After(time.Minute)
	for !holds() {
		select {
		case <-tick.C:
		case <-end:
			b.t.Fatalf("waited in vain until %s", what)
		}
	}
}

// trial starts a trial of one heavy leg and returns it once it has ended, and what happens meanwhile is up to during.
func (b *bench) trial(during func(order link.Order), orders chan link.Order) *store.Trial {
	b.t.Helper()
	t := &store.Trial{RigID: b.rig.ID, TrimID: b.stock, Purpose: store.PurposeProof}
	if err := b.store.CreateTrial(b.t.Context(), t, []store.Leg{{LegSpec: store.LegSpec{Load: "heavy", Cores: store.AsJSON([]int{0, 1}),
		Seconds: 10}}}); err != nil {
		b.t.Fatal(err)
	}
	during(<-orders)
	b.until("the trial ends", func() bool {
		now, err := b.store.Trial(b.t.Context(), t.ID)
		if err != nil {
			b.t.Fatal(err)
		}
		t = now
		return t.State == store.TrialEnded
	})
	return t
}

func TestTrialVerdictsFromSilenceAndBoard(t *testing.T) {
	rows := []struct {
		name    string
		during  func(b *bench, a *agent, o link.Order)
		want    verdict.Verdict
		why     string
		changes string // what the board was asked to do
	}{
		{"held", func(_ *bench, a *agent, o link.Order) {
			a.Send(link.Frame{Started: &link.Started{Order: o.ID, At: 1000}})
			a.Send(link.Frame{Finished: &link.Finished{Order: o.ID, How: link.Done, RanS: 10}})
		}, verdict.Held, "1 of 1 legs held", ""},
		{"stalled core seen in its counts alone", func(_ *bench, a *agent, o link.Order) {
			a.Send(link.Frame{Started: &link.Started{Order: o.ID, At: 1000}})
			for s := range 10 {
				a.Send(link.Frame{Progress: []link.Progress{{Order: o.ID, AtS: float64(s),
					Count: []float64{float64(100 * s), float64(100 * min(s, 3))}}}})
			}
			a.Send(link.Frame{Finished: &link.Finished{Order: o.ID, How: link.Done, RanS: 10}})
		}, verdict.CoreDropped, "core 1 made no progress", ""},
		{"refused by the rig", func(_ *bench, a *agent, o link.Order) {
			a.Send(link.Frame{Events: []link.Event{{Order: o.ID, Kind: verdict.EventRefused, Core: -1, Text: "too hot here"}},
				Finished: &link.Finished{Order: o.ID, How: link.Refused}})
		}, verdict.Void, "too hot here", ""},
		{"agent started anew on a machine that stayed up", func(b *bench, a *agent, _ link.Order) {
			a.end()
			b.agent("boot-1", "stream-2")
		}, verdict.Void, "the agent was started anew", ""},
		{"machine came back by itself", func(b *bench, a *agent, _ link.Order) {
			a.end()
			b.agent("boot-2", "stream-2")
		}, verdict.Restarted, "restarted by itself", ""},
		{"froze", func(b *bench, a *agent, _ link.Order) {
			b.board.set("GET "+systemPath, system("On", "OSRunning", "OK"))
			b.board.set("POST "+systemPath+"/Actions/ComputerSystem.Reset", func(w http.ResponseWriter, _ *http.Request) {
				w.WriteHeader(204)
				go b.agent("boot-2", "stream-2")
			})
			a.Mute()
		}, verdict.Froze, "the board says the machine is up", "ComputerSystem.Reset"},
		{"froze, and its board is wrong twice", func(b *bench, a *agent, _ link.Order) {
			off, up, asked := system("Off", "None", "OK"), system("On", "OSRunning", "OK"), 0
			b.board.set("GET "+systemPath, func(w http.ResponseWriter, q *http.Request) {
				if asked++; asked <= 2 {
					off(w, q)
					return
				}
				up(w, q)
			})
			b.board.set("POST "+systemPath+"/Actions/ComputerSystem.Reset", func(w http.ResponseWriter, _ *http.Request) {
				w.WriteHeader(204)
				go b.agent("boot-2", "stream-2")
			})
			a.Mute()
		}, verdict.Froze, "the board says the machine is up", "ComputerSystem.Reset"},
		{"switched itself off", func(b *bench, a *agent, _ link.Order) {
			b.board.set("GET "+systemPath, system("Off", "None", "OK"))
			b.board.set("POST "+systemPath+"/Actions/ComputerSystem.Reset", func(w http.ResponseWriter, _ *http.Request) {
				w.WriteHeader(204)
				go b.agent("boot-2", "stream-2")
			})
			a.end()
		}, verdict.Overheated, "switched the machine off", "ComputerSystem.Reset"},
		{"does not come up again", func(b *bench, a *agent, _ link.Order) {
			b.board.set("GET "+systemPath, system("On", "MemoryInitializationStarted", "Critical"))
			b.board.set("POST "+systemPath+"/Actions/ComputerSystem.Reset", func(w http.ResponseWriter, _ *http.Request) {
				w.WriteHeader(204)
				go b.agent("boot-2", "stream-2")
			})
			a.end()
		}, verdict.NoPost, "does not come up", "Bios.ResetBios ComputerSystem.Reset"},
	}
	for _, row := range rows {
		t.Run(row.name, func(t *testing.T) {
			t.Parallel()
			b := start(t, true)
			a := b.agent("boot-1", "stream-1")
			trial := b.trial(func(o link.Order) { row.during(b, a, o) }, a.orders)
			if trial.Result.V.Verdict != row.want || !strings.Contains(trial.Result.V.Why, row.why) {
				t.Errorf("got %s, %q; want %s, %q", trial.Result.V.Verdict, trial.Result.V.Why, row.want, row.why)
			}
			if did := b.board.did(); did != row.changes {
				t.Errorf("the board was asked %q, want %q", did, row.changes)
			}
			stands, err := b.store.Trim(t.Context(), b.stock)
			if err != nil {
				t.Fatal(err)
			}
			want := proof.Fitted // of what held too: one regime proves nothing of the others
			if row.want.Failed() {
				want = proof.Failed
			}
			if stands.Standing != want {
				t.Errorf("the trim stands %s, want %s", stands.Standing, want)
			}
		})
	}
}

// TestWithoutABoard: nothing can be told of a silent rig until it is back; then its boot id tells.
func TestWithoutABoard(t *testing.T) {
	b := start(t, false)
	a := b.agent("boot-1", "stream-1")
	trial := b.trial(func(link.Order) {
		a.end()
		b.agent("boot-2", "stream-2")
	}, a.orders)
	if trial.Result.V.Verdict != verdict.Restarted {
		t.Errorf("got %s, want restarted", trial.Result.V.Verdict)
	}
}

// TestOrderIsRepeatedUntilItIsTaken: an order that got lost is sent again, with the same id.
func TestOrderIsRepeatedUntilItIsTaken(t *testing.T) {
	b := start(t, true)
	a := b.agent("boot-1", "stream-1")
	trial := b.trial(func(first link.Order) {
		again := <-a.orders
		if again.ID != first.ID {
			t.Errorf("the repetition has another id: %s, %s", again.ID, first.ID)
		}
		a.Send(link.Frame{Started: &link.Started{Order: first.ID, At: 1}})
		a.Send(link.Frame{Finished: &link.Finished{Order: first.ID, How: link.Done, RanS: 10}})
	}, a.orders)
	if trial.Result.V.Verdict != verdict.Held {
		t.Errorf("got %s", trial.Result.V.Verdict)
	}
}

// TestAnUnknownOrderIsStoppedFirst: a rig that runs what no record tells of, as after a restored backup, is told to stop that, and gets
// its leg once it has.
func TestAnUnknownOrderIsStoppedFirst(t *testing.T) {
	b := start(t, true)
	a := b.busyAgent("boot-1", "stream-1", "lost")
	trial := b.trial(func(first link.Order) {
		if first.Do != link.Stop || first.ID != "lost" {
			t.Fatalf("the first order is %+v", first)
		}
		a.Send(link.Frame{Finished: &link.Finished{Order: "lost", How: link.Halted}})
		for first.Do == link.Stop {
			first = <-a.orders
		}
		a.Send(link.Frame{Started: &link.Started{Order: first.ID, At: 1}})
		a.Send(link.Frame{Finished: &link.Finished{Order: first.ID, How: link.Done, RanS: 10}})
	}, a.orders)
	if trial.Result.V.Verdict != verdict.Held {
		t.Errorf("got %s: %s", trial.Result.V.Verdict, trial.Result.V.Why)
	}
}

// fit runs a fitting of a trim to its end.
func (b *bench) fit(trimID int64) *store.Fitting {
	b.t.Helper()
	f := &store.Fitting{RigID: b.rig.ID, TrimID: trimID, BootBefore: "boot-1", RigClock: time.Now()}
	if err := b.store.CreateFitting(b.t.Context(), f); err != nil {
		b.t.Fatal(err)
	}
	b.until("the fitting ends", func() bool {
		now, err := b.store.Fitting(b.t.Context(), f.ID)
		if err != nil {
			b.t.Fatal(err)
		}
		f = now
		return f.State.Ended()
	})
	return f
}

func TestFittingOnBoardsThatMisbehave(t *testing.T) {
	comesBack := func(b *bench) {
		b.board.set("POST "+systemPath+"/Actions/ComputerSystem.Reset", func(w http.ResponseWriter, _ *http.Request) {
			w.WriteHeader(204)
			go b.agent("boot-2", "stream-2")
		})
	}
	rows := []struct {
		name    string
		board   func(b *bench)
		state   store.FittingState
		problem string
		inForce bool // some trim is known to be in force afterwards
	}{
		{"fails inside while staging", func(b *bench) {
			b.board.set("PATCH "+systemPath+"/Bios/Settings", answer(500, ""))
		}, store.FitFailed, "the board answers 500", true},
		{"refuses the settings", func(b *bench) {
			b.board.set("PATCH "+systemPath+"/Bios/Settings", answer(400,
				`{"error":{"@Message.ExtendedInfo":[{"Message":"Locked by the administrator."}]}}`))
		}, store.FitFailed, "Locked by the administrator.", true},
		{"has lost an attribute", func(b *bench) {
			b.board.set("GET /redfish/v1/Registries/BiosAttributeRegistryStandIn.v1_0_0/registry.json",
				answer(200, `{"RegistryEntries":{"Attributes":[]}}`))
		}, store.FitFailed, "does not take this trim; nothing was changed", true},
		{"does not restart", func(b *bench) {
			b.board.set("POST "+systemPath+"/Actions/ComputerSystem.Reset", answer(409, ""))
		}, store.FitFailed, "the board answers 409", true},
		{"restarts without an answer", func(b *bench) {
			b.board.set("POST "+systemPath+"/Actions/ComputerSystem.Reset", func(http.ResponseWriter, *http.Request) {
				go b.agent("boot-2", "stream-2")
				panic(http.ErrAbortHandler)
			})
		}, store.FitDiffers, "settings are not in force as asked", false},
		{"is out of its mind for a while after the restart", func(b *bench) {
			comesBack(b)
			var asked atomic.Int32
			texts := []string{"[]", "<html>", `{"Attri`}
			b.board.set("GET "+systemPath+"/Bios", func(w http.ResponseWriter, q *http.Request) {
				if n := int(asked.Load()); strings.Contains(b.board.did(), "Reset") && n < len(texts) {
					asked.Add(1)
					_, _ = io.WriteString(w, texts[n])
					return
				}
				b.board.inner.ServeHTTP(w, q)
			})
		}, store.FitDiffers, "settings are not in force as asked", false},
		{"reads back another value", func(b *bench) {
			comesBack(b)
			b.board.set("GET "+systemPath+"/Bios", answer(200, `{"AttributeRegistry":"BiosAttributeRegistryStandIn.v1_0_0",
				"Attributes":{"CurveShiftAll":-3},
				"@Redfish.Settings":{"SettingsObject":{"@odata.id":"`+systemPath+`/Bios/Settings"}}}`))
		}, store.FitDiffers, "settings are not in force as asked", false},
		{"never comes up, and cannot be cleared from here", func(b *bench) {
			b.board.set("POST "+systemPath+"/Actions/ComputerSystem.Reset", func(w http.ResponseWriter, _ *http.Request) {
				w.WriteHeader(204)
				b.board.set("GET "+systemPath, system("On", "MemoryInitializationStarted", "Critical"))
			})
			b.board.set("POST "+systemPath+"/Bios/Actions/Bios.ResetBios", answer(404, ""))
		}, store.FitNoPost, "clear the CMOS at the board", false},
	}
	for _, row := range rows {
		t.Run(row.name, func(t *testing.T) {
			t.Parallel()
			b := start(t, true)
			b.agent("boot-1", "stream-1")
			deeper := &store.Trim{RigID: b.rig.ID, Name: "deeper", ParentID: sql.NullInt64{Int64: b.stock, Valid: true}}
			stock, err := b.store.Trim(t.Context(), b.stock)
			if err != nil {
				t.Fatal(err)
			}
			deeper.Settings = store.AsJSON(stock.Settings.V.With(trim.Settings{"curve.all": part.Number(-10)}))
			if err := b.store.CreateTrim(t.Context(), deeper); err != nil {
				t.Fatal(err)
			}
			row.board(b)
			f := b.fit(deeper.ID)
			if f.State != row.state || !strings.Contains(f.Problem, row.problem) {
				t.Errorf("got %s, %q; want %s, %q", f.State, f.Problem, row.state, row.problem)
			}
			if f.State == store.FitDiffers && len(f.Differences.V) == 0 {
				t.Error("no differences are listed")
			}
			rig, err := b.store.Rig(t.Context(), b.rig.ID)
			if err != nil {
				t.Fatal(err)
			}
			if rig.TrimInForce.Valid != row.inForce || (row.inForce && rig.TrimInForce.Int64 != b.stock) {
				t.Errorf("in force afterwards: %+v", rig.TrimInForce)
			}
		})
	}
}
