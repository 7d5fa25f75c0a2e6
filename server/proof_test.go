package server_test

import (
	"encoding/json"
	"fmt"
	"math"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"sync"
	"testing"
	"time"

	"zerokeel/core/channel"
	"zerokeel/link"
	"zerokeel/runner"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
	"zerokeel/standin"
	"zerokeel/store"
)

// TestFreezeAtChangesIsFoundByTheStandardLadder: a rig that passes every heavy load and falls short only when load comes
// and goes fails the ladder's leg for that, and the page is told why. (The demo's Gannet does so at idle.)
func TestFreezeAtChangesIsFoundByTheStandardLadder(t *testing.T) {
	rig := servertest.Start(t).AddRig(petrel(t, func(c *standin.Config) { c.Reserve.Transition = -0.025 }), 1200)
	rig.Fit(rig.Trims()[0].Id)
	heavy := rig.Ended(rig.Start(api.StartTrialRequest{Legs: []api.LegRequest{servertest.Leg("heavy", 600)}}).Id)
	if heavy.Verdict != "held" {
		t.Fatalf("heavy alone: %s: %s", heavy.Verdict, heavy.Why)
	}
	standard := "standard"
	trial := rig.Ended(rig.Start(api.StartTrialRequest{Ladder: &standard}).Id)
	if trial.Name != "Standard, 3 h" || len(trial.Legs) != 9 || trial.Verdict == "held" || trial.Verdict == "void" {
		t.Fatalf("%q of %d legs: %s: %s", trial.Name, len(trial.Legs), trial.Verdict, trial.Why)
	}
	for _, l := range trial.Legs {
		if failed := l.Verdict != "" && l.Verdict != "held"; failed != (l.Load == "transition") || failed && l.Why == "" {
			t.Errorf("the %s leg ended %q: %q", l.Load, l.Verdict, l.Why)
		}
	}
}

// TestMemoryBeyondItsKitFailsTheMemoryLoad: cores that are all right, and a kit that is not.
func TestMemoryBeyondItsKitFailsTheMemoryLoad(t *testing.T) {
	rig := servertest.Start(t).AddRig(petrel(t, func(c *standin.Config) { c.Memory = -0.205 }), 600)
	rig.Fit(rig.Trims()[0].Id)
	trial := rig.Ended(rig.Start(api.StartTrialRequest{Legs: []api.LegRequest{servertest.Leg("heavy", 120),
		servertest.Leg("memory", 600)}}).Id)
	if trial.Legs[0].Verdict != "held" || trial.Legs[1].Verdict == "held" || trial.Core != -1 {
		t.Errorf("heavy %s, memory %s, core %d: %s", trial.Legs[0].Verdict, trial.Legs[1].Verdict, trial.Core, trial.Why)
	}
}

// TestGoingOnAfterAFault: a trial told to go on runs its other legs, and still fails.
func TestGoingOnAfterAFault(t *testing.T) {
	rig := servertest.Start(t).AddRig(petrel(t, nil), 600)
	rig.Fit(rig.Trims()[0].Id)
	faulty := servertest.Leg("heavy", 60)
	faulty.Inject = &api.Inject{Core: 3, AfterS: 5}
	on := true
	trial := rig.Ended(rig.Start(api.StartTrialRequest{GoOn: &on, Legs: []api.LegRequest{faulty, servertest.Leg("integer", 30)}}).Id)
	if trial.Verdict != "miscalculated" || trial.Core != 3 || trial.Legs[1].Verdict != "held" || !trial.Injected {
		t.Errorf("%s on core %d, the second leg %s", trial.Verdict, trial.Core, trial.Legs[1].Verdict)
	}
	hot := servertest.Leg("heavy", 60)
	hot.AbortC = ptr(41.0)
	if trial := rig.Ended(rig.Start(api.StartTrialRequest{Legs: []api.LegRequest{hot}}).Id); trial.Verdict != "stopped" ||
		!strings.Contains(trial.Why, "41") {
		t.Errorf("beyond its abort limit: %s: %s", trial.Verdict, trial.Why)
	}
	cool := servertest.Leg("heavy", 300)
	cool.TargetC = ptr(60.0)
	trial = rig.Ended(rig.Start(api.StartTrialRequest{Legs: []api.LegRequest{cool}}).Id)
	for _, f := range trial.Legs[0].Figures {
		if f.Key == "temperature.package" && (f.Mean > 66 || f.Mean < 54) {
			t.Errorf("held at 60 °C: mean %.1f, peak %.1f", f.Mean, f.Peak)
		}
	}
}

