package agent_test

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"os"
	"strings"
	"sync"
	"testing"
	"testing/fstest"

	"zerokeel/link"
	"zerokeel/rigside/agent"
	"zerokeel/rigside/sensors"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
)

// system is this machine with a kernel of its own in place of what could be set: cores, clocks and a power limit that is clipped at 60 W.
type system struct {
	alone
	mu   sync.Mutex
	tree fstest.MapFS
	cpus []int
}

const limitFile = "sys/class/powercap/p:0/constraint_0_power_limit_uw"

func newSystem(t *testing.T) *system {
	t.Helper()
	cpus, err := sensors.Allowed()
	if err != nil {
		t.Fatal(err)
	}
	s := &system{alone: alone{os.DirFS("/")}, cpus: cpus}
	s.restart("first")
	return s
}

// restart starts the machine anew: everything is as delivered.
func (s *system) restart(boot string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.tree = fstest.MapFS{}
	for name, text := range map[string]string{"proc/sys/kernel/random/boot_id": boot, "sys/devices/system/cpu/cpufreq/boost": "1",
		"sys/class/dmi/id/board_name": "Skerry M1", "sys/class/dmi/id/bios_version": "1.4.2",
		"sys/class/powercap/p:0/name": "package-0", "sys/class/powercap/p:0/constraint_0_name": "long_term", limitFile: "50000000"} {
		s.put(name, text)
	}
	for i, cpu := range s.cpus {
		at := fmt.Sprintf("sys/devices/system/cpu/cpu%d/", cpu)
		s.put(at+"topology/core_id", fmt.Sprint(i))
		s.put(at+"topology/physical_package_id", "0")
		if i > 0 {
			s.put(at+"online", "1")
		}
	}
	s.listOnline()
}

func (s *system) put(name, text string) { s.tree[name] = &fstest.MapFile{Data: []byte(text + "\n")} }

func (s *system) listOnline() {
	var on []string
	for _, cpu := range s.cpus {
		if f := s.tree[fmt.Sprintf("sys/devices/system/cpu/cpu%d/online", cpu)]; f == nil || string(f.Data) == "1\n" {
			on = append(on, fmt.Sprint(cpu))
		}
	}
	s.put("sys/devices/system/cpu/online", strings.Join(on, ","))
}

func (s *system) mine(name string) bool {
	for _, start := range []string{"sys/devices/system/cpu", "sys/class/powercap", "sys/class/hwmon", "sys/class/dmi",
		"proc/sys/kernel/random"} {
		if strings.HasPrefix(name, start) {
			return true
		}
	}
	return false
}

func (s *system) Open(name string) (fs.File, error) {
	if !s.mine(name) {
		return s.alone.Open(name)
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.tree.Open(name)
}

func (s *system) write(name, text string) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.tree[name] == nil {
		return errors.New("there is no such file")
	}
	if name == limitFile && len(text) == 8 && text > "60000000" {
		text = "60000000"
	}
	s.put(name, text)
	s.listOnline()
	return nil
}

func (s *system) holds(name string) string {
	text, _ := fs.ReadFile(s, name)
	return strings.TrimSpace(string(text))
}

