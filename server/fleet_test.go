package server_test

import (
	"fmt"
	"strings"
	"testing"

	"zerokeel/core/part"
	"zerokeel/core/trim"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
)

// TestFleet: a rig that was made to draw less says so among the others, with what it lost by it, once it was tried as delivered and since;
// one that was never heard asks for its agent; and what was worked out is not worked out again until something new is on record.
func TestFleet(t *testing.T) {
	server := servertest.Start(t)
	rig := server.AddRig(petrel(t, nil), 600)
	rig.Call("POST", "/api/rigs", api.CreateRigRequest{Name: "Bare"}, 201, nil)
	look := func() map[int64]api.FleetLine {
		t.Helper()
		var list []api.FleetLine
		out := map[int64]api.FleetLine{}
		rig.Until("nothing is being worked out", func() bool {
			rig.Call("GET", "/api/fleet", nil, 200, &list)
			for _, l := range list {
				if out[l.Rig] = l; l.Stale {
					return false
				}
			}
			return true
		})
		return out
	}
	try := func(id int64) {
		rig.Fit(id)
		trial := rig.Ended(rig.Start(api.StartTrialRequest{Legs: []api.LegRequest{servertest.Leg("heavy", 900)}}).Id)
		if trial.Verdict != "held" {
			t.Fatalf("%+v", trial)
		}
	}
	stock := rig.Trims()[0].Id
	try(stock)
	if l := look()[rig.ID]; !l.Stock || len(l.Gains) > 0 || l.Need.Urgency < 2 {
		t.Errorf("as delivered: %+v", l)
	}
	var capped api.Trim
	rig.Call("POST", fmt.Sprintf("/api/rigs/%d/trims", rig.ID), api.CreateTrimRequest{Parent: stock, Name: "capped",
		Settings: trim.Settings{"limit.ppt": part.Number(90)}}, 201, &capped)
	try(capped.Id)
	lines := look()
	l := lines[rig.ID]
	won := map[api.FleetGainWhat]api.FleetGain{}
	for _, g := range l.Gains {
		won[g.What] = g
	}
	if p := won["power"]; !p.Shown || !p.Good || p.Value > -50 {
		t.Errorf("power: %+v", p)
	}
	if s := won["speed"]; !s.Shown || s.Good || s.Value > -5 || s.Unit != "%" {
		t.Errorf("speed: %+v", s)
	}
	if l.Trim == nil || *l.Trim != capped.Id || l.Need.At != "trial" ||
		!strings.HasSuffix(l.Need.Words, " more to "+string(next(l.Standing))) {
		t.Errorf("%+v", l)
	}
	for id, one := range lines {
		if id != rig.ID && (one.Need.At != "rig" || !one.Stock || len(one.Gains) > 0) {
			t.Errorf("a rig that was never heard: %+v", one)
		}
	}
	_, text := rig.Raw("GET", "/api/fleet/table", nil)
	if lines := strings.Split(strings.TrimSpace(string(text)), "\n"); len(lines) != 3 || !strings.Contains(lines[1], ",T1,capped,") {
		t.Errorf("the table: %s", text)
	}
}

// next is the grade after one.
func next(s api.FleetLineStanding) api.FleetLineStanding {
	return map[api.FleetLineStanding]api.FleetLineStanding{"fitted": "tried", "tried": "held", "held": "proven"}[s]
}
