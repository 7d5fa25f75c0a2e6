package agent_test

import (
	"context"
	"fmt"
	"io/fs"
	"log/slog"
	"os"
	"testing"

	"zerokeel/rigside/agent"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
	"zerokeel/store/storetest"
)

func TestMain(m *testing.M) { os.Exit(storetest.Main(m)) }

// alone is a machine's file tree without its counters of time, so that what runs beside a test is not held against it.
type alone struct{ fs.FS }

func (a alone) Open(name string) (fs.File, error) {
	if name == "proc/stat" {
		return nil, fs.ErrNotExist
	}
	return a.FS.Open(name)
}

// bench is a server with one bare rig, and the agent of this very machine linked to it.
type bench struct {
	*servertest.Bench
	t  *testing.T
	id int64
}

func start(t *testing.T) bench {
	t.Helper()
	b := servertest.Start(t)
	var created api.CreatedRig
	b.Call("POST", "/api/rigs", api.CreateRigRequest{Name: "Here"}, 201, &created)
	ctx, cancel := context.WithCancel(context.Background())
	done := make(chan error, 1)
	go func() {
		done <- agent.Run(ctx, agent.Config{Server: b.Address, Token: created.Token, StateDir: t.TempDir(), Root: alone{os.DirFS("/")}, Log: slog.New(slog.DiscardHandler)})
	}()
	t.Cleanup(func() {
		cancel()
		if err := <-done; err != nil {
			t.Error(err)
		}
	})
	out := bench{b, t, created.Rig.Id}
	b.Until("the agent links", func() bool { return out.rig().Linked })
	return out
}

func (b bench) rig() api.Rig {
	var r api.Rig
	b.Call("GET", fmt.Sprintf("/api/rigs/%d", b.id), nil, 200, &r)
	return r
}

func (b bench) trial(body string) api.Trial {
	b.t.Helper()
	var t api.Trial
	status, text := b.Raw("POST", fmt.Sprintf("/api/rigs/%d/trials", b.id), body)
	if status != 201 {
		b.t.Fatalf("%d %s", status, text)
	}
	b.Until("the trial is listed", func() bool {
		var list []api.Trial
		b.Call("GET", fmt.Sprintf("/api/rigs/%d/trials", b.id), nil, 200, &list)
		if len(list) > 0 {
			t = list[0]
		}
		return len(list) > 0
	})
	return t
}

func (b bench) ended(id int64) api.Trial {
	var t api.Trial
	b.Until("the trial ends", func() bool {
		b.Call("GET", fmt.Sprintf("/api/trials/%d", id), nil, 200, &t)
		return t.Ended
	})
	return t
}

// TestRealLegs runs every load on this machine for a moment, and each of the ways in which a leg can end.
func TestRealLegs(t *testing.T) {
	b := start(t)
	cores := b.rig().Cores
	if cores < 1 || b.rig().Facts.Channels < 1+2*cores {
		t.Fatalf("the agent tells of %d cores and %+v", cores, b.rig().Facts)
	}
	last := cores - 1
	rows := []struct {
		name, body, verdict string
		core                int
	}{
		{"every load holds", `{"legs":[{"load":"heavy","seconds":1},{"load":"mixed","seconds":1},{"load":"light","seconds":1},{"load":"transition","seconds":1},{"load":"idle","seconds":1}]}`, "held", -1},
		{"a flipped bit is found on its core", fmt.Sprintf(`{"legs":[{"load":"heavy","seconds":60,"inject":{"core":%d,"afterS":0.2}}]}`, last), "miscalculated", last},
		{"and in plain code too", fmt.Sprintf(`{"legs":[{"load":"light","seconds":60,"cores":[%d],"inject":{"core":%d,"afterS":0.2}}]}`, last, last), "miscalculated", last},
		{"a yardstick gives points", `{"purpose":"score","legs":[{"yardstick":"all-core","seconds":1}]}`, "held", -1},
	}
	for _, row := range rows {
		t.Run(row.name, func(t *testing.T) {
			trial := b.ended(b.trial(row.body).Id)
			if trial.Verdict != row.verdict || trial.Core != row.core {
				t.Errorf("got %s on core %d (%s), want %s on core %d", trial.Verdict, trial.Core, trial.Why, row.verdict, row.core)
			}
			if trial.Purpose == "score" && (trial.Legs[0].Score == nil || *trial.Legs[0].Score <= 0) {
				t.Errorf("no points: %+v", trial.Legs[0])
			}
		})
	}
	t.Run("stopped by hand", func(t *testing.T) {
		trial := b.trial(`{"legs":[{"load":"idle","seconds":600}]}`)
		b.Until("the leg runs", func() bool {
			var now api.Trial
			b.Call("GET", fmt.Sprintf("/api/trials/%d", trial.Id), nil, 200, &now)
			return now.Legs[0].State == "running"
		})
		b.Call("POST", fmt.Sprintf("/api/trials/%d/marks", trial.Id), `{"text":"here"}`, 201, nil)
		b.Call("POST", fmt.Sprintf("/api/trials/%d/stop", trial.Id), nil, 200, nil)
		if got := b.ended(trial.Id); got.Verdict != "stopped" || len(got.Events) != 1 || got.Events[0].Text != "here" {
			t.Errorf("got %s with events %+v", got.Verdict, got.Events)
		}
	})
}
