package server_test

import (
	"fmt"
	"testing"

	"zerokeel/core/part"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
)

// TestABeginningAfterItsKin: what held on one of a kind is offered to another that was never tuned, with the settings of its own board and
// a depth that is recommended for its own chip and not the other's; what was made of an offer is a draft. A rig that is alone, and one
// on which something of its own held, are offered nothing.
func TestABeginningAfterItsKin(t *testing.T) {
	bench := servertest.Start(t)
	rigs, _ := terns(t, bench, 2)
	kin, fresh := rigs[0], rigs[1]
	alone := bench.AddRig(petrel(t, nil), 600)
	startOf := func(id int64) (out api.Start) {
		t.Helper()
		bench.Call("GET", fmt.Sprintf("/api/rigs/%d/start", id), nil, 200, &out)
		return out
	}
	if s := startOf(fresh.ID); s.Kin != 1 || len(s.Offers) > 0 || s.Spared != nil {
		t.Errorf("before anything held: %+v", s)
	}
	const deep = -60
	var made api.Trim
	kin.Call("POST", fmt.Sprintf("/api/rigs/%d/trims", kin.ID), map[string]any{"parent": kin.Trims()[0].Id, "name": "deep",
		"settings": map[string]any{"limit.beyondSpec": false, "voltage.core.offset": deep, "fan.response": 4}}, 201, &made)
	kin.Fit(made.Id)
	ladder := "standard"
	if trial := kin.Ended(kin.Start(api.StartTrialRequest{Ladder: &ladder}).Id); trial.Verdict != "held" {
		t.Fatalf("%+v", trial)
	}
	s := startOf(fresh.ID)
	if len(s.Offers) != 1 || s.Begun {
		t.Fatalf("%+v", s)
	}
	o := s.Offers[0]
	depth, _ := o.Settings["voltage.core.offset"].Number()
	if o.Name != kin.Get().Name || o.Trim != made.Id || o.Standing != "held" || o.Stops != "" || o.Fails == "" ||
		o.Settings["limit.beyondSpec"] != part.Switch(false) || o.Settings["fan.response"] != part.Number(4) || depth <= deep || depth > 0 {
		t.Errorf("%+v", o)
	}
	var begun api.Trim
	bench.Call("POST", fmt.Sprintf("/api/rigs/%d/trims", fresh.ID), map[string]any{"parent": s.Parent, "name": "as its kin",
		"settings": o.Settings}, 201, &begun)
	if begun.Standing != "draft" {
		t.Errorf("it begins as %s", begun.Standing)
	}
	if s := startOf(kin.ID); !s.Begun || len(s.Offers) > 0 {
		t.Errorf("one that has begun: %+v", s)
	}
	if s := startOf(alone.ID); s.Kin != 0 || len(s.Offers) > 0 {
		t.Errorf("one without kin: %+v", s)
	}
}
