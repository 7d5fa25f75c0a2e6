package sounding

import (
	"fmt"
	"math"

	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/silicon"
	"zerokeel/core/survey"
	"zerokeel/core/trim"
)

// fixedKey is the one voltage that all cores get where it is fixed.
const fixedKey = "voltage.core.fixed"

// mostFixedV is how far below what the fuses ask for a fixed voltage is looked at.
const mostFixedV = 0.3

// usualAmbientC is at which a sheet's machine is looked at.
const usualAmbientC = 25.0

// fixed makes the axis of a fixed voltage. It is counted from where the core and the load that get least of it get just what their
// fuses ask for, by the sheet of the processor; others are reached by more.
func (a *Axis) fixed(set *part.Set, settings trim.Settings) (*Axis, error) {
	p, b := set.Processor, set.Board
	entry, offered := b.Lookup(fixedKey)
	if !offered || trim.Inert(set, settings, fixedKey) != "" {
		return nil, &None{"at a fixed voltage no offset moves anything, and this board does not let it be set"}
	}
	for range a.Cores {
		a.Keys = append(a.Keys, fixedKey)
	}
	a.Name, a.Unit, a.Each = "fixed voltage", "V", survey.EachChip
	a.Per = entry.Step * math.Max(1, math.Ceil(leastStepV/entry.Step-1e-9))
	a.StepV = a.Per
	at := settings.Number(fixedKey, p.VoltageMaxV)
	for range 3 { // what it droops by hangs on it a little
		least, err := a.reach(set, settings, at)
		if err != nil {
			return nil, &None{fmt.Sprintf("no model tells what these settings come to: %v", err)}
		}
		a.Zero = entry.Nearest(at - least)
		at = a.Zero
	}
	a.Min = int(math.Ceil(math.Max(entry.Min-a.Zero, -mostFixedV)/a.Per - 1e-9))
	a.Max = int(math.Floor((entry.Max-a.Zero)/a.Per + 1e-9))
	if a.Min >= min(a.Max, 0) {
		return nil, &None{fmt.Sprintf("the range of %s on this board leaves nothing to look for", a.Name)}
	}
	return a, nil
}

// reach finds by how many volts a fixed voltage lies above what each core's fuses ask for, in every regime, and returns the least; the
// lifts are by how much more the others get.
func (a *Axis) reach(set *part.Set, settings trim.Settings, v float64) (least float64, err error) {
	tuning, err := machine.Tune(set, settings.With(trim.Settings{fixedKey: part.Number(v)}))
	if err != nil {
		return 0, err
	}
	m, err := machine.NewModel(set, tuning, silicon.Typical(set.Processor))
	if err != nil {
		return 0, err
	}
	heavy, err := m.Steady(load.Heavy, nil, usualAmbientC)
	if err != nil {
		return 0, err
	}
	a.lifts, least = make([]map[load.Regime]float64, len(a.Cores)), math.Inf(1)
	for i, c := range a.Cores {
		together := heavy.Cores[c].DeliveredV - m.FusedV(c, heavy.Cores[c].RequestMHz)
		alone := v - m.FusedV(c, m.AloneMHz(c))
		a.lifts[i] = map[load.Regime]float64{load.RegimeHeavy: together, load.RegimeTransition: together, load.RegimeLight: alone,
			load.RegimeIdle: alone, "": v - m.FusedV(c, set.Processor.BaseMHz)}
		least = math.Min(least, math.Min(together, alone))
	}
	for _, lift := range a.lifts {
		for regime, x := range lift {
			lift[regime] = math.Min(mostLift, (x-least)/a.StepV)
		}
	}
	return least, nil
}

// mostLift is how much more than is set is told apart, in steps: who gets more never fails first.
const mostLift = 60.0

// nearMHz is how far apart the clocks of two trims at a fixed voltage may lie so that what one of them held or failed tells of the other:
// floors run about along the fused curve.
const nearMHz = 300.0

// near reports whether clocks lie so close to each other that one tells of the other.
func (l levels) near(other levels) bool { return math.Abs(l.topMHz-other.topMHz) <= nearMHz }
