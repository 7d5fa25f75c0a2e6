package server_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"zerokeel/core/part"
	"zerokeel/core/trim"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
	"zerokeel/standin"
)

// TestEveryWayToFail drives a stand-in into each kind of fault by its physics: what the trim, or the chip itself,
// leaves of the reserve in a regime. The seed decides among the outcomes that the regime has.
func TestEveryWayToFail(t *testing.T) {
	weakest := func(core int, by standin.Reserve) func(*standin.Config) {
		return func(c *standin.Config) { c.SlopeV, c.Weaker = 0, map[int]standin.Reserve{core: by} }
	}
	far := servertest.Leg("heavy", 900)
	far.AbortC = ptr(120.0) // beyond the trip; otherwise the application would end it before
	rows := []struct {
		name     string
		chip     func(*standin.Config)
		seed     uint64
		settings trim.Settings
		leg      api.LegRequest
		verdict  string
		core     int
		why      string
	}{
		{"miscalculated", weakest(3, standin.Reserve{Heavy: 0.125}), 1, nil, servertest.Leg("heavy", 300), "miscalculated", 3, "wrong result"},
		{"core dropped", weakest(3, standin.Reserve{Heavy: 0.105}), 53, nil, servertest.Leg("heavy", 300), "core dropped", 3, "no progress"},
		{"froze", weakest(2, standin.Reserve{Transition: 0.32}), 1, nil, servertest.Leg("transition", 300), "froze", -1,
			"the board says the machine is up"},
		{"restarted", weakest(2, standin.Reserve{Transition: 0.32}), 6, nil, servertest.Leg("transition", 300), "restarted", -1,
			"restarted by itself"},
		{"overheated", func(c *standin.Config) { c.Weaker, c.Strays.CoolerR = nil, 0.9 }, 1, trim.Settings{
			"limit.temperature": part.Number(115), "limit.ppt": part.Number(400), "limit.tdc": part.Number(300), "limit.edc": part.Number(300),
		}, far, "overheated", -1, "switched the machine off"},
	}
	bench := servertest.Start(t)
	for _, row := range rows {
		t.Run(row.name, func(t *testing.T) {
			cfg := petrel(t, row.chip)
			cfg.Name, cfg.Seed = strings.ReplaceAll(row.name, " ", "-"), row.seed
			if row.chip == nil {
				cfg.Weaker = nil
			}
			rig := bench.For(t).AddRig(cfg, 600)
			first := rig.Trims()[0].Id
			if row.settings != nil {
				var made api.Trim
				rig.Call("POST", fmt.Sprintf("/api/rigs/%d/trims", rig.ID),
					api.CreateTrimRequest{Parent: first, Name: row.name, Settings: row.settings}, 201, &made)
				first = made.Id
			}
			if f := rig.Fit(first); f.State != "in force" {
				t.Fatalf("fitting: %+v", f)
			}
			trial := rig.Ended(rig.Start(api.StartTrialRequest{Legs: []api.LegRequest{row.leg}}).Id)
			if trial.Verdict != row.verdict || trial.Core != row.core || !strings.Contains(trial.Why, row.why) {
				t.Errorf("got %s, core %d, %q; want %s, core %d, %q", trial.Verdict, trial.Core, trial.Why, row.verdict, row.core, row.why)
			}
			rig.Until("the machine is back", func() bool { return rig.Get().State == "idle" })
			for _, trim := range rig.Trims() {
				if trim.Id == first && trim.Standing != "failed" {
					t.Errorf("the trim stands %s after %s", trim.Standing, trial.Verdict)
				}
			}
		})
	}
}

// TestNoPost: settings far too low keep the machine from coming up; they are cleared, and stock is in force.
func TestNoPost(t *testing.T) {
	rig := servertest.Start(t).AddRig(petrel(t, nil), 600)
	stock := rig.Trims()[0]
	if f := rig.Fit(stock.Id); f.State != "in force" {
		t.Fatalf("fitting stock: %+v", f)
	}
	settings := trim.Settings{"curve.all": part.Number(-30)}
	for core := range 8 {
		settings[fmt.Sprintf("curve.core.%d", core)] = part.Number(-30)
	}
	var deep api.Trim
	rig.Call("POST", fmt.Sprintf("/api/rigs/%d/trims", rig.ID),
		api.CreateTrimRequest{Parent: stock.Id, Name: "far too deep", Settings: settings}, 201, &deep)
	if f := rig.Fit(deep.Id); f.State != "no POST" || !strings.Contains(f.Problem, "cleared") {
		t.Fatalf("fitting: %+v, want no POST", f)
	}
	trims := rig.Trims()
	if !trims[0].InForce || trims[1].Standing != "failed" || trims[1].Verdict != "no POST" {
		t.Errorf("afterwards: %+v", trims)
	}
	if state := rig.Get().State; state != "idle" {
		t.Errorf("the rig is %s, want idle", state)
	}
}

