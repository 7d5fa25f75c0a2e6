package server_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/jmoiron/sqlx"

	"zerokeel/server/api"
	"zerokeel/server/servertest"
	"zerokeel/store/storetest"
)

// TestARemovedRigLeavesNothing: a rig that is named, and on which nothing runs, is removed with whatever any table holds of it, and its
// agent links no more; what belongs to another stays. A trim is removed while it was never fitted and nothing came from it.
func TestARemovedRigLeavesNothing(t *testing.T) {
	s, dsns := storetest.OpenDSN(t)
	bench := servertest.On(t, s)
	gone, stays := bench.AddRig(petrel(t, nil), 600), bench.AddFake("Other", nil)
	one := fmt.Sprintf("/api/rigs/%d", gone.ID)
	gone.Fit(gone.Trims()[0].Id)
	gone.Ended(gone.Start(api.StartTrialRequest{Legs: []api.LegRequest{servertest.Leg("heavy", 20)}}).Id)
	gone.Call("POST", one+"/scores", fmt.Sprintf(`{"trim":%d,"yardstick":"Own","unit":"s","better":"lower","values":[1,2]}`,
		gone.Trims()[0].Id), 201, nil)
	gone.Call("POST", one+"/incidents", `{"kind":"froze"}`, 201, nil)
	var draft, child api.Trim
	trim := func(parent int64) string {
		return fmt.Sprintf(`{"parent":%d,"name":"x","settings":{"curve.all":-5}}`, parent)
	}
	gone.Call("POST", one+"/trims", trim(gone.Trims()[0].Id), 201, &draft)
	gone.Call("POST", one+"/trims", trim(draft.Id), 201, &child)
	for _, row := range []struct {
		trim   int64
		status int
	}{{gone.Trims()[0].Id, 409}, {draft.Id, 409}, {child.Id, 204}, {child.Id, 404}, {draft.Id, 204}} {
		gone.Call("DELETE", fmt.Sprintf("/api/trims/%d", row.trim), nil, row.status, nil)
	}
	var counts api.Removal
	if gone.Call("GET", one+"/removal", nil, 200, &counts); counts.Trims != 1 || counts.Trials != 1 || counts.Scores != 2 || counts.Incidents != 1 {
		t.Errorf("told beforehand: %+v", counts)
	}
	running := gone.Start(api.StartTrialRequest{Legs: []api.LegRequest{servertest.Leg("idle", 3600)}})
	gone.Call("DELETE", one+"?name="+gone.Config.Name, nil, 409, nil)
	gone.Call("POST", fmt.Sprintf("/api/trials/%d/give-up", running.Id), "", 200, nil)
	gone.Call("DELETE", one+"?name=Other", nil, 422, nil)
	gone.Call("DELETE", one+"?name="+gone.Config.Name, nil, 204, nil)
	gone.Call("GET", one, nil, 404, nil)

	raw := sqlx.MustConnect("mysql", dsns[0])
	defer func() { _ = raw.Close() }()
	var columns []struct {
		Table  string `db:"TABLE_NAME"`
		Column string `db:"COLUMN_NAME"`
	}
	if err := raw.Select(&columns, `SELECT TABLE_NAME, COLUMN_NAME FROM information_schema.COLUMNS WHERE TABLE_SCHEMA = DATABASE()
		AND COLUMN_NAME IN ('rig_id', 'trim_id', 'trial_id', 'leg_id')`); err != nil || len(columns) < 15 {
		t.Fatalf("%d columns, %v", len(columns), err)
	}
	for _, c := range columns {
		if c.Table == "outbox" {
			continue // news, which are dropped by themselves
		}
		parent := map[string]string{"rig_id": "rigs", "trim_id": "trims", "trial_id": "trials", "leg_id": "legs"}[c.Column]
		var orphans int
		if err := raw.Get(&orphans, fmt.Sprintf(`SELECT COUNT(*) FROM %s WHERE %s IS NOT NULL AND %[2]s NOT IN (SELECT id FROM %s)`,
			c.Table, c.Column, parent)); err != nil || orphans > 0 {
			t.Errorf("%s: %d rows of what is gone, %v", c.Table, orphans, err)
		}
	}
	if rigs := stays.Get(); rigs.Name != "Other" || !rigs.Linked || !strings.HasPrefix(rigs.Standing, "fitted") {
		t.Errorf("the other rig: %+v", rigs)
	}
}

// TestRenamedAndRetired: a rig is called otherwise, unless another is called so, and leaves the bench with its records kept; while it works
// it stays.
func TestRenamedAndRetired(t *testing.T) {
	bench := servertest.Start(t)
	rig := bench.AddRig(petrel(t, nil), 60)
	bench.Call("POST", "/api/rigs", api.CreateRigRequest{Name: "Desk"}, 201, nil)
	path := fmt.Sprintf("/api/rigs/%d", rig.ID)
	var problem api.Problem
	bench.Call("PATCH", path, map[string]any{"name": "Desk"}, 422, &problem)
	if len(problem.Faults) != 1 || problem.Faults[0].Field != "name" {
		t.Errorf("a name that is taken: %+v", problem)
	}
	bench.Call("PATCH", path, map[string]any{"name": "  "}, 422, nil)
	var got api.Rig
	bench.Call("PATCH", path, map[string]any{"name": "Shearwater"}, 200, &got)
	if got.Name != "Shearwater" || got.Retired {
		t.Errorf("renamed: %+v", got)
	}
	rig.Fit(rig.Trims()[0].Id)
	trial := rig.Start(api.StartTrialRequest{Legs: []api.LegRequest{servertest.Leg("heavy", 600)}})
	bench.Until("it works", func() bool { return rig.Get().State == "on trial" })
	bench.Call("PATCH", path, map[string]any{"retired": true}, 409, nil)
	bench.Call("POST", fmt.Sprintf("/api/trials/%d/stop", trial.Id), nil, 200, nil)
	rig.Ended(trial.Id)
	bench.Until("it works no longer", func() bool { return rig.Get().State != "on trial" })
	bench.Call("PATCH", path, map[string]any{"retired": true}, 200, &got)
	var lines []api.FleetLine
	bench.Call("GET", "/api/fleet", nil, 200, &lines)
	for _, l := range lines {
		if retired := l.Need.Words == "retired"; retired != (l.Rig == rig.ID) {
			t.Errorf("%+v", l)
		}
	}
	if !got.Retired || len(rig.Trims()) == 0 {
		t.Errorf("retired: %+v", got)
	}
}