// TestCrashInDailyUseIsHeldAgainstTheTrim: a rig that came back without a shutdown tells so once; what its trim
// stood no longer counts. A crash in the middle of a leg is the trial's.
func TestCrashInDailyUseIsHeldAgainstTheTrim(t *testing.T) {
	f := servertest.Start(t).AddFake("Fake", nil)
	standing := func() string {
		var trims []api.Trim
		f.Call("GET", fmt.Sprintf("/api/rigs/%d/trims", f.ID), nil, 200, &trims)
		return string(trims[0].Standing)
	}
	incidents := func() []api.Incident {
		var list []api.Incident
		f.Call("GET", fmt.Sprintf("/api/rigs/%d/incidents", f.ID), nil, 200, &list)
		return list
	}
	if f.Prove(60); standing() != "tried" {
		t.Fatalf("after a proof that held: %s", standing())
	}
	crash := &link.Crash{BootID: "boot-1", SeenAt: 1_800_000_900_000, Words: "Kernel panic - not syncing"}
	f.Boot("boot-2", crash)
	if list := incidents(); len(list) != 1 || !list[0].Noticed || list[0].Text != crash.Words || list[0].At.UnixMilli() != crash.SeenAt {
		t.Errorf("incidents: %+v", list)
	}
	if standing() != "fitted" {
		t.Errorf("after the incident: %s", standing())
	}
	f.Boot("boot-2b", crash) // the same crash, told again
	if n := len(incidents()); n != 1 {
		t.Errorf("%d incidents after it was told twice", n)
	}
	trial := f.Run(600, func(o link.Order) {
		f.Send(link.Frame{Started: &link.Started{Order: o.ID, At: 1_800_001_000_000}},
			link.Frame{Progress: []link.Progress{{Order: o.ID, AtS: 33, Count: []float64{1, 1, 1, 1}}}})
		f.Boot("boot-3", &link.Crash{BootID: "boot-2b", SeenAt: 1_800_001_033_000, Words: "Kernel panic - not syncing"})
	})
	if trial.Verdict != "restarted" || !strings.Contains(trial.Why, "Kernel panic") || standing() != "failed" {
		t.Errorf("%s: %s; the trim is %s", trial.Verdict, trial.Why, standing())
	}
	if n := len(incidents()); n != 1 {
		t.Errorf("the trial's crash counts as an incident too: %d", n)
	}
	var log []api.LogEntry
	f.Call("GET", fmt.Sprintf("/api/rigs/%d/log?kinds=incident,trial", f.ID), nil, 200, &log)
	if len(log) != 3 || log[0].Kind != "trial" || !log[0].Bad || log[1].Kind != "incident" || log[2].Bad {
		t.Errorf("log: %+v", log)
	}
}

// TestWatchIsRaisedSentAndCleared: figures of daily use raise a watch, which is told on the rig and sent to a receiver
// that fails at first; then all is clear.
func TestWatchIsRaisedSentAndCleared(t *testing.T) {
	var mu sync.Mutex
	var got []runner.Notice
	fails := 1
	receiver := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		defer mu.Unlock()
		if fails > 0 {
			fails--
			w.WriteHeader(http.StatusServiceUnavailable)
			return
		}
		var n runner.Notice
		if err := json.NewDecoder(r.Body).Decode(&n); err != nil {
			t.Error(err)
		}
		got = append(got, n)
	}))
	defer receiver.Close()
	f := servertest.Start(t).AddFake("Fake", []channel.Channel{{Key: "temperature.package", Quantity: "temperature", Label: "Hottest",
		Unit: "°C", Core: -1}})
	f.Call("POST", fmt.Sprintf("/api/rigs/%d/watches", f.ID),
		fmt.Sprintf(`{"rule":{"channel":"temperature.package","when":"above","threshold":90,"margin":5,"delayS":3,"message":"too warm"},
			"send":%q}`, receiver.URL), 201, nil)
	at := int64(1_800_000_000_000)
	feed := func(figures ...float64) {
		s := &link.Samples{Channels: []string{"temperature.package"}, Values: [][]*float64{nil}}
		for _, x := range figures {
			s.At = append(s.At, at)
			s.Values[0] = append(s.Values[0], &x)
			at += 1000
		}
		f.Send(link.Frame{Samples: s})
	}
	feed(80, 95, 95, 89, 95, 95, 95, 96)
	if raised := f.Get().Raised; len(raised) != 1 || raised[0] != "too warm" {
		t.Fatalf("raised: %v", raised)
	}
	feed(88, 84, 84, 84, 84)
	if raised := f.Get().Raised; len(raised) != 0 {
		t.Errorf("still raised: %v", raised)
	}
	f.Until("both changes have arrived", func() bool { mu.Lock(); defer mu.Unlock(); return len(got) == 2 })
	mu.Lock()
	defer mu.Unlock()
	byState := map[bool]runner.Notice{got[0].Raised: got[0], got[1].Raised: got[1]}
	if n := byState[true]; n.Message != "too warm" || n.Value != 96 || n.Unit != "°C" || n.Rig != "Fake" || n.ID == 0 {
		t.Errorf("raised: %+v", n)
	}
	if n := byState[false]; n.ID == byState[true].ID || n.Value != 84 {
		t.Errorf("all clear: %+v", n)
	}
}

