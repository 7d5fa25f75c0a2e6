package server_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"zerokeel/core/channel"
	"zerokeel/core/part"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
	"zerokeel/standin"
)

// otherFan gives the board of a rig a fan that its cooler's sheet does not know, a pump, a fan that is plugged in to another header
// than its speed is told by, and a header with nothing on it.
func otherFan(cfg *standin.Config) {
	cfg.Strays.Fan = &part.Fan{StallDuty: 23, StartDuty: 33, MinRPM: 480, MaxRPM: 1500, MaxNoise: 36}
	cfg.Headers = []standin.Header{{Number: 2, Duty: 100, Fan: &part.Fan{MinRPM: 1500, MaxRPM: 2800, MaxNoise: 30}},
		{Number: 3, Speed: 4, Duty: 40, Fan: &part.Fan{StallDuty: 15, MinRPM: 300, MaxRPM: 1200, MaxNoise: 33}}, {Number: 5, Duty: 50}}
}

// TestQuieterCurve takes a machine whose fan is not the one of its sheet through the whole work: its headers are learnt, a quieter
// curve is proposed, made a trim, fitted and run, and what it settles at is what was said: under its ceilings, and quieter.
func TestQuieterCurve(t *testing.T) {
	rig := servertest.Start(t).AddRig(petrel(t, otherFan), 600)
	one := fmt.Sprintf("/api/rigs/%d", rig.ID)
	legs := []api.LegRequest{servertest.Leg("idle", 900), servertest.Leg("light", 400), servertest.Leg("mixed", 500),
		servertest.Leg("heavy", 900)}
	stock := rig.Trims()[0].Id
	rig.Fit(stock)
	var limits api.Trim
	rig.Call("POST", one+"/trims", map[string]any{"parent": stock, "name": "limits",
		"settings": map[string]any{"limit.ppt": 110, "limit.tdc": 125}}, 201, &limits)
	rig.Fit(limits.Id)
	if run := rig.Ended(rig.Start(api.StartTrialRequest{Legs: legs}).Id); run.Verdict != "held" {
		t.Fatalf("%+v", run)
	}
	var before api.Cooling
	rig.Call("GET", one+"/cooling", nil, 200, &before)
	if before.Known != "sheet" || before.Fan.MaxRPM != 1900 {
		t.Fatalf("the fan is known by %s: %+v", before.Known, before.Fan)
	}
	var headers []api.FanHeader
	rig.Call("GET", one+"/headers", nil, 200, &headers)
	for _, h := range headers {
		var trial api.Trial
		rig.Call("POST", one+"/headers/sweep", map[string]any{"header": h.Key, "pump": h.Key == "duty.fan.2"}, 201, &trial)
		if trial = rig.Ended(trial.Id); trial.Purpose != "sweep" || trial.Verdict != "held" {
			t.Fatalf("%+v", trial)
		}
	}
	rig.Call("GET", one+"/headers", nil, 200, &headers)
	for i, want := range []struct{ role, answers, problem string }{{"cooler", "speed.fan.1", ""}, {"pump", "speed.fan.2", ""},
		{"case", "speed.fan.4", ""}, {"none", "", "no fan answers to this header"}} {
		h := headers[i]
		if h.Role != want.role || (h.Learnt == nil) != (want.answers == "") || h.Learnt != nil && h.Learnt.Answers[0] != want.answers ||
			!strings.Contains(h.Problem, want.problem) {
			t.Errorf("%s: %+v, want %+v", h.Key, h, want)
		}
	}
	if l := headers[0].Learnt; l.Stall != 25 || l.Start != 35 {
		t.Errorf("it stops below 23 %% and starts at 33 %%, found %g and %g", l.Stall, l.Start)
	}
	var c api.Cooling
	rig.Call("GET", one+"/cooling", nil, 200, &c)
	if c.Known != "sweep" || c.Fan.MaxRPM < 1480 || c.Fan.MaxRPM > 1520 || c.Proposed == nil {
		t.Fatalf("%s %+v: %s", c.Known, c.Fan, c.None)
	}
	if c.Proposed.MeanDB > c.Today.MeanDB-0.5 {
		t.Fatalf("%.1f dB(A) is proposed, %.1f is set", c.Proposed.MeanDB, c.Today.MeanDB)
	}
	var quiet api.Trim
	rig.Call("POST", one+"/trims", api.CreateTrimRequest{Parent: limits.Id, Name: "fan curve", Settings: c.Proposed.Changes}, 201, &quiet)
	rig.Fit(quiet.Id)
	run := rig.Ended(rig.Start(api.StartTrialRequest{Legs: legs}).Id)
	if run.Verdict != "held" {
		t.Fatalf("%+v", run)
	}
	var after api.Cooling
	rig.Call("GET", one+"/cooling", nil, 200, &after)
	for i, l := range after.Today.Loads {
		said := c.Proposed.Loads[i]
		if l.Load != said.Load || l.Measured == nil {
			t.Fatalf("%+v, want %s", l, said.Load)
		}
		if off := l.Measured.Value - said.HottestC; off > said.HalfC+1.5 || off < -said.HalfC-1.5 {
			t.Errorf("%s settles at %.1f ± %.1f °C, said was %.1f ± %.1f", l.Load, l.Measured.Value, l.Measured.Half, said.HottestC, said.HalfC)
		}
		if l.Measured.Value > said.CeilingC+0.5 {
			t.Errorf("%s settles at %.1f °C, above its ceiling of %g", l.Load, l.Measured.Value, said.CeilingC)
		}
	}
	var sides api.Comparison
	rig.Call("GET", fmt.Sprintf("/api/comparison?trim=%d,%d", limits.Id, quiet.Id), nil, 200, &sides)
	idle := slices.IndexFunc(sides.Settled, func(r api.SettledRow) bool { return r.Key == channel.Noise && r.Load == "idle" })
	if idle < 0 || *sides.Settled[idle].Sides[0].Value-*sides.Settled[idle].Sides[1].Value < 0.5 {
		t.Errorf("at idle it is not quieter: %+v", sides.Settled)
	}
	var status []api.FanHeader
	rig.Call("PUT", one+"/headers", map[string]any{"header": "duty.fan.3", "role": "cooler"}, 200, &status)
	if status[0].Role != "case" || status[2].Role != "cooler" {
		t.Errorf("two headers are said to be the cooler's: %+v", status)
	}
}

