package server_test

import (
	"fmt"
	"os"
	"testing"

	"zerokeel/core/part"
	"zerokeel/core/trim"
	"zerokeel/demo/rigs"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
	"zerokeel/standin"
	"zerokeel/store/storetest"
)

func TestMain(m *testing.M) { os.Exit(storetest.Main(m)) }

func petrel(t testing.TB, change func(*standin.Config)) *standin.Config {
	t.Helper()
	cfg := example(t, "petrel")
	if change != nil {
		change(cfg)
	}
	return cfg
}

// TestFromStockToAProvenChange walks the whole path: stock, a trim, fitting, trial, scores, comparison.
func TestFromStockToAProvenChange(t *testing.T) {
	rig := servertest.Start(t).AddRig(petrel(t, nil), 600)
	stock := rig.Trims()[0]
	if f := rig.Fit(stock.Id); f.State != "in force" || len(f.Differences) != 0 {
		t.Fatalf("fitting stock: %+v", f)
	}
	score := api.StartTrialRequest{Purpose: ptr(api.StartTrialRequestPurposeScore),
		Legs: []api.LegRequest{{Yardstick: ptr("burst")}, {Yardstick: ptr("burst")}, {Yardstick: ptr("burst")}}}
	if trial := rig.Ended(rig.Start(score).Id); trial.Verdict != "held" || trial.Legs[len(trial.Legs)-1].Score == nil {
		t.Fatalf("scores at stock: %+v", trial)
	}
	var changed api.Trim
	rig.Call("POST", fmt.Sprintf("/api/rigs/%d/trims", rig.ID), api.CreateTrimRequest{
		Parent: stock.Id, Name: "limits", Settings: trim.Settings{"limit.ppt": part.Number(142), "limit.tdc": part.Number(125),
			"limit.edc": part.Number(180), "curve.all": part.Number(-10)}}, 201, &changed)
	if f := rig.Fit(changed.Id); f.State != "in force" {
		t.Fatalf("fitting T1: %+v", f)
	}
	trial := rig.Ended(rig.Start(api.StartTrialRequest{Legs: []api.LegRequest{servertest.Leg("heavy", 120), servertest.Leg("light", 64),
		servertest.Leg("transition", 60)}}).Id)
	if trial.Verdict != "held" || trial.Legs[0].Limiters["sustained power"] < 0.5 {
		t.Fatalf("proof of T1: %+v", trial)
	}
	got := rig.Trims()[1]
	if got.Standing != "fitted" || got.Proof == nil || got.Proof.Next != "tried" || got.Proof.Lacks != "60 s of idling" {
		t.Errorf("without having been tried at idle: %+v", got)
	}
	missing := rig.Ended(rig.Start(api.StartTrialRequest{Ladder: ptr("missing")}).Id)
	if len(missing.Legs) != 1 || missing.Legs[0].Load != "idle" || missing.Name != "What is missing to tried" {
		t.Errorf("what was missing: %+v", missing)
	}
	if trial := rig.Ended(rig.Start(score).Id); trial.Verdict != "held" {
		t.Fatalf("scores of T1: %+v", trial)
	}
	var c api.Comparison
	rig.Call("GET", fmt.Sprintf("/api/comparison?trim=%d,%d", stock.Id, changed.Id), nil, 200, &c)
	rows := map[string]api.ComparisonRow{}
	if len(c.Tables) != 1 || len(c.Tables[0].Left) > 0 || c.Tables[0].Sessions != 2 || c.Tables[0].Interleaved {
		t.Errorf("%+v", c.Tables)
	}
	for _, r := range c.Tables[0].Rows {
		rows[r.Key] = r
	}
	for _, key := range []string{"power.package", "perWatt"} {
		if r := rows[key]; !r.Pairs[0].Shown || !r.Pairs[0].Gain || r.Sides[0].N != 3 {
			t.Errorf("%s: %+v, want a gain that is shown", key, r)
		}
	}
	for _, key := range []string{"temperature.peak", "temperature.above"} {
		if r := rows[key]; r.Pairs[0].Judged || r.Pairs[0].Shown || r.Sides[0].N != 3 {
			t.Errorf("%s of runs of seconds: %+v, want it unjudged", key, r)
		}
	}
	var telemetry api.Telemetry
	for i, leg := range trial.Legs { // how long the pauses between legs are depends on this machine
		rig.Call("GET", fmt.Sprintf("/api/trials/%d/telemetry?buckets=10&fromS=%g&toS=%g", trial.Id, *leg.StartS, *leg.StartS+leg.RanS),
			nil, 200, &telemetry)
		if len(telemetry.Channels) != 12+3*8+4+2*2 || len(telemetry.Channels[0].T) != 10 {
			t.Errorf("leg %d: %d channels of %d points", i, len(telemetry.Channels), len(telemetry.Channels[0].T))
		}
	}
	if got := rig.Trims()[1]; got.Standing != "tried" || !got.InForce || got.Points == nil || got.Proof.Next != "held" {
		t.Errorf("T1 at the end: %+v", got)
	}
}

func ptr[T any](v T) *T { return &v }

// example returns a stand-in of the demo.
func example(t testing.TB, name string) *standin.Config {
	t.Helper()
	text, err := rigs.Standin(name)
	if err != nil {
		t.Fatal(err)
	}
	cfg, err := standin.ParseConfig(text)
	if err != nil {
		t.Fatal(err)
	}
	return cfg
}

// TestNewTokenEndsTheOldLink: a rig that is linked by a token that has been renewed is cut, and does not come back by it.
func TestNewTokenEndsTheOldLink(t *testing.T) {
	f := servertest.Start(t).AddFake("lost laptop", nil)
	first := f.Shop.Hub().Status(f.ID).LinkedAt
	f.Call("POST", fmt.Sprintf("/api/rigs/%d/token", f.ID), nil, 200, nil)
	f.Until("the link is cut", func() bool { return !f.Shop.Hub().Status(f.ID).Linked })
	if again := f.Shop.Hub().Status(f.ID).LinkedAt; !again.Equal(first) {
		t.Error("it was linked by the old token once more")
	}
}
