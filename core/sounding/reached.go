package sounding

import (
	"fmt"
	"math"

	"zerokeel/core/load"
	"zerokeel/core/part"
	"zerokeel/core/survey"
	"zerokeel/core/trim"
)

const acKey = "loadline.ac"

// acLine makes the axis of the AC load line. A step of it is as many volts as cores get while all of them work; while one works alone it is
// what its own current makes of that, and at rest next to nothing.
func (a *Axis) acLine(set *part.Set, settings trim.Settings) (*Axis, error) {
	entry, _ := set.Board.Lookup(acKey)
	if !counts(set, settings, acKey) || settings.Word("voltage.core.mode") == trim.Fixed {
		return nil, &None{"this part or its board has no AC load line that counts"}
	}
	for range a.Cores {
		a.Keys = append(a.Keys, acKey)
	}
	a.Name, a.Unit, a.Each = "AC load line", "mΩ", survey.EachChip
	a.Zero = entry.Nearest(trim.Stock(set.Processor, set.Board).Number(acKey, set.Board.ACMOhm))
	at := func(mOhm float64) trim.Settings { return settings.With(trim.Settings{acKey: part.Number(mOhm)}) }
	if a.Zero <= entry.Min {
		return nil, &None{"the AC load line stands at its lowest as delivered"}
	}
	high, low, err := a.between(set, at(a.Zero), at(entry.Min))
	if err != nil {
		return nil, err
	}
	perMOhm := (whileAll(high) - whileAll(low)) / (a.Zero - entry.Min) // V, while all work
	if perMOhm*(a.Zero-entry.Min) < 2*leastStepV {
		return nil, &None{"as delivered the AC load line hardly raises the voltage"}
	}
	a.Per = entry.Step * math.Max(1, math.Ceil(leastStepV/perMOhm/entry.Step-1e-9))
	a.StepV = a.Per * perMOhm
	a.Min, a.Max = int(math.Ceil((entry.Min-a.Zero)/a.Per-1e-9)), int(math.Floor((entry.Max-a.Zero)/a.Per+1e-9))
	return a.reaching(set, high, low, (a.Zero-entry.Min)/a.Per)
}

// whileAll is how much more than their fuses ask for cores get while all work.
func whileAll(all []level) float64 { return levels{cores: all}.mean().together }

// between looks up what reaches cores at two ends of an axis.
func (a *Axis) between(set *part.Set, shallow, deep trim.Settings) (high, low []level, err error) {
	if high, err = aboveFused(set, shallow, a.Cores, false); err == nil {
		low, err = aboveFused(set, deep, a.Cores, false)
	}
	if err != nil {
		return nil, nil, &None{fmt.Sprintf("no model tells what these settings come to: %v", err)}
	}
	return high, low, nil
}

// reaching works out by how much more than the axis says reaches each core as delivered, and which share of a step does, from what reaches
// them at zero and some steps below.
func (a *Axis) reaching(set *part.Set, zero, deep []level, steps float64) (*Axis, error) {
	stock, err := aboveFused(set, trim.Stock(set.Processor, set.Board), a.Cores, false)
	if err != nil {
		return nil, &None{fmt.Sprintf("no model tells what these parts come to: %v", err)}
	}
	for i := range zero {
		lift := zero[i].less(stock[i].droop()).of(a.StepV)
		gain := zero[i].less(deep[i]).of(a.StepV * steps)
		for r := range lift {
			lift[r], gain[r] = math.Max(-mostLift, math.Min(mostLift, lift[r])), math.Max(0, gain[r])
		}
		a.lifts, a.gains = append(a.lifts, lift), append(a.gains, gain)
	}
	return a, nil
}

// bandsWithin is how many steps curve bands are moved from where a curve stands.
const bandsWithin = 30

// bands makes the axis of the curve bands about the clocks at which all cores work. What a core gets at its highest clock, and as it
// rests at its lowest, stays as it is.
func (a *Axis) bands(set *part.Set, settings trim.Settings) (*Axis, error) {
	p, b := set.Processor, set.Board
	if b.Bands == nil || !counts(set, settings, trim.At("curve.band.*.hot", 1)) {
		return nil, &None{"this board has no curve bands that count on this part"}
	}
	m, err := typical(set, settings)
	if err != nil {
		return nil, &None{fmt.Sprintf("no model tells what these settings come to: %v", err)}
	}
	heavy, err := m.Steady(load.Heavy, nil, usualAmbientC)
	if err != nil {
		return nil, &None{fmt.Sprintf("no model tells what these settings come to: %v", err)}
	}
	works, top := 0.0, 0.0
	for _, c := range a.Cores {
		works, top = math.Max(works, heavy.Cores[c].RequestMHz), math.Max(top, m.AloneMHz(c))
	}
	for i := 1; i < len(b.Bands.MHz)-1; i++ { // the lowest is where cores rest
		if i > 1 && b.Bands.MHz[i-1] >= works {
			break
		}
		a.moved = append(a.moved, trim.At("curve.band.*.cold", i+1), trim.At("curve.band.*.hot", i+1))
		if b.Bands.MHz[i] >= top {
			return nil, &None{fmt.Sprintf("all cores work at %.0f MHz and one alone at %.0f: no curve band tells these apart", works, top)}
		}
	}
	if len(a.moved) == 0 {
		return nil, &None{"this board has too few curve bands to move those between rest and the highest clock"}
	}
	for range a.Cores {
		a.Keys = append(a.Keys, a.moved[0])
	}
	a.Name, a.Unit, a.Each, a.StepV, a.Per = "curve bands", "steps", survey.EachChip, p.CurveStepV, 1
	entry, _ := b.Lookup(a.moved[0])
	a.Min, a.Max = max(-bandsWithin, int(math.Ceil(entry.Min))), min(bandsWithin, int(math.Floor(entry.Max)))
	if a.Min >= a.Max || !(a.StepV > 0) {
		return nil, &None{"the range of the curve bands on this board leaves nothing to look for"}
	}
	at := func(depth int) trim.Settings { return settings.With(a.Changes(same(depth, len(a.Cores)))) }
	const deep = -10
	high, low, err := a.between(set, at(0), at(deep))
	if err != nil {
		return nil, err
	}
	if a, err = a.reaching(set, high, low, -deep); err == nil && a.gains[0][load.RegimeHeavy] < leastMoved {
		return nil, &None{"the curve bands of this board hardly move what cores get while all of them work"}
	}
	return a, err
}

// leastMoved is the share of a step that must reach cores at work for curve bands to be worth moving.
const leastMoved = 0.3

// same is one depth of every core.
func same(depth, cores int) []int {
	out := make([]int, cores)
	for i := range out {
		out[i] = depth
	}
	return out
}
