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

// trialsOf lists the newest trials of a rig.
func trialsOf(t testing.TB, rig int) (list []api.Trial) {
	t.Helper()
	until(t, "the trials are told", func() bool { return try("GET", fmt.Sprintf("/api/rigs/%d/trials", rig), nil, &list) == nil })
	return list
}

// BenchmarkKilledSurvey kills server, database and stand-in in any order while a survey flies: run it with -benchtime 10x. The survey
// goes on to its end, every order of it has one trial that told something, and every trim that it made says why.
func BenchmarkKilledSurvey(b *testing.B) {
	const rig, minutes, deepest = 1, 180, -26
	r := rand.New(rand.NewPCG(13, 10))
	var trims []api.Trim
	var p api.Pilot
	began := trialsOf(b, rig)[0].Number
	until(b, "a survey can begin", func() bool {
		return try("GET", fmt.Sprintf("/api/rigs/%d/trims", rig), nil, &trims) == nil && try("POST", fmt.Sprintf("/api/rigs/%d/pilots", rig),
			json.RawMessage(fmt.Sprintf(`{"trim":%d,"minutes":%d,"deepest":%d,"clears":10}`, trims[2].Id, minutes, deepest)), &p) == nil
	})
	look := func() bool {
		var list []api.Pilot
		if try("GET", fmt.Sprintf("/api/rigs/%d/pilots", rig), nil, &list) != nil {
			return false
		}
		p = list[0]
		return true
	}
	counts := map[string]int{}
	for b.Loop() {
		goal := p.SpentMin + minutes/12*r.Float64()
		until(b, "the survey moves on", func() bool { return look() && (p.SpentMin >= goal || p.State == api.Ended) })
		victim := []string{" serve ", "mariadbd", "petrel.standin"}[r.IntN(3)]
		counts[strings.TrimSpace(victim)]++
		kill(b, victim)
	}
	until(b, "the survey ends", func() bool { return look() && p.State == api.Ended })
	b.Logf("killed %v; %d orders in %.0f min, %d crashes; found %v %s", counts, p.Orders, p.SpentMin, p.Crashes, p.Found, p.Problem)
	if p.Found == nil && p.Problem == "" {
		b.Error("it ended with nothing, and without a word")
	}
	until(b, "the trims are told", func() bool { return try("GET", fmt.Sprintf("/api/rigs/%d/trims", rig), nil, &trims) == nil })
	trials, judged := trialsOf(b, rig), map[string]int{} // by order
	for i := range trials {
		t := &trials[i]
		if !t.Ended || t.Verdict == "" {
			b.Errorf("trial %d is %s", t.Number, t.State)
		}
		if t.Number > began && t.Verdict != "void" { // one that told nothing is made anew
			judged[t.Name]++
		}
	}
	noPost := 0
	for i := range trims {
		t := &trims[i]
		if t.Pilot == nil || *t.Pilot != p.Id {
			continue
		}
		if t.Verdict == "no POST" {
			noPost++
		}
		if len(t.Reason) < 30 {
			b.Errorf("T%d was made since %q", t.Number, t.Reason)
		}
		for core := range 8 {
			if x, _ := t.Settings[fmt.Sprintf("curve.core.%d", core)].Number(); x < deepest {
				b.Errorf("T%d goes to %g", t.Number, x)
			}
		}
	}
	missing := 0
	for n := range p.Orders {
		if times := judged[fmt.Sprintf("Sounding %d", n+1)]; times == 0 {
			missing++
		} else if times > 1 {
			b.Errorf("order %d has %d trials", n+1, times)
		}
	}
	if missing > noPost {
		b.Errorf("%d orders have no trial, and %d trims did not come up", missing, noPost)
	}
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
