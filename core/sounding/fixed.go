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

// fixed makes the axis of a fixed voltage. It is counted from where the core and the load that get least of it get just as much at their
// clock as the machine as delivered would give them: what their fuses ask for, less what droops. Others are reached by more. A board that
// gives more than the fuses ask for is not followed in that.
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

// reach finds by how many volts a fixed voltage lies above what each core would get as delivered, in every regime, and returns the least;
// the lifts are by how much more the others get.
func (a *Axis) reach(set *part.Set, settings trim.Settings, v float64) (least float64, err error) {
	stock, err := aboveFused(set, trim.Stock(set.Processor, set.Board), a.Cores, false)
	if err != nil {
		return 0, err
	}
	now, err := aboveFused(set, settings.With(trim.Settings{fixedKey: part.Number(v)}), a.Cores, true)
	if err != nil {
		return 0, err
	}
	a.lifts, least = make([]map[load.Regime]float64, len(now)), math.Inf(1)
	for i := range now {
		above := now[i].less(stock[i].droop())
		a.lifts[i] = above.of(1)
		if x := math.Min(above.together, above.alone); x < least && i < len(a.Cores) {
			least, a.tightest = x, i
		}
	}
	for _, lift := range a.lifts {
		for regime, x := range lift {
			lift[regime] = math.Min(mostLift, (x-least)/a.StepV)
		}
	}
	return least, nil
}

// typical is the model of a typical chip with some settings.
func typical(set *part.Set, settings trim.Settings) (*machine.Model, error) {
	tuning, err := machine.Tune(set, settings)
	if err != nil {
		return nil, err
	}
	return machine.NewModel(set, tuning, silicon.Typical(set.Processor))
}

// sharesRail reports whether a ring lies on the cores' rail.
func sharesRail(p *part.Processor) bool { return p.Ring != nil && p.Rails != part.RailsCluster }

// aboveFused finds that of some cores by the sheets, at the clocks that are set whatever limits hold these down, or as limits leave them;
// and of the ring after them, where one shares their rail.
func aboveFused(set *part.Set, settings trim.Settings, cores []int, unlimited bool) ([]level, error) {
	tuning, err := machine.Tune(set, settings)
	if err != nil {
		return nil, err
	}
	m, err := machine.NewModel(set, tuning, silicon.Typical(set.Processor))
	if err != nil {
		return nil, err
	}
	if unlimited {
		m = m.Unlimited()
	}
	all, err := levelsOf(m, cores, usualAmbientC)
	if err != nil || !sharesRail(set.Processor) {
		return all.cores, err
	}
	heavy, err := m.Steady(load.Heavy, nil, usualAmbientC)
	if err != nil {
		return nil, err
	}
	r := set.Processor.Ring
	need := r.V + r.VPerGHz*(heavy.RingMHz-r.MHz)/1000
	alone := m.AskedV(cores[0], m.AloneMHz(cores[0]), usualC) - need
	return append(all.cores, level{heavy.DeliveredV - need, alone, alone, alone}), nil
}

// Tightest is the core that gets least of a fixed voltage against what it would get as delivered.
func (a *Axis) Tightest() int { return a.Cores[a.tightest] }

// mostLift is how much more than is set is told apart, in steps: who gets more never fails first.
const mostLift = 60.0