// TestServerGoesOnWhereItWas stops and starts the server in the middle of a fitting and of a trial.
func TestServerGoesOnWhereItWas(t *testing.T) {
	rig := servertest.Start(t).AddRig(petrel(t, nil), 60)
	var f api.Fitting
	rig.Call("POST", fmt.Sprintf("/api/rigs/%d/fittings", rig.ID), api.FitRequest{Trim: rig.Trims()[0].Id}, 201, &f)
	rig.Stop()
	rig.Resume()
	rig.Until("the fitting ends", func() bool {
		rig.Call("GET", fmt.Sprintf("/api/fittings/%d", f.Id), nil, 200, &f)
		return f.Ended
	})
	if f.State != "in force" {
		t.Fatalf("fitting: %+v", f)
	}
	trial := rig.Start(api.StartTrialRequest{Legs: []api.LegRequest{servertest.Leg("mixed", 90), servertest.Leg("idle", 60)}})
	for _, goal := range []float64{20, 60, 100} {
		rig.Until("the trial moves on", func() bool { return rig.Trial(trial.Id).DoneS >= goal })
		rig.Stop()
		rig.Resume()
	}
	if got := rig.Ended(trial.Id); got.Verdict != "held" {
		t.Errorf("trial: %s, %s", got.Verdict, got.Why)
	}
}

// TestPassedStop: a stop that is the builder's risk is passed by whoever says why, which stays on the record; nonsense never is. A
// board without limits has its baseline all the same, under an end that the application sets.
func TestPassedStop(t *testing.T) {
	rig := servertest.Start(t).AddRig(example(t, "skua"), 600)
	stock := rig.Trims()[0]
	if f := rig.Fit(stock.Id); f.State != "in force" {
		t.Fatalf("as delivered: %+v", f)
	}
	trial := rig.Ended(rig.Start(api.StartTrialRequest{Legs: []api.LegRequest{servertest.Leg("heavy", 900)}}).Id)
	if leg := trial.Legs[0]; leg.AbortC == nil || *leg.AbortC != 101 || trial.Verdict == "overheated" {
		t.Errorf("the baseline of a board without limits: %s, %+v", trial.Verdict, leg)
	}
	if got := rig.Trims()[0]; got.Standing == "failed" {
		t.Errorf("stock: %s", got.Standing)
	}
	make := func(settings trim.Settings) int64 {
		var made api.Trim
		rig.Call("POST", fmt.Sprintf("/api/rigs/%d/trims", rig.ID), api.CreateTrimRequest{Parent: stock.Id, Name: "x", Settings: settings}, 201,
			&made)
		return made.Id
	}
	path := fmt.Sprintf("/api/rigs/%d/fittings", rig.ID)
	risky := make(trim.Settings{"voltage.core.mode": part.Choice(trim.Fixed), "voltage.core.fixed": part.Number(1.49)})
	rig.Call("POST", path, api.FitRequest{Trim: risky}, 409, nil)
	rig.Call("POST", path, api.FitRequest{Trim: risky, Despite: ptr("because")}, 409, nil)
	var f api.Fitting
	rig.Call("POST", path, api.FitRequest{Trim: risky, Despite: ptr("a short look at the rail with a meter")}, 201, &f)
	rig.Until("it is fitted", func() bool {
		rig.Call("GET", fmt.Sprintf("/api/fittings/%d", f.Id), nil, 200, &f)
		return f.Ended
	})
	if !strings.Contains(f.Despite, "meter") {
		t.Errorf("%+v", f)
	}
	var journal []api.LogEntry
	rig.Call("GET", fmt.Sprintf("/api/rigs/%d/log", rig.ID), nil, 200, &journal)
	if !slices.ContainsFunc(journal, func(e api.LogEntry) bool { return strings.Contains(e.Text, "with a meter") }) {
		t.Errorf("nothing is on the record: %+v", journal)
	}
}
