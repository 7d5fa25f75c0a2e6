package standin

import (
	"fmt"
	"math"
	"os"
	"strings"
	"testing"

	"zerokeel/core/load"
	"zerokeel/core/trim"
	"zerokeel/demo/rigs"
	"zerokeel/link"
)

func config(t testing.TB) *Config {
	t.Helper()
	text, err := rigs.Standin("petrel")
	if err != nil {
		t.Fatal(err)
	}
	cfg, err := ParseConfig(text)
	if err != nil {
		t.Fatal(err)
	}
	return cfg
}

func newRig(t testing.TB, cfg *Config, opt Options) *Rig {
	t.Helper()
	if opt.Speed == 0 {
		opt.Speed = 1
	}
	r, err := NewRig(cfg, opt)
	if err != nil {
		t.Fatal(err)
	}
	r.Advance(30)
	if r.phase != running {
		t.Fatalf("the rig is %s, want running", r.phase)
	}
	return r
}

// all orders a leg on all eight cores.
func all(id string, kind load.Kind, seconds float64) link.Order {
	return link.Order{ID: id, Do: link.Run, Load: kind, Cores: []int{0, 1, 2, 3, 4, 5, 6, 7}, Seconds: seconds, TurnS: seconds / 8}
}

func TestParseConfigNamesEveryFault(t *testing.T) {
	text, err := rigs.Standin("petrel")
	if err != nil {
		t.Fatal(err)
	}
	rows := []struct{ name, old, new, want string }{
		{"format", `"zerokeel.standin/1"`, `"zerokeel.standin/9"`, "format: "},
		{"hot room", `"ambientC": 23.5`, `"ambientC": 60`, "ambientC: "},
		{"part sheet", `"threadsPerCore": 2`, `"threadsPerCore": 5`, "parts.processor.threadsPerCore: "},
		{"core that does not exist", "\"weaker\": {\n  \"5\"", "\"weaker\": {\n  \"12\"", "weaker: there is no core 12"},
		{"unknown field", `"seed": 41`, `"seeed": 41`, "seeed: no such field"},
	}
	for _, row := range rows {
		edited := strings.Replace(string(text), row.old, row.new, 1)
		if edited == string(text) {
			t.Fatalf("%s: the file holds no %s", row.name, row.old)
		}
		if _, err := ParseConfig([]byte(edited)); err == nil || !strings.Contains(err.Error(), row.want) {
			t.Errorf("%s: got %v, want %q", row.name, err, row.want)
		}
	}
	if _, err := NewRig(config(t), Options{Speed: 0.5}); err == nil {
		t.Error("a speed below real time was taken")
	}
	if _, err := NewRig(config(t), Options{Speed: 10, Rest: 11}); err == nil {
		t.Error("a speed between legs above that of legs was taken")
	}
}

// TestSlowsBetweenLegs: only while the machine is up and has nothing to run does it go at the other speed.
func TestSlowsBetweenLegs(t *testing.T) {
	r := newRig(t, config(t), Options{Speed: 1000, Rest: 50})
	between := r.speed()
	r.agent.order(all("o1", "heavy", 5))
	under := r.speed()
	r.Advance(6)
	after := r.speed()
	r.powerOn()
	if starting := r.speed(); between != 50 || under != 1000 || after != 50 || starting != 1000 {
		t.Errorf("speeds: %g before a leg, %g in it, %g after it, %g while the machine starts", between, under, after, starting)
	}
}