// TestDoubledVoltageIsNoticedAndPutRight: a rig's sensor shows twice the voltage, which no sheet tells of. It is proposed to
// halve it; then the pages, the figures of new trials and the export show what was meant, and what is stored stays.
func TestDoubledVoltageIsNoticedAndPutRight(t *testing.T) {
	f := servertest.Start(t).AddFake("Fake", []channel.Channel{
		{Key: "voltage.core.requested", Quantity: "voltage", Label: "Requested", Unit: "V", Core: -1},
		{Key: "voltage.core.delivered", Quantity: "voltage", Label: "Delivered", Unit: "V", Core: -1},
	})
	v, twice := 1.2, 2.3
	run := func() (mean, shown float64) {
		trial := f.Run(60, func(o link.Order) {
			start := int64(1_800_000_600_000)
			s := &link.Samples{Order: o.ID, Channels: []string{"voltage.core.requested", "voltage.core.delivered"}, Values: make([][]*float64, 2)}
			for i := range int64(60) {
				s.At = append(s.At, start+1000*i)
				s.Values[0], s.Values[1] = append(s.Values[0], &v), append(s.Values[1], &twice)
			}
			f.Send(link.Frame{Started: &link.Started{Order: o.ID, At: start}}, link.Frame{Samples: s},
				link.Frame{Finished: &link.Finished{Order: o.ID, How: link.Done, RanS: 60}})
		})
		for _, one := range trial.Legs[0].Figures {
			if one.Key == "voltage.core.delivered" {
				mean = one.Mean
			}
		}
		var seen api.Telemetry
		f.Call("GET", fmt.Sprintf("/api/trials/%d/telemetry?keys=voltage.core.delivered&buckets=1", trial.Id), nil, 200, &seen)
		return mean, seen.Channels[0].Mean[0]
	}
	corrections := func() []api.Correction {
		var list []api.Correction
		f.Call("GET", fmt.Sprintf("/api/rigs/%d/corrections", f.ID), nil, 200, &list)
		return list
	}
	if mean, shown := run(); mean != 2.3 || shown != 2.3 {
		t.Fatalf("as read: %g and %g", mean, shown)
	}
	// first is what the first leg's figures tell now: forecasts learn from them.
	first := func() float64 {
		var trials []api.Trial
		f.Call("GET", fmt.Sprintf("/api/rigs/%d/trials", f.ID), nil, 200, &trials)
		for _, one := range trials[len(trials)-1].Legs[0].Figures {
			if one.Key == "voltage.core.delivered" {
				return math.Round(one.Mean*1e9) / 1e9
			}
		}
		return 0
	}
	list := corrections()
	if len(list) != 1 || list[0].Source != "proposed" || list[0].Scale != 0.5 || !strings.Contains(list[0].Reason, "2.300 V") {
		t.Fatalf("proposed: %+v", list)
	}
	for _, c := range []api.CorrectionRequest{{Scale: 2, Shift: -1, Reason: "a slip"}, {Scale: 0.5, Shift: 0.01, Reason: list[0].Reason}} {
		f.Call("PUT", fmt.Sprintf("/api/rigs/%d/corrections/voltage.core.delivered", f.ID), c, 200, nil)
		if got, want := first(), math.Round((2.3*c.Scale+c.Shift)*1e9)/1e9; got != want {
			t.Errorf("%+v makes %g of 2.3 V that was summed up before, want %g", c, got, want)
		}
	}
	if mean, shown := run(); mean != 1.16 || shown != 1.16 {
		t.Errorf("put right: %g and %g", mean, shown)
	}
	if list := corrections(); len(list) != 1 || list[0].Source != "rig" {
		t.Errorf("after it was put right: %+v", list)
	}
	f.Call("DELETE", fmt.Sprintf("/api/rigs/%d/corrections/voltage.core.delivered", f.ID), nil, 204, nil)
	if _, shown := run(); shown != 2.3 || first() != 2.3 {
		t.Errorf("what is stored changed: %g, %g", shown, first())
	}
}

