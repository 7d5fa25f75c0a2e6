package main

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"zerokeel/link"
	"zerokeel/rigside/agent"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
	"zerokeel/store/storetest"
)

// asProgram names the variable that makes this test's program run as zerokeel itself, with its arguments.
const asProgram = "ZEROKEEL_TEST_PROGRAM"

// agentRoot names the variable that makes this test's program run as an agent over the file tree that it holds.
const agentRoot = "ZEROKEEL_TEST_AGENT_ROOT"

func TestMain(m *testing.M) {
	if os.Getenv(asProgram) != "" {
		main()
		os.Exit(0)
	}
	root := os.Getenv(agentRoot)
	if root == "" {
		os.Exit(withKeys(func() int { return storetest.Main(m) }))
	}
	rate, _ := strconv.ParseFloat(os.Args[4], 64)
	to := link.Server{Address: os.Args[1], Token: os.Args[2]}
	err := agent.Run(context.Background(), agent.Config{Server: to, StateDir: os.Args[3], Rate: rate,
		Root: os.DirFS(root), Log: slog.Default()})
	fmt.Fprintln(os.Stderr, err)
	os.Exit(1)
}

// withKeys runs tests with a folder of keys of their own, which their servers share.
func withKeys(run func() int) int {
	dir, err := os.MkdirTemp("", "zerokeel-keys-")
	if err != nil {
		panic(err)
	}
	defer func() { _ = os.RemoveAll(dir) }()
	_ = os.Setenv("XDG_CONFIG_HOME", dir)
	return run()
}

// tree makes a file tree that holds so many sensors beside what this machine tells of its processors.
func tree(b *testing.B, inputs int) string {
	root := b.TempDir()
	if err := os.Symlink("/proc", filepath.Join(root, "proc")); err != nil {
		b.Fatal(err)
	}
	for i := range inputs {
		chip := filepath.Join(root, "sys/class/hwmon", fmt.Sprintf("hwmon%d", i/25))
		err := os.MkdirAll(chip, 0o755)
		for name, text := range map[string]string{"name": "chip", fmt.Sprintf("temp%d_input", i%25+1): fmt.Sprint(30000 + 137*i)} {
			if err == nil {
				err = os.WriteFile(filepath.Join(chip, name), []byte(text+"\n"), 0o644)
			}
		}
		if err != nil {
			b.Fatal(err)
		}
	}
	return root
}

// BenchmarkAgentCost runs an agent in a process of its own, once as it comes with nothing to do, and once reading 200
// sensors ten times a second during a leg: its share of one core, over some seconds.
func BenchmarkAgentCost(b *testing.B) {
	for _, row := range []struct {
		name   string
		root   string
		rate   float64
		during string
	}{{"idle", "/", 1, ""}, {"200-channels-10Hz", tree(b, 200), 10, "idle"}} {
		b.Run(row.name, func(b *testing.B) {
			bench := servertest.Start(b)
			var created api.CreatedRig
			bench.Call("POST", "/api/rigs", api.CreateRigRequest{Name: "Here"}, 201, &created)
			cmd := exec.Command(os.Args[0], bench.Address, created.Token, b.TempDir(), fmt.Sprint(row.rate))
			cmd.Env = append(os.Environ(), agentRoot+"="+row.root)
			if err := cmd.Start(); err != nil {
				b.Fatal(err)
			}
			defer func() { _ = cmd.Process.Kill(); _ = cmd.Wait() }()
			path := fmt.Sprintf("/api/rigs/%d", created.Rig.Id)
			var rig api.Rig
			bench.Until("the agent links", func() bool { bench.Call("GET", path, nil, 200, &rig); return rig.Linked })
			if row.during != "" {
				var trial api.Trial
				bench.Call("POST", path+"/trials", api.StartTrialRequest{Legs: []api.LegRequest{servertest.Leg(row.during, 3600)}}, 201, &trial)
				bench.Until("the leg runs", func() bool {
					bench.Call("GET", fmt.Sprintf("/api/trials/%d", trial.Id), nil, 200, &trial)
					return trial.Legs[0].State == "running"
				})
			}
			before, since := used(b, cmd.Process.Pid), time.Now()
			for b.Loop() {
				<-time.After(20 * time.Second)
			}
			b.ReportMetric(100*(used(b, cmd.Process.Pid)-before)/time.Since(since).Seconds(), "%core")
			b.ReportMetric(float64(rig.Facts.Channels), "channels")
		})
	}
}

// used returns the processor time of a process in seconds.
func used(b *testing.B, pid int) float64 {
	text, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid))
	if err != nil {
		b.Fatal(err)
	}
	_, rest, _ := strings.Cut(string(text), ") ")
	fields := strings.Fields(rest)
	user, err1 := strconv.ParseFloat(fields[11], 64)
	system, err2 := strconv.ParseFloat(fields[12], 64)
	if err1 != nil || err2 != nil {
		b.Fatal(string(text))
	}
	return (user + system) / 100 // ticks
}
