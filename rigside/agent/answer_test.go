package agent_test

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"strings"
	"sync"
	"testing"

	"zerokeel/link"
	"zerokeel/rigside/agent"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
)

// TestPower: an agent that is its machine's first process shuts it down when it is asked to, not while a leg runs, and tells its screen
// what runs; the next start after a shutdown tells of no crash.
func TestPower(t *testing.T) {
	b := bench{Bench: servertest.Start(t), t: t, dir: t.TempDir()}
	var created api.CreatedRig
	b.Call("POST", "/api/rigs", map[string]any{"name": "Here"}, 201, &created)
	b.id, b.token = created.Rig.Id, created.Token
	ctx, cancel := context.WithCancel(t.Context())
	var mu sync.Mutex
	var shown agent.Now
	ordered := make(chan link.Power, 1)
	done := make(chan error, 1)
	go func() {
		done <- agent.Run(ctx, agent.Config{Server: link.Server{Address: b.Address, Token: b.token}, StateDir: b.dir, Root: alone{os.DirFS("/")},
			Log: slog.New(slog.DiscardHandler), Off: func() bool { return true },
			Show:  func(n agent.Now) { mu.Lock(); shown = n; mu.Unlock() },
			Power: func(how link.Power) error { ordered <- how; return nil }})
	}()
	shows := func(holds func(agent.Now) bool) func() bool {
		return func() bool { mu.Lock(); defer mu.Unlock(); return holds(shown) }
	}
	b.Until("it is linked", shows(func(n agent.Now) bool { return n.Linked && n.Rig == "Here" && n.Leg == nil }))
	var r api.Rig
	b.Until("it may be shut down", func() bool { r = b.rig(); return r.Powers })
	path := "/api/rigs/1/power"
	trial := b.trial(`{"legs":[{"load":"integer","seconds":600}]}`)
	b.Until("its screen tells of the leg", shows(func(n agent.Now) bool {
		return n.Leg != nil && n.Leg.Step == 1 && n.Leg.Of == 1 && n.Leg.AllS == 600 && strings.HasPrefix(n.Leg.Trim, "T0 ")
	}))
	if status, text := b.Raw("POST", path, api.PowerRequest{How: "off"}); status != 409 || !strings.Contains(string(text), "busy") {
		t.Errorf("in the middle of a leg: %d, %s", status, text)
	}
	b.Call("POST", fmt.Sprintf("/api/trials/%d/stop", trial.Id), nil, 200, nil)
	b.ended(trial.Id)
	b.Call("POST", path, api.PowerRequest{How: "restart"}, 204, nil)
	if how := <-ordered; how != link.Restart {
		t.Errorf("it is to %s", how)
	}
	cancel()
	if err := <-done; err != nil {
		t.Error(err)
	}
	text, err := os.ReadFile(b.dir + "/journal.jsonl")
	if err != nil || !strings.Contains(string(text), `"shut"`) {
		t.Errorf("the journal says %s (%v)", text, err)
	}
}
