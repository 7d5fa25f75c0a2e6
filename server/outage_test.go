package server_test

import (
	"strings"
	"testing"

	"zerokeel/live"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
	"zerokeel/store/storetest"
	"zerokeel/workshop"
)

// TestHangingDatabase: while the database takes what is sent and answers nothing, as one that was stopped, nothing is judged; requests
// are given up, and afterwards every trial goes on as if nothing had been.
func TestHangingDatabase(t *testing.T) {
	s, line := storetest.OpenLine(t, "1s")
	bench := servertest.On(t, s)
	var rigs []*servertest.Rig
	var trials []int64
	for i, speed := range []float64{5, 60, 600} {
		cfg := petrel(t, nil)
		cfg.Name, cfg.Weaker = []string{"slow", "faster", "fastest"}[i], nil
		rig := bench.AddRig(cfg, speed)
		if f := rig.Fit(rig.Trims()[0].Id); f.State != "in force" {
			t.Fatalf("fitting: %+v", f)
		}
		trial := rig.Start(api.StartTrialRequest{Legs: []api.LegRequest{servertest.Leg("mixed", 15*speed)}})
		rigs, trials = append(rigs, rig), append(trials, trial.Id)
	}
	for i, rig := range rigs {
		rig.Until("the trial runs", func() bool { return rig.Trial(trials[i]).DoneS > 1 })
	}
	told := servertest.Listen(t, bench.Address)
	line.Hang()
	dialled := line.Dials()
	rigs[0].Until("connections were given up and asked for again, many times over", func() bool { return line.Dials() > dialled+30 })
	if status, text := bench.Raw("GET", "/api/rigs", nil); status != 503 {
		t.Errorf("meanwhile the server answers %d: %s", status, text)
	}
	if status, text := bench.Raw("GET", "/health/ready", nil); status != 503 ||
		!strings.Contains(string(text), "the database does not answer") {
		t.Errorf("meanwhile it is ready: %d, %s", status, text)
	}
	if status, _ := bench.Raw("GET", "/health/live", nil); status != 200 {
		t.Errorf("meanwhile it is not alive: %d", status)
	}
	if why := trouble(t, told); why != "The database does not answer: nothing is stored" {
		t.Errorf("meanwhile pages are told %q", why)
	}
	if why := trouble(t, servertest.Listen(t, bench.Address)); why == "" {
		t.Error("a page that is opened meanwhile is told nothing")
	}
	line.Go()
	if why := trouble(t, told); why != "" {
		t.Errorf("afterwards pages are told %q", why)
	}
	rigs[0].Until("it is ready again", func() bool { status, _ := bench.Raw("GET", "/health/ready", nil); return status == 200 })
	for i, rig := range rigs {
		if got := rig.Ended(trials[i]); got.Verdict != "held" {
			t.Errorf("%s: %s, %s", rig.Get().Name, got.Verdict, got.Why)
		}
	}
}

// trouble waits for the next word of what keeps the server from its work.
func trouble(t *testing.T, told <-chan live.Message) string {
	t.Helper()
	for m := range told {
		if m.Topic == workshop.TopicTrouble {
			why, _ := m.Data.(map[string]any)["why"].(string)
			return why
		}
	}
	t.Fatal("the stream ended")
	return ""
}
