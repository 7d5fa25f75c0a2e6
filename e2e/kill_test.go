package e2e

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"zerokeel/core/series"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
	"zerokeel/store"
)

// kill ends the process of the demo whose command line holds a word, at once, and returns once it is gone.
func kill(t testing.TB, word string) {
	t.Helper()
	victim := 0
	entries, err := os.ReadDir("/proc")
	if err != nil {
		t.Fatal(err)
	}
	for _, e := range entries {
		pid, err := strconv.Atoi(e.Name())
		if err != nil {
			continue
		}
		line, _ := os.ReadFile(filepath.Join("/proc", e.Name(), "cmdline"))
		text := strings.ReplaceAll(string(line), "\x00", " ")
		if strings.Contains(text, dataDir) && strings.Contains(text, word) {
			victim = pid
		}
	}
	if victim == 0 {
		return // it is down already, from the kill before
	}
	if err := syscall.Kill(victim, syscall.SIGKILL); err != nil && err != syscall.ESRCH {
		t.Fatal(err)
	}
}

// try makes a request; the server may be down.
func try(method, path string, in, out any) error {
	return servertest.At(nil, address).Try(method, path, in, out)
}

// until waits until a condition holds, and fails the test when that takes unreasonably long.
func until(t testing.TB, what string, holds func() bool) {
	t.Helper()
	tick := time.NewTicker(20 * time.Millisecond)
	defer tick.Stop()
	end := time.After(patience)
	for !holds() {
		select {
		case <-tick.C:
		case <-end:
			t.Fatalf("waited in vain until %s", what)
		}
	}
}

func start(t testing.TB, rig int, legs string) int64 {
	t.Helper()
	var trial api.Trial
	var err error
	defer func() {
		if t.Failed() {
			t.Log(err)
		}
	}()
	until(t, "a trial can be started", func() bool {
		err = try("POST", fmt.Sprintf("/api/rigs/%d/trials", rig), json.RawMessage(`{"name":"killed","legs":`+legs+`}`), &trial)
		return err == nil
	})
	return trial.Id
}

func ended(t testing.TB, id int64) api.Trial {
	t.Helper()
	var trial api.Trial
	until(t, "the trial ends", func() bool {
		return try("GET", fmt.Sprintf("/api/trials/%d", id), nil, &trial) == nil && trial.Ended
	})
	return trial
}

// TestKilledServerAndDatabase kills server and database ten times, at random moments of a trial: it goes on, ends with
// the right verdict, and not one second of its figures is lost or doubled.
func TestKilledServerAndDatabase(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 10))
	const seconds = 3600
	id := start(t, 1, fmt.Sprintf(`[{"load":"mixed","seconds":%d}]`, seconds))
	for i := range 10 {
		goal := float64(i+1) * seconds / 12 * (0.8 + 0.2*r.Float64())
		until(t, "the trial moves on", func() bool {
			var trial api.Trial
			return try("GET", fmt.Sprintf("/api/trials/%d", id), nil, &trial) == nil && (trial.DoneS >= goal || trial.Ended)
		})
		kill(t, []string{" serve ", "mariadbd"}[r.IntN(2)])
	}
	trial := ended(t, id)
	if trial.Verdict != "held" {
		t.Fatalf("ended %s: %s", trial.Verdict, trial.Why)
	}
	checkEverySecond(t, stored(t, trial.Legs[0].Id), seconds)
}

// stored returns what the database holds of a channel that tells every second.
func stored(t testing.TB, leg int64) []series.Sample {
	t.Helper()
	db, err := store.Open(t.Context(), "root@unix("+filepath.Join(dataDir, "db", "m.sock")+")/zerokeel?parseTime=true&loc=UTC")
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = db.Close() }()
	samples, err := db.Telemetry(t.Context(), leg, store.Span{})
	if err != nil {
		t.Fatal(err)
	}
	return samples["power.package"]
}