// TestLogIsReadPageByPage: however many things happened, and several at one moment, the pages hold each once.
func TestLogIsReadPageByPage(t *testing.T) {
	f := servertest.Start(t).AddFake("Fake", nil)
	f.Prove(60)
	trims, err := f.Store.Trims(t.Context(), f.ID)
	if err != nil {
		t.Fatal(err)
	}
	at := time.UnixMilli(1_800_000_100_000).UTC()
	for i := range 430 {
		incident := &store.Incident{RigID: f.ID, TrimID: trims[0].ID, Kind: "glitch", Note: fmt.Sprint(i),
			CreatedAt: at.Add(time.Duration(i/3) * time.Minute)}
		if err := f.Store.AddIncident(t.Context(), incident); err != nil {
			t.Fatal(err)
		}
	}
	seen, query, pages := map[string]int{}, "", 0
	for {
		var page []api.LogEntry
		f.Call("GET", fmt.Sprintf("/api/rigs/%d/log%s", f.ID, query), nil, 200, &page)
		for i, e := range page {
			seen[string(e.Kind)+e.Title+e.Text]++
			if i > 0 && e.At.After(page[i-1].At) {
				t.Fatalf("%s follows %s", e.At, page[i-1].At)
			}
		}
		if pages++; len(page) < 100 {
			break
		}
		query = "?before=" + url.QueryEscape(page[len(page)-1].At.Format(time.RFC3339Nano))
	}
	if len(seen) != 432 || pages != 3 {
		t.Errorf("%d entries on %d pages, want 432 on 3", len(seen), pages)
	}
	for what, times := range seen {
		if times != 1 {
			t.Errorf("%s stands %d times", what, times)
		}
	}
}

// TestDailyUseIsCounted: the hours for which a rig is up under its trim, outside trials, are told beside what it stood, and an incident
// takes them away. Of a stand-in in which nothing fails between legs there is none.
func TestDailyUseIsCounted(t *testing.T) {
	bench := servertest.Start(t)
	bench.Rest = 200
	spared := bench.AddRig(petrel(t, func(c *standin.Config) { c.Name, c.Weaker = "Spared", nil }), 1200)
	spared.Fit(spared.Trims()[0].Id)
	bench.Rest = 0
	rig := bench.AddRig(petrel(t, func(c *standin.Config) { c.Weaker = nil }), 1200)
	rig.Fit(rig.Trims()[0].Id)
	used := func() float64 {
		if p := rig.Trims()[0].Proof; p != nil {
			return p.Used.StoodS
		}
		return 0
	}
	rig.Until("an hour of daily use is noted", func() bool { return used() > 3600 })
	if p := rig.Trims()[0].Proof; p.Next != "tried" || math.Abs(p.Used.BoundS/p.Used.StoodS-1/2.9957) > 1e-3 {
		t.Errorf("%+v", p)
	}
	if p := spared.Trims()[0].Proof; p != nil && p.Used.StoodS > 0 {
		t.Errorf("where nothing can fail, %g s of daily use are counted", p.Used.StoodS)
	}
	before := used()
	rig.Call("POST", fmt.Sprintf("/api/rigs/%d/incidents", rig.ID), map[string]any{"kind": "froze", "text": "while nobody looked"}, 201, nil)
	if after := used(); after >= before {
		t.Errorf("%g s before the incident, %g s after it", before, after)
	}
}

// TestSensorIsHeldAgainstTheRequest: a voltage sensor that is off by any factor is found over the loads of a ladder, with its doubt, and
// a right one is left alone.
func TestSensorIsHeldAgainstTheRequest(t *testing.T) {
	bench := servertest.Start(t)
	for name, scale := range map[string]float64{"right": 1, "a tenth high": 1.1, "a third low": 0.67} {
		cfg := petrel(t, func(c *standin.Config) {
			c.Weaker, c.Sensors = nil, map[string]standin.SensorOverride{channel.DeliveredVoltage: {Scale: scale}}
		})
		cfg.Name = strings.ReplaceAll(name, " ", "-")
		rig := bench.AddRig(cfg, 1200)
		rig.Fit(rig.Trims()[0].Id)
		legs := []api.LegRequest{servertest.Leg("heavy", 240), servertest.Leg("mixed", 200), servertest.Leg("light", 200),
			servertest.Leg("idle", 300)}
		if trial := rig.Ended(rig.Start(api.StartTrialRequest{Legs: legs}).Id); trial.Verdict != "held" {
			t.Fatalf("%s: %+v", name, trial)
		}
		var list []api.Correction
		rig.Call("GET", fmt.Sprintf("/api/rigs/%d/corrections", rig.ID), nil, 200, &list)
		switch {
		case scale == 1 && len(list) > 0:
			t.Errorf("%s: %+v", name, list)
		case scale != 1 && (len(list) != 1 || list[0].Source != "proposed" || math.Abs(list[0].Scale*scale-1) > 0.03 ||
			!strings.Contains(list[0].Reason, "±")):
			t.Errorf("%s: %+v", name, list)
		}
	}
}