// TestInTheRunningSystem: a machine of which no sheet exists is set in its running system: its sheets are made from its own word as it
// links, a trim is set without a restart and read back, what the kernel clips shows, trials leave out what is off, and what a restart of
// the machine lost is set again where the rig is to do so.
func TestInTheRunningSystem(t *testing.T) {
	b := bench{Bench: servertest.Start(t), t: t, dir: t.TempDir()}
	var created api.CreatedRig
	b.Call("POST", "/api/rigs", map[string]any{"name": "Here", "inSystem": true}, 201, &created)
	b.id, b.token = created.Rig.Id, created.Token
	machine := newSystem(t)
	start := func() (stop func()) {
		ctx, cancel := context.WithCancel(context.Background())
		done := make(chan error, 1)
		go func() {
			done <- agent.Run(ctx, agent.Config{Server: link.Server{Address: b.Address, Token: b.token}, StateDir: b.dir, Root: machine,
				Files: machine.write, Log: slog.New(slog.DiscardHandler)})
		}()
		stop = sync.OnceFunc(func() {
			cancel()
			if err := <-done; err != nil {
				t.Error(err)
			}
		})
		t.Cleanup(stop)
		return stop
	}
	stop := start()
	b.Until("its sheets are made", func() bool { return b.rig().Sketched })
	rig := func(path string) string { return fmt.Sprintf("/api/rigs/%d%s", b.id, path) }
	var trims []api.Trim
	b.Call("GET", rig("/trims"), nil, 200, &trims)
	if r := b.rig(); !r.InSystem || !r.CanFit || r.ByHand || r.Cores != len(machine.cpus) || len(trims) != 1 || len(trims[0].Settings) == 0 {
		t.Fatalf("%+v, %+v", r, trims)
	}
	if r := b.rig(); r.Facts.Board != "Skerry M1" || r.FirmwareVersion != "1.4.2" {
		t.Errorf("of its board it says %q, %q", r.Facts.Board, r.FirmwareVersion)
	}
	last := len(machine.cpus) - 1
	core := fmt.Sprintf("clock.coreOn.%d", last)
	fit := func(name string, settings map[string]any) (api.Trim, api.Fitting) {
		t.Helper()
		var made api.Trim
		b.Call("POST", rig("/trims"), map[string]any{"parent": trims[0].Id, "name": name, "settings": settings}, 201, &made)
		var f api.Fitting
		b.Call("POST", rig("/fittings"), map[string]any{"trim": made.Id}, 201, &f)
		b.Until("it is fitted", func() bool {
			b.Call("GET", fmt.Sprintf("/api/fittings/%d", f.Id), nil, 200, &f)
			return f.Ended
		})
		return made, f
	}
	settings := map[string]any{"clock.boost": false, "limit.pl1": 45}
	if last > 0 {
		settings[core] = false
	}
	var check api.Check
	b.Call("POST", rig("/check"), map[string]any{"parent": trims[0].Id, "settings": settings}, 200, &check)
	if check.Forecast != nil {
		t.Errorf("it forecasts from a sketch: %+v", check.Forecast)
	}
	made, f := fit("quiet", settings)
	if f.State != "in force" || machine.holds(limitFile) != "45000000" || machine.holds("sys/devices/system/cpu/cpufreq/boost") != "0" {
		t.Fatalf("%s: %s %+v", f.State, f.Problem, f.Differences)
	}
	trial := b.ended(b.trial(`{"legs":[{"load":"idle","seconds":1}]}`).Id)
	if trial.Verdict != "held" || last > 0 && len(trial.Legs[0].Cores) != last {
		t.Errorf("%s: %s, on cores %v", trial.Verdict, trial.Why, trial.Legs[0].Cores)
	}
	b.Call("POST", rig("/trials"), map[string]any{"restoreAfter": true, "legs": []map[string]any{{"load": "idle", "seconds": 1}}}, 201, nil)
	b.Until("it is put back after the trial", func() bool {
		return machine.holds(limitFile) == "50000000" && machine.holds("sys/devices/system/cpu/cpufreq/boost") == "1"
	})
	b.Until("as found is in force", func() bool {
		r := b.rig()
		return r.TrimInForce != nil && *r.TrimInForce == trims[0].Id && r.State == "idle"
	})
	if _, f := fit("hungry", map[string]any{"limit.pl1": 90}); f.State != "differs" || len(f.Differences) != 1 ||
		!strings.Contains(f.Differences[0].Text, "asked 90, in force 60") {
		t.Errorf("what the kernel clips: %s %+v", f.State, f.Differences)
	}
	b.Call("POST", rig("/fittings"), map[string]any{"trim": made.Id}, 201, nil)
	b.Until("it is in force again", func() bool {
		r := b.rig()
		return r.TrimInForce != nil && *r.TrimInForce == made.Id && r.State == "idle"
	})
	b.Call("PATCH", rig(""), map[string]any{"refit": true}, 200, nil)
	stop()
	machine.restart("second")
	start()
	b.Until("what was lost is set again", func() bool { return machine.holds(limitFile) == "45000000" })
	b.Until("it is in force", func() bool {
		r := b.rig()
		return r.TrimInForce != nil && *r.TrimInForce == made.Id && r.State == "idle"
	})
}
