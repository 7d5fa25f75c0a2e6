package standin

import (
	"testing"

	"zerokeel/core/load"
	"zerokeel/core/part"
	"zerokeel/core/trim"
	"zerokeel/demo/rigs"
	"zerokeel/link"
)

// rigCalled starts one of the demo's stand-ins.
func rigCalled(t *testing.T, name string, change func(*Config)) *Rig {
	t.Helper()
	text, err := rigs.Standin(name)
	if err != nil {
		t.Fatal(err)
	}
	cfg, err := ParseConfig(text)
	if err != nil {
		t.Fatal(err)
	}
	if change != nil {
		change(cfg)
	}
	return newRig(t, cfg, Options{})
}

// start puts attributes in force by a start.
func (r *Rig) startWith(attributes map[string]any) {
	r.mu.Lock()
	for name, v := range attributes {
		r.state.Pending[name] = v
	}
	r.powerOn()
	r.mu.Unlock()
	r.Advance(60)
}

// TestEveryDemoRigComesUp: each stand-in of the demo starts at its delivery, and its registry describes every attribute.
func TestEveryDemoRigComesUp(t *testing.T) {
	for _, name := range []string{"petrel", "gannet", "skua", "dunlin", "tern-1", "tern-2", "tern-3", "tern-4", "tern-5", "tern-6"} {
		r := rigCalled(t, name, nil)
		if faults := trim.Check(r.cfg.Parts.Processor, r.cfg.Parts.Board, r.settings()); len(faults) > 0 || r.phase != running {
			t.Errorf("%s is %s: %v", name, r.phase, faults)
		}
		entries := r.registryEntries()
		for attribute, v := range r.state.Attributes {
			e, known := entries[attribute]
			if !known {
				t.Errorf("%s: attribute %s is in force and not in the registry", name, attribute)
				continue
			}
			if n, isNumber := v.(int); isNumber {
				if _, refused := e.take(attribute, float64(n)); refused != nil {
					t.Errorf("%s: the registry refuses the delivery of %s: %v", name, attribute, refused)
				}
			}
		}
	}
}

// TestSupplyLostForgetsOnlyWhatIsLost: with the plug pulled a Tern forgets its offset and keeps its limits; a plain
// restart keeps both.
func TestSupplyLostForgetsOnlyWhatIsLost(t *testing.T) {
	r := rigCalled(t, "tern-3", nil)
	r.startWith(map[string]any{"VcOffset": -60, "SteadyPower": 400})
	r.startWith(nil)
	if s := r.settings(); s.Number("voltage.core.offset", 0) != -60 || s.Number("limit.pl1", 0) != 50 {
		t.Fatalf("after a plain restart: offset %v, PL1 %v", s["voltage.core.offset"], s["limit.pl1"])
	}
	r.mu.Lock()
	r.loseSupply()
	r.mu.Unlock()
	r.startWith(nil)
	if s := r.settings(); s.Number("voltage.core.offset", -1) != 0 || s.Number("limit.pl1", 0) != 50 {
		t.Errorf("after the plug was pulled: offset %v, PL1 %v", s["voltage.core.offset"], s["limit.pl1"])
	}
}

// TestSecondMenuOfTheBoardWins: what stands in the power menu of Skua's board overrides the voltage menu.
func TestSecondMenuOfTheBoardWins(t *testing.T) {
	r := rigCalled(t, "skua", nil)
	r.startWith(map[string]any{"VcOffset": -50, "PwrVcOffset": 25})
	if got := r.settings()["voltage.core.offset"]; got != part.Number(25) {
		t.Errorf("offset in force %v, want what the power menu holds", got)
	}
	r.startWith(map[string]any{"PwrVcOffset": 999})
	if got := r.settings()["voltage.core.offset"]; got != part.Number(-50) {
		t.Errorf("with the power menu at auto: %v", got)
	}
}