// BenchmarkKills kills server, database, agent and a stand-in in any order while trials run on both of the rigs: run it with
// -benchtime 100x. Nothing that was acknowledged may be lost or be there twice, and every trial ends with the right verdict.
func BenchmarkKills(b *testing.B) {
	r := rand.New(rand.NewPCG(7, 100))
	const seconds = 3600
	long := fmt.Sprintf(`[{"load":"mixed","seconds":%d}]`, seconds)
	simulated, real := start(b, 1, long), start(b, 2, `[{"load":"idle","seconds":36000}]`)
	seen := 0.0 // of the simulated rig's leg, as the server told it: acknowledged
	follow := func(goal float64) (trial api.Trial) {
		until(b, "the trial moves on", func() bool {
			return try("GET", fmt.Sprintf("/api/trials/%d", simulated), nil, &trial) == nil && (trial.DoneS >= goal || trial.Ended)
		})
		seen = trial.DoneS
		return trial
	}
	counts := map[string]int{}
	for b.Loop() {
		if trial := follow(seen + 20 + 300*r.Float64()); trial.Ended {
			if trial.Verdict != "held" {
				b.Fatalf("only server and database were killed, and it ended %s: %s", trial.Verdict, trial.Why)
			}
			checkEverySecond(b, stored(b, trial.Legs[0].Id), seconds)
			simulated, seen = start(b, 1, long), 0
			follow(1)
		}
		victim := []string{" serve ", "mariadbd", " agent ", "petrel.standin"}[r.IntN(4)]
		counts[strings.TrimSpace(victim)]++
		if victim == " agent " {
			var trial api.Trial
			until(b, "the agent's leg runs", func() bool {
				return try("GET", fmt.Sprintf("/api/trials/%d", real), nil, &trial) == nil && trial.DoneS > 0
			})
		}
		kill(b, victim)
		switch victim {
		case " agent ":
			if trial := ended(b, real); trial.Verdict != "void" || !strings.Contains(trial.Why, "agent was started anew") {
				b.Errorf("killed agent: %s, %s", trial.Verdict, trial.Why)
			}
			real = start(b, 2, `[{"load":"idle","seconds":36000}]`)
		case "petrel.standin":
			trial := ended(b, simulated)
			if trial.Verdict != "restarted" {
				b.Errorf("killed stand-in: %s, %s", trial.Verdict, trial.Why)
			}
			checkEverySecond(b, stored(b, trial.Legs[0].Id), max(int(seen), int(trial.Legs[0].RanS)))
			simulated, seen = start(b, 1, long), 0
		}
	}
	b.Logf("killed %v", counts)
}

func checkEverySecond(t testing.TB, samples []series.Sample, seconds int) {
	t.Helper()
	if err := servertest.EverySecond(samples, seconds); err != nil {
		t.Error(err)
	}
}

// TestKilledAgent: an agent that is killed during a leg is told from a machine that restarted, and the fault injected
// into a real leg is found on its core within moments.
func TestKilledAgent(t *testing.T) {
	id := start(t, 2, `[{"load":"heavy","seconds":600}]`)
	until(t, "the leg runs", func() bool {
		var trial api.Trial
		return try("GET", fmt.Sprintf("/api/trials/%d", id), nil, &trial) == nil && trial.DoneS > 0.5
	})
	kill(t, " agent ")
	if trial := ended(t, id); trial.Verdict != "void" || !strings.Contains(trial.Why, "agent was started anew") {
		t.Errorf("killed agent: %s, %s", trial.Verdict, trial.Why)
	}
}

func TestInjectedFaultIsFound(t *testing.T) {
	var here api.Rig
	if err := try("GET", "/api/rigs/2", nil, &here); err != nil {
		t.Fatal(err)
	}
	last := here.Cores - 1
	id := start(t, 2, fmt.Sprintf(`[{"load":"heavy","seconds":20,"inject":{"core":%d,"afterS":0.5}}]`, last))
	trial := ended(t, id)
	if trial.Verdict != "miscalculated" || trial.Core != last || !trial.Injected {
		t.Fatalf("got %s on core %d (injected %v): %s", trial.Verdict, trial.Core, trial.Injected, trial.Why)
	}
	if late := trial.AtS - 0.5; late > 2 {
		t.Errorf("found %.2f s after it was injected", late)
	}
	var trims []api.Trim
	if err := try("GET", "/api/rigs/2/trims", nil, &trims); err != nil || trims[0].Standing == "failed" {
		t.Errorf("a fault caused on purpose was held against the trim: %v, %v", trims, err)
	}
}
