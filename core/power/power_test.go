package power_test

import (
	"math"
	"testing"

	"zerokeel/core/part/parttest"
	"zerokeel/core/power"
)

func near(t *testing.T, what string, got, want float64) {
	t.Helper()
	if !(math.Abs(got-want) <= 1e-9*math.Max(1, math.Abs(want))) {
		t.Errorf("%s: got %.9g, want %.9g", what, got, want)
	}
}

// TestPowerLaws checks the laws of the model against figures worked out by hand.
func TestPowerLaws(t *testing.T) {
	set := parttest.Petrel(t)
	p := &set.Processor.Power
	near(t, "2 nF at half activity and 5 GHz", power.Conductance(0.5, 2, 5000), 5)
	near(t, "switching power at 1.2 V", power.Core(5, 0, 1.2, 1), 7.2)
	near(t, "leakage at V0 and T0", power.LeakAt(p, 1, p.LeakT0C), p.LeakA)
	near(t, "a leaky chip", power.LeakAt(p, 1.5, p.LeakT0C), 1.5*p.LeakA)
	near(t, "leakage doubles over", power.LeakAt(p, 1, p.LeakT0C+math.Ln2/p.LeakPerK)/p.LeakA, 2)
	near(t, "leakage factor at V0", power.LeakFactor(p, p.LeakV0), 1)
	near(t, "leakage factor doubles over", power.LeakFactor(p, p.LeakV0+math.Ln2/p.LeakPerV), 2)
	rest := power.Rest{MemoryMTs: 6000, FabricMHz: 2000, SoC: 1, Controller: 1}
	near(t, "uncore at 6000 MT/s", power.Uncore(set.Processor, &rest, false), 10+1.6*6+0.5*2)
	near(t, "uncore at rest", power.Uncore(set.Processor, &rest, true), 0.95*(10+1.6*6+0.5*2))
	rest.SoC, rest.Controller = 1.1, 0.9
	near(t, "uncore at other voltages", power.Uncore(set.Processor, &rest, false), 10*1.21+1.6*6*0.81+0.5*2)
	skua := parttest.Rig(t, "skua").Processor
	ring := power.Rest{SoC: 1, Controller: 1, RingMHz: skua.Ring.MHz / 2, RingV: skua.Ring.V / 2}
	near(t, "ring at half its clock and voltage", power.Uncore(skua, &ring, false), skua.Uncore.BaseW+skua.Ring.W/8)
	usual := power.Phases("normal")
	near(t, "regulator at 100 A", power.VRMLoss(&set.Board.VRM, usual, 100), 3+0.55e-3*1e4)
	near(t, "regulator at its usual frequency", power.VRMLoss(&set.Board.VRM, usual.Switching(1), 100), 3+0.55e-3*1e4)
	if fast := usual.Switching(2); fast.Idle <= 1 || fast.Ohmic <= 1 || fast.Step >= 1 {
		t.Errorf("fast switching loses nothing or answers no better: %+v", fast)
	}
	if saving, all := power.Phases("saving"), power.Phases("all"); saving.Idle >= all.Idle || saving.Ohmic <= all.Ohmic {
		t.Errorf("saving phases %+v against all %+v", saving, all)
	}
	near(t, "at the wall", power.Wall(set.Board, 142, 10), (142+10+38)/0.91)
}

// TestDrawIsTheSumOfTheCores: the current law of the rail agrees with the power of its cores, one by one.
func TestDrawIsTheSumOfTheCores(t *testing.T) {
	p := &parttest.Petrel(t).Processor.Power
	const g, v = 4.0, 1.17
	leak, sum := 0.0, 0.0
	for core := range 8 {
		l := power.LeakAt(p, 1+0.1*float64(core), 60+float64(core))
		leak += l
		sum += power.Core(g, l, v, power.LeakFactor(p, v))
	}
	amps, slope := power.Draw(p, 8*g, leak).At(v)
	near(t, "power", amps*v, sum)
	const dv = 1e-6
	above, _ := power.Draw(p, 8*g, leak).At(v + dv)
	if numeric := (above - amps) / dv; math.Abs(numeric-slope) > 1e-3*slope {
		t.Errorf("slope: got %.6f, numerically %.6f", slope, numeric)
	}
}