// TestWordsOfTheBoard: values that stand for auto and unlimited lie within the registry's bounds and are taken; what lies
// between them and the range is refused.
func TestWordsOfTheBoard(t *testing.T) {
	r := rigCalled(t, "skua", nil)
	e := r.registryEntries()["SteadyPower"]
	low, high := e.bounds()
	for raw, taken := range map[float64]bool{0: true, 120: true, 3200: true, 32760: true, 60: false, 4000: false, 3200.5: false, -8: false} {
		_, refused := e.take("SteadyPower", raw)
		if (refused == nil) != taken {
			t.Errorf("%g: refused %v, want taken %v", raw, refused, taken)
		}
		if taken && (raw < float64(low) || raw > float64(high)) {
			t.Errorf("%g is taken, and outside the registry's %d to %d", raw, low, high)
		}
	}
}

// TestLockedPartIgnoresItsSettings: the board of a Tern takes an all-core ratio, and nothing changes.
func TestLockedPartIgnoresItsSettings(t *testing.T) {
	r := rigCalled(t, "tern-2", nil)
	top := func() float64 {
		s, err := r.machine.Steady(load.Light, nil, 24)
		if err != nil {
			t.Fatal(err)
		}
		return s.MeanMHz
	}
	before := top()
	r.startWith(map[string]any{"OneRatio": 30})
	if r.settings().Number("clock.ratio.all", 0) != 30 || top() != before {
		t.Errorf("ratio in force %v, clock from %.0f to %.0f MHz", r.settings()["clock.ratio.all"], before, top())
	}
}

// TestTooDeepFreezesWhileIdling: Gannet passes heavy load at a depth at which it freezes once it idles for long.
func TestTooDeepFreezesWhileIdling(t *testing.T) {
	r := rigCalled(t, "gannet", func(c *Config) {
		for core, w := range c.Weaker {
			w.Idle = 0.045
			c.Weaker[core] = w
		}
	})
	r.startWith(map[string]any{"CurveShiftAll": -35})
	cores := make([]int, 16)
	for i := range cores {
		cores[i] = i
	}
	r.agent.order(link.Order{ID: "heavy", Do: link.Run, Load: load.Heavy, Cores: cores, Seconds: 60})
	r.Advance(59)
	if r.phase != running || r.agent.leg == nil {
		t.Fatalf("under heavy load it is %s", r.phase)
	}
	r.Advance(2)
	if r.phase == running {
		r.agent.order(link.Order{ID: "idle", Do: link.Run, Load: load.Idle, Cores: cores, Seconds: 7200})
	}
	for range 720 {
		if r.phase != running {
			break
		}
		r.Advance(10)
	}
	if r.phase == running {
		t.Error("it idles for two hours")
	}

	// While a history is made, what it does between its legs is nobody's: it depends on how long the server thinks.
	for rest, fails := range map[float64]bool{100: true, 10: false} {
		r := rigCalled(t, "gannet", nil)
		r.opt.Speed, r.opt.Rest = 100, rest
		r.startWith(map[string]any{"CurveShiftAll": -50})
		for i := 0; i < 360 && r.phase == running; i++ {
			r.Advance(10)
		}
		if failed := r.phase != running; failed != fails {
			t.Errorf("far too deep, between legs at %g times its time of 100: fails %t", rest, failed)
		}
	}
}

// TestFactsFollowTheTrim: cores switched off and SMT show in what the machine says of itself.
func TestFactsFollowTheTrim(t *testing.T) {
	r := rigCalled(t, "gannet", nil)
	if f := r.facts(); f.Cores != 16 || f.Threads != 32 {
		t.Fatalf("as delivered: %d cores, %d threads", f.Cores, f.Threads)
	}
	r.startWith(map[string]any{"ClusterOn1": "Disabled", "TwoThreads": "Disabled"})
	if f := r.facts(); f.Cores != 8 || f.Threads != 8 {
		t.Errorf("with one cluster and one thread: %d cores, %d threads", f.Cores, f.Threads)
	}
}