// TestSettingsSurviveTheProcess: what was in force, what was staged, and what was running are there after the process
// was killed, and the machine has started anew.
func TestSettingsSurviveTheProcess(t *testing.T) {
	dir := t.TempDir()
	r := newRig(t, config(t), Options{StateDir: dir})
	r.mu.Lock()
	r.state.Pending["CurveShiftAll"] = -7
	r.powerOn()
	r.mu.Unlock()
	r.Advance(30)
	r.mu.Lock()
	r.state.Pending["CurveShiftAll"] = -9
	r.keep()
	r.mu.Unlock()
	r.agent.order(all("o1", "idle", 1000))
	boot := r.bootID()
	again := newRig(t, config(t), Options{StateDir: dir})
	if got := again.settings().Number("curve.all", 0); got != -9 {
		t.Errorf("curve.all is %g after the start, want the staged -9", got)
	}
	if again.bootID() == boot {
		t.Error("a new start has the old boot id")
	}
	hello := again.agent.hello()
	if len(hello.Journal) != 1 || hello.Journal[0].Order != "o1" || hello.Journal[0].BootID != boot || hello.Running != "" {
		t.Errorf("the journal tells %+v, running %q", hello.Journal, hello.Running)
	}
	if err := os.WriteFile(again.statePath(), []byte("{"), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := NewRig(config(t), Options{Speed: 1, StateDir: dir}); err == nil {
		t.Error("a damaged state was taken")
	}
}

// TestTheSameStepsGiveTheSameFaults runs the same leg twice on fresh rigs, in different portions of time.
func TestTheSameStepsGiveTheSameFaults(t *testing.T) {
	run := func(portion float64) string {
		cfg := config(t)
		cfg.Weaker = map[int]Reserve{3: {Heavy: 0.105}}
		r := newRig(t, cfg, Options{})
		r.agent.order(all("o1", "heavy", 300))
		for range int(300 / portion) {
			r.Advance(portion)
			if r.phase != running || r.agent.leg == nil {
				break
			}
		}
		if r.phase != running {
			return string(r.phase)
		}
		if r.agent.leg != nil {
			return "still running"
		}
		return fmt.Sprint(r.agent.seen, r.state.Draws)
	}
	if a, b := run(0.5), run(3); a != b || a == "still running" {
		t.Errorf("in portions of 0.5 s: %s; of 3 s: %s", a, b)
	}
}

// TestDroppedCoreCoolsWhileOthersGoOn shows the sign by which a dropped core is seen.
func TestDroppedCoreCoolsWhileOthersGoOn(t *testing.T) {
	r := newRig(t, config(t), Options{})
	r.agent.order(all("o1", "heavy", 300))
	r.Advance(20)
	before := r.machine.State()
	r.mu.Lock()
	r.agent.drop(2)
	r.mu.Unlock()
	r.Advance(3)
	after := r.machine.State()
	if fall := before.Cores[2].TemperatureC - after.Cores[2].TemperatureC; fall < 8 {
		t.Errorf("the dropped core cooled by %.1f °C, want at least 8", fall)
	}
	if fall := before.Cores[3].TemperatureC - after.Cores[3].TemperatureC; fall > 5 {
		t.Errorf("another core cooled by %.1f °C too", fall)
	}
	if r.agent.leg == nil {
		t.Fatal("the leg ended before the stall could be noticed")
	}
	r.Advance(2)
	if r.agent.leg != nil {
		t.Error("the leg goes on although a worker stands still")
	}
}

func TestOrdersAreTakenOnceAndOneAtATime(t *testing.T) {
	r := newRig(t, config(t), Options{})
	a := r.agent
	sent := func() int { return a.client.Pending() }
	a.order(all("o1", "idle", 50))
	before := sent()
	a.order(all("o1", "idle", 50))
	if a.leg == nil || a.leg.order.ID != "o1" || sent() != before {
		t.Error("a repeated order was not passed over")
	}
	a.order(all("o2", "idle", 50))
	if sent() != before+1 || a.leg.order.ID != "o1" {
		t.Error("a second order was not refused")
	}
	r.Advance(60)
	bad := all("o3", "heavy", 5)
	bad.Cores = []int{0, 8}
	a.order(bad)
	if a.leg != nil {
		t.Error("an order for a core that does not exist runs")
	}
	a.order(all("o4", "idle", 50))
	a.order(link.Order{ID: "o4", Do: link.Stop})
	if a.leg != nil {
		t.Error("a stopped leg goes on")
	}
}

// TestWrongSensorsStayWrong: a board that doubles a voltage does so in the agent's figures and in its own service.
func TestWrongSensorsStayWrong(t *testing.T) {
	cfg := config(t)
	cfg.Sensors = map[string]SensorOverride{"voltage.core.delivered": {Scale: 2}}
	r := newRig(t, cfg, Options{})
	s := r.machine.State()
	for _, c := range channels(r) {
		if c.Key == "voltage.core.delivered" {
			if got := c.sensor.Read(c.value(&s), r.noise); math.Abs(got-2*s.DeliveredV) > 0.01 {
				t.Errorf("reads %.3f V at %.3f V", got, s.DeliveredV)
			}
		}
	}
}

func TestRoomFollowsTheDay(t *testing.T) {
	cfg := config(t)
	r := newRig(t, cfg, Options{})
	const day = 86400
	low, high := math.Inf(1), math.Inf(-1)
	for hour := range 24 {
		r.state.Clock = float64(20000*day + hour*3600)
		low, high = math.Min(low, r.ambient()), math.Max(high, r.ambient())
	}
	if math.Abs(high-cfg.AmbientC-cfg.SwingC) > 0.1 || math.Abs(cfg.AmbientC-cfg.SwingC-low) > 0.1 {
		t.Errorf("the room goes from %.1f to %.1f °C", low, high)
	}
}

// TestEveryRegistryEntryIsTakenAndRefusedAtItsBounds walks the board's registry.
func TestEveryRegistryEntryIsTakenAndRefusedAtItsBounds(t *testing.T) {
	r := newRig(t, config(t), Options{})
	entries := r.registryEntries()
	if want := len(trim.Keys(r.cfg.Parts.Processor, r.cfg.Parts.Board)); len(entries) != want {
		t.Errorf("%d entries, want %d", len(entries), want)
	}
	for name, e := range entries {
		d := e.describe()
		if d["AttributeName"] != name || d["DisplayName"] == "" || !strings.HasPrefix(d["MenuPath"].(string), "./") {
			t.Errorf("%s is described as %v", name, d)
		}
		if e.positions != nil {
			if _, refusal := e.take(name, e.positions[0]); refusal != nil {
				t.Errorf("%s refuses its first position: %v", name, refusal)
			}
			if _, refusal := e.take(name, 1.0); refusal == nil {
				t.Errorf("%s takes a number", name)
			}
			continue
		}
		low, high := float64(d["LowerBound"].(int)), float64(d["UpperBound"].(int))
		for _, x := range []float64{low, high} {
			if _, refusal := e.take(name, x); refusal != nil {
				t.Errorf("%s refuses %g: %v", name, x, refusal)
			}
		}
		for _, x := range []any{low - 1, high + 1, low + 0.5, "much", nil} {
			if _, refusal := e.take(name, x); refusal == nil {
				t.Errorf("%s takes %v", name, x)
			}
		}
	}
}

func TestOldSessionsMakeRoom(t *testing.T) {
	s := newSessions("bench", "keel")
	first := s.create("bench")
	for range maxSessions {
		s.create("bench")
	}
	if len(s.open) != maxSessions {
		t.Errorf("%d sessions are open, want %d", len(s.open), maxSessions)
	}
	if _, still := s.open[first.id]; still {
		t.Error("the oldest session is still open")
	}
	if s.knows("bench", "wrong") || s.knows("", "keel") || !s.knows("bench", "keel") {
		t.Error("credentials are not told apart")
	}
}
