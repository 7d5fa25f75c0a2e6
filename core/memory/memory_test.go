package memory_test

import (
	"math"
	"testing"

	"zerokeel/core/memory"
)

// rated is a kit at usual timings.
func rated(mts, cl float64) memory.Running {
	return memory.Running{MTs: mts, CL: cl, RCD: cl, RP: cl, RAS: memory.DefaultRAS(cl)}
}

func TestLatencyOfUsualTimings(t *testing.T) {
	for _, row := range []struct{ mts, cl, ns float64 }{{6000, 30, 10}, {6000, 32, 32.0 / 3}, {4800, 40, 50.0 / 3}, {3200, 16, 10}} {
		m := rated(row.mts, row.cl)
		if got := m.LatencyNS(); math.Abs(got-row.ns) > 1e-9 {
			t.Errorf("%g MT/s at CL %g: got %.4f ns, want %.4f", row.mts, row.cl, got, row.ns)
		}
	}
	reference := rated(6000, 32)
	if s, a := reference.Slow(), reference.SlowAlone(); math.Abs(s-1) > 1e-12 || math.Abs(a-1) > 1e-12 {
		t.Errorf("the reference is slowed by %g and %g", s, a)
	}
}

// TestEachKnobCostsOrGains: every knob moves latency in its direction, and bandwidth only where it is one of bandwidth.
func TestEachKnobCostsOrGains(t *testing.T) {
	rows := map[string]struct {
		change func(*memory.Running)
		worse  bool
	}{
		"higher CL":         {func(m *memory.Running) { m.CL += 4 }, true},
		"higher tRCD":       {func(m *memory.Running) { m.RCD += 4 }, true},
		"higher tRP":        {func(m *memory.Running) { m.RP += 4 }, true},
		"higher tRAS":       {func(m *memory.Running) { m.RAS += 12 }, true},
		"command rate 2T":   {func(m *memory.Running) { m.TwoT = true }, true},
		"half controller":   {func(m *memory.Running) { m.Half = true }, true},
		"power-down":        {func(m *memory.Running) { m.PowerDown = true }, true},
		"slow fabric":       {func(m *memory.Running) { m.FabricMHz, m.FabricNominal = 1600, 2000 }, true},
		"fast fabric":       {func(m *memory.Running) { m.FabricMHz, m.FabricNominal = 2133, 2000 }, false},
		"fast ring":         {func(m *memory.Running) { m.RingMHz, m.RingAt = 4800, 4500 }, false},
		"higher rate":       {func(m *memory.Running) { m.MTs = 6400 }, false},
		"lower rate":        {func(m *memory.Running) { m.MTs = 5200 }, true},
		"ring as delivered": {func(m *memory.Running) { m.RingMHz, m.RingAt = 4800, 4700 }, false},
	}
	for name, row := range rows {
		before, after := rated(6000, 32), rated(6000, 32)
		row.change(&after)
		if worse := after.LatencyNS() > before.LatencyNS(); worse != row.worse || after.LatencyNS() == before.LatencyNS() {
			t.Errorf("%s: latency from %.3f to %.3f ns", name, before.LatencyNS(), after.LatencyNS())
		}
		if slower := after.Slow() > before.Slow(); slower != row.worse {
			t.Errorf("%s: slowness from %.4f to %.4f", name, before.Slow(), after.Slow())
		}
	}
}

func TestKitPowerGoesWithTheSquareOfItsVoltage(t *testing.T) {
	m := rated(6000, 32)
	if m.KitW() != 0 {
		t.Errorf("at no known voltage the kit takes %g W more", m.KitW())
	}
	m.V = 1.1
	usual := m.KitW()
	m.V = 1.1 * math.Sqrt2
	if math.Abs(usual) > 1e-12 || math.Abs(m.KitW()-6) > 1e-9 {
		t.Errorf("%g W at the usual voltage, %g W more at twice its square", usual, m.KitW())
	}
}

// TestKeptTimings: at any rate the clocks that keep a kit's times are the fewest that do.
func TestKeptTimings(t *testing.T) {
	kit := memory.Kit{MTs: 6000, CL: 32, RCD: 38, RP: 38}
	for mts := 3000.0; mts <= 9000; mts += 100.0 / 3 {
		m := memory.Running{MTs: mts, CL: 30, RCD: 40, RP: 40, RAS: 70}
		list := m.Kept(kit, 76)
		if len(list) != 4 {
			t.Fatalf("%d timings", len(list))
		}
		for _, one := range list {
			if ns := memory.NS(one.Keep, mts); ns < one.KitNS-1e-6 || memory.NS(one.Keep-1, mts) >= one.KitNS {
				t.Errorf("at %.0f MT/s %s keeps %g ns with %g clocks, which are %g ns", mts, one.Name, one.KitNS, one.Keep, ns)
			}
		}
		if m.Slack(kit) >= 0 && (list[0].Set < list[0].Keep-1e-9 || list[1].Set < list[1].Keep-1e-9) {
			t.Errorf("at %.0f MT/s nothing goes beyond the kit, and yet %+v", mts, list)
		}
	}
}
