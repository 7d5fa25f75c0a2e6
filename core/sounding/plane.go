package sounding

import (
	"cmp"
	"math"

	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/trim"
)

// Plane is the clock of all cores and their fixed voltage, as far about some settings as what was tried there tells.
type Plane struct {
	MHz       float64   // of the settings
	Clocks    []float64 // MHz, rising
	Delivered []float64 // by clock: the voltage from which the axis is counted there
	Volts     []float64 // rising
	// By voltage and clock, settled under heavy load: watts of the package, and °C of the hottest core; NaN for what is not known.
	Watts, Degrees [][]float64
	MostV          float64 // that the sheet says the part stands
}

// How far the plane reaches: so many clocks either way, so many MHz apart, and so far below and above what is delivered.
const (
	planeClocks = 3
	planeMHz    = 100.0
	planeRows   = 7
	belowV      = 0.2
	aboveV      = 0.04
)

// RatioKey is the setting that gives all cores one ratio, or those for performance where others have their own: the one that settings use,
// or else the first that the board offers; empty for none.
func RatioKey(set *part.Set, settings trim.Settings) (first string) {
	for _, key := range []string{"clock.ratio.all", "clock.ratio.p"} {
		if !trim.Offers(set.Processor, set.Board, key) || trim.Inert(set, settings, key) != "" {
			continue
		}
		if _, used := settings[key].Number(); used {
			return key
		}
		first = cmp.Or(first, key)
	}
	return first
}

// ClockOf is the clock of all cores that settings ask for, in MHz; false where they leave it to the processor.
func ClockOf(set *part.Set, settings trim.Settings) (mhz float64, told bool) {
	now := trim.Stock(set.Processor, set.Board).With(settings)
	ratio, is := now[RatioKey(set, settings)].Number()
	return ratio * now.Number("clock.base", set.Processor.BaseClockMHz), is
}

// Plane looks at the clocks and voltages about some settings; nil where these leave the clock to the processor.
func (a *Axis) Plane(set *part.Set, rest trim.Settings, model func(trim.Settings) (*machine.Model, error), ambientC float64) *Plane {
	mhz, is := ClockOf(set, rest)
	if !a.Fixed() || !is {
		return nil
	}
	p, key := &Plane{MHz: mhz, MostV: set.Processor.VoltageMaxV}, RatioKey(set, rest)
	for i := range set.Processor.Clusters {
		p.MostV = math.Min(p.MostV, set.Processor.ClusterMaxV(i))
	}
	entry, _ := set.Board.Lookup(key)
	base := trim.Stock(set.Processor, set.Board).With(rest).Number("clock.base", set.Processor.BaseClockMHz)
	vf := set.Processor.ClusterVF(0)
	var at []trim.Settings
	for i := -planeClocks; i <= planeClocks; i++ {
		ratio := entry.Nearest((mhz + float64(i)*planeMHz) / base)
		clock := ratio * base
		if n := len(p.Clocks); clock > vf[len(vf)-1].MHz || n > 0 && clock <= p.Clocks[n-1] {
			continue
		}
		s := rest.With(trim.Settings{key: part.Number(ratio)})
		there, err := AxisOf(set, s)
		if err != nil {
			continue
		}
		at, p.Clocks, p.Delivered = append(at, s), append(p.Clocks, clock), append(p.Delivered, there.Zero)
	}
	if len(p.Clocks) < 2 {
		return nil
	}
	volts, _ := set.Board.Lookup(fixedKey)
	low, high := math.Max(volts.Min, p.Delivered[0]-belowV), math.Min(volts.Max, p.Delivered[len(p.Delivered)-1]+aboveV)
	for row := range planeRows {
		v := volts.Nearest(low + (high-low)*float64(row)/(planeRows-1))
		watts, degrees := make([]float64, len(at)), make([]float64, len(at))
		for i, s := range at {
			watts[i], degrees[i] = settled(s.With(trim.Settings{fixedKey: part.Number(v)}), model, ambientC)
		}
		p.Volts, p.Watts, p.Degrees = append(p.Volts, v), append(p.Watts, watts), append(p.Degrees, degrees)
	}
	return p
}

// settled is what settings come to under heavy load.
func settled(s trim.Settings, model func(trim.Settings) (*machine.Model, error), ambientC float64) (watts, degrees float64) {
	m, err := model(s)
	if err != nil {
		return math.NaN(), math.NaN()
	}
	heavy, err := m.Steady(load.Heavy, nil, ambientC)
	if err != nil || heavy.Overheats {
		return math.NaN(), math.NaN()
	}
	return heavy.PackageW, heavy.HottestC
}