// TestFanIsNotSlowedOnAHotMachine: a sweep that would begin warm is refused with words that stand where the fan is looked at, and
// leaves what was known before.
func TestFanIsNotSlowedOnAHotMachine(t *testing.T) {
	hot := func(cfg *standin.Config) { cfg.AmbientC = 45; cfg.Parts.Cooler.AirKPerW = 2.2 }
	rig := servertest.Start(t).AddRig(petrel(t, hot), 600)
	one := fmt.Sprintf("/api/rigs/%d", rig.ID)
	rig.Fit(rig.Trims()[0].Id)
	rig.Call("PUT", one+"/headers", map[string]any{"header": "duty.fan.1", "entered": map[string]any{"stallDuty": 12,
		"startDuty": 15, "minRPM": 300, "maxRPM": 1400, "maxNoise": 33}}, 200, nil)
	var trial api.Trial
	rig.Call("POST", one+"/headers/sweep", map[string]any{"header": "duty.fan.1"}, 201, &trial)
	if trial = rig.Ended(trial.Id); trial.Verdict == "held" {
		t.Fatal("a fan was slowed on a machine that is hot")
	}
	var headers []api.FanHeader
	rig.Call("GET", one+"/headers", nil, 200, &headers)
	if h := headers[0]; !strings.Contains(h.Problem, "below 60 °C only") || h.Learnt == nil || h.Learnt.Start != 15 || h.Role != "cooler" {
		t.Errorf("%+v", h)
	}
}
