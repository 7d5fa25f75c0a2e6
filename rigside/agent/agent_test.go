package agent_test

import (
	"context"
	"fmt"
	"io/fs"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"zerokeel/link"
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
	t     *testing.T
	id    int64
	token string
	dir   string // where its agents keep their journal and spool
}

func start(t *testing.T) bench {
	t.Helper()
	b := servertest.Start(t)
	var created api.CreatedRig
	b.Call("POST", "/api/rigs", api.CreateRigRequest{Name: "Here"}, 201, &created)
	out := bench{b, t, created.Rig.Id, created.Token, t.TempDir()}
	out.agent()
	b.Until("the agent links", func() bool { return out.rig().Linked })
	return out
}

// agent starts an agent; it ends with the test, or when stop is called.
func (b bench) agent() (stop func()) {
	b.t.Helper()
	ctx, cancel := context.WithCancel(context.Background())
	done := make(chan error, 1)
	go func() {
		done <- agent.Run(ctx, agent.Config{Server: link.Server{Address: b.Address, Token: b.token}, StateDir: b.dir, Root: alone{os.DirFS("/")},
			Log: slog.New(slog.DiscardHandler)})
	}()
	stop = sync.OnceFunc(func() {
		cancel()
		if err := <-done; err != nil {
			b.t.Error(err)
		}
	})
	b.t.Cleanup(stop)
	return stop
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
		{"every load holds", `{"legs":[{"load":"heavy","seconds":1},{"load":"mixed","seconds":1},{"load":"light","seconds":1},
			{"load":"transition","seconds":1},{"load":"idle","seconds":1}]}`, "held", -1},
		{"a flipped bit is found on its core", fmt.Sprintf(`{"legs":[{"load":"heavy","seconds":60,"inject":{"core":%d,"afterS":0.2}}]}`, last),
			"miscalculated", last},
		{"and in plain code too", fmt.Sprintf(`{"legs":[{"load":"light","seconds":60,"cores":[%d],"inject":{"core":%d,"afterS":0.2}}]}`, last,
			last), "miscalculated", last},
	}
	for _, row := range rows {
		t.Run(row.name, func(t *testing.T) {
			trial := b.ended(b.trial(row.body).Id)
			if trial.Verdict != row.verdict || trial.Core != row.core {
				t.Errorf("got %s on core %d (%s), want %s on core %d", trial.Verdict, trial.Core, trial.Why, row.verdict, row.core)
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

// TestLegThatEndsWhileTheServerIsAway: its agent is stopped too before the server is back. The next agent hands over what
// the first one kept, and the leg is judged as if nothing had happened. A leg that an agent takes down with it is void.
func TestLegThatEndsWhileTheServerIsAway(t *testing.T) {
	b := bench{Bench: servertest.Start(t), t: t, dir: t.TempDir()}
	var created api.CreatedRig
	b.Call("POST", "/api/rigs", api.CreateRigRequest{Name: "Here"}, 201, &created)
	b.id, b.token = created.Rig.Id, created.Token
	stop := b.agent()
	b.Until("the agent links", func() bool { return b.rig().Linked })
	running := func(trial api.Trial) {
		b.Until("the leg runs", func() bool {
			var now api.Trial
			b.Call("GET", fmt.Sprintf("/api/trials/%d", trial.Id), nil, 200, &now)
			return now.Legs[0].State == "running"
		})
	}
	trial := b.trial(`{"legs":[{"load":"idle","seconds":2}]}`)
	running(trial)
	b.Stop()
	b.Until("the leg is over", func() bool {
		files, _ := filepath.Glob(filepath.Join(b.dir, "spool-*.jsonl"))
		for _, f := range files {
			if text, _ := os.ReadFile(f); strings.Contains(string(text), `"how":"done"`) {
				return true
			}
		}
		return false
	})
	stop()
	b.Resume()
	stop = b.agent()
	if got := b.ended(trial.Id); got.Verdict != "held" {
		t.Errorf("%s: %s", got.Verdict, got.Why)
	}
	b.Until("the agent itself links", func() bool { return b.rig().Linked && b.rig().State == "idle" })
	trial = b.trial(`{"legs":[{"load":"idle","seconds":600}]}`)
	running(trial)
	stop()
	b.agent()
	if got := b.ended(trial.Id); got.Verdict != "void" || !strings.Contains(got.Why, "agent") {
		t.Errorf("after the agent was stopped: %s: %s", got.Verdict, got.Why)
	}
}
