package server_test

import (
	"fmt"
	"strings"
	"testing"

	"zerokeel/link"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
	"zerokeel/standin"
)

// TestFreezeAtTheDesktop: a machine that stands still outside any trial is told as silent, then as frozen, without figures, and that
// is held against its trim once; after a reset it is there again.
func TestFreezeAtTheDesktop(t *testing.T) {
	cfg := petrel(t, func(c *standin.Config) {
		c.Seed, c.Weaker = 3, map[int]standin.Reserve{2: {Idle: 0.335}}
	})
	rig := servertest.Start(t).AddRig(cfg, 60)
	rig.Fit(rig.Trims()[0].Id)
	incidents := func() (list []api.Incident) {
		rig.Call("GET", fmt.Sprintf("/api/rigs/%d/incidents", rig.ID), nil, 200, &list)
		return list
	}
	// It may restart by itself before it freezes: that is told by the start after it.
	var g api.Rig
	rig.Until("it stands still", func() bool { g = rig.Get(); return g.State == "silent" || g.State == "froze" })
	if g.AbsentSince == nil || len(g.Vitals) > 0 {
		t.Errorf("%s since %v, and it shows %v", g.State, g.AbsentSince, g.Vitals)
	}
	rig.Until("it is told why", func() bool { return rig.Get().State == "froze" && len(incidents()) > 0 })
	list := incidents()
	if list[0].Kind != "froze" || list[0].Trim != rig.Trims()[0].Id {
		t.Errorf("incidents: %+v", list)
	}
	rig.Enter(nil, "ForceRestart")
	rig.Until("it is back", func() bool { g := rig.Get(); return g.Linked && g.AbsentSince == nil })
	told := 0
	for _, i := range incidents() {
		if i.At.Equal(list[0].At) {
			told++
		}
	}
	if told != 1 {
		t.Errorf("after the reset: %+v", incidents())
	}
}

// TestOwnersShutdown: a machine that its owner shuts down took leave, and nothing is held against it.
func TestOwnersShutdown(t *testing.T) {
	rig := servertest.Start(t).AddRig(petrel(t, nil), 60)
	rig.Fit(rig.Trims()[0].Id)
	rig.Until("it runs", func() bool { return rig.Get().State == "idle" })
	rig.Enter(nil, "GracefulShutdown")
	rig.Until("it is off", func() bool { return rig.Get().State == "switched off" })
	rig.Enter(nil, "On")
	rig.Until("it is back", func() bool { g := rig.Get(); return g.Linked && g.State == "idle" })
	var list []api.Incident
	rig.Call("GET", fmt.Sprintf("/api/rigs/%d/incidents", rig.ID), nil, 200, &list)
	if len(list) > 0 {
		t.Errorf("%+v", list)
	}
}

// TestShutDownOnTrial: a machine that somebody shuts down in the middle of a leg, or whose stand-in ends with its process, says nothing
// against its trim, whether it is back at once or not.
func TestShutDownOnTrial(t *testing.T) {
	bench := servertest.Start(t)
	rig := bench.AddFake("Gull", nil)
	got := rig.Run(300, func(o link.Order) {
		rig.Send(link.Frame{Started: &link.Started{Order: o.ID, At: rig.Now()}})
		rig.Send(link.Frame{Leaving: &link.Leaving{At: rig.Now(), Off: true}})
		rig.Boot("boot-2", nil)
	})
	if got.Verdict != "void" || !strings.Contains(got.Why, "the machine was shut down") {
		t.Errorf("ended %s: %s", got.Verdict, got.Why)
	}
	sim := bench.AddRig(petrel(t, nil), 60)
	sim.Fit(sim.Trims()[0].Id)
	trial := sim.Start(api.StartTrialRequest{Legs: []api.LegRequest{servertest.Leg("mixed", 3600)}})
	sim.Until("the leg runs", func() bool { return sim.Trial(trial.Id).DoneS > 5 })
	sim.End()
	if got := sim.Ended(trial.Id); got.Verdict != "void" || !strings.Contains(got.Why, "the machine was shut down") {
		t.Errorf("a stand-in that was stopped ended %s: %s", got.Verdict, got.Why)
	}
}
