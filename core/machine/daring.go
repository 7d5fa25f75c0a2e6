package machine

import (
	"math"

	"zerokeel/core/clock"
	"zerokeel/core/govern"
	"zerokeel/core/load"
	"zerokeel/core/memory"
	"zerokeel/core/part"
	"zerokeel/core/silicon"
	"zerokeel/core/trim"
)

// Daring is how far settings go in each respect in which a machine can fail. Two of them may each go further in another respect;
// only AtLeast says that one goes as far as another in all of them.
type Daring struct {
	cores               []coreDaring
	droopMOhm, stepMOhm float64 // voltage lost per ampere, and at a step
	liftV               float64 // at light load
	limits              govern.Limits
	ringMHz, ringV      float64
	soc, controller     float64 // against the sheet's voltages
	memory              memory.Running
	memoryV, fabricMHz  float64
	sleeps              bool
}

// coreDaring is a core's part of it: its highest clocks, and what it asks for there and at rest, less what its fuses ask for.
type coreDaring struct {
	on                     bool
	aloneMHz, togetherMHz  float64
	aloneV, togetherV, low float64
}

// usualC is the temperature at which requests are compared, where they depend on it.
const usualC = 60.0

// NewDaring works out how far settings go. They must be such as the board takes.
func NewDaring(set *part.Set, settings trim.Settings) (*Daring, error) {
	t, err := Tune(set, settings)
	if err != nil {
		return nil, err
	}
	m, err := NewModel(set, t, silicon.Typical(set.Processor))
	if err != nil {
		return nil, err
	}
	d := &Daring{cores: make([]coreDaring, m.cores), droopMOhm: m.lineOhms * 1000, stepMOhm: t.LoadLine.StepMOhm, liftV: t.LightLiftV,
		limits: t.Limits, ringMHz: t.Rest.RingMHz, ringV: t.RingV, soc: t.Rest.SoC, controller: t.Rest.Controller, memory: t.Memory,
		memoryV: t.Memory.V, fabricMHz: t.Memory.FabricMHz, sleeps: !t.Awake}
	if d.memoryV == 0 {
		d.memoryV = set.Memory.V
	}
	if set.Processor.Ring != nil {
		d.ringV -= set.Processor.Ring.VPerGHz * (d.ringMHz - set.Processor.Ring.MHz) / 1000 // against what its own line asks for
	}
	all := m.newDemand(load.Mixed, m.OnCores())
	for c := range d.cores {
		if !t.On[c] {
			continue
		}
		alone := m.bins.MHz(min(m.bins.AtMost(t.Clocks.Top(set.Processor, c, clock.Alone, false)), m.highest[c]))
		one := coreDaring{on: true, aloneMHz: alone, togetherMHz: m.bins.MHz(all.caps[c])}
		below := func(mhz float64) float64 {
			asked := m.AskedV(c, mhz, usualC)
			if t.Mode != trim.Fixed {
				asked = t.Corridor.Hold(asked, usualC)
			}
			return asked - m.FusedV(c, mhz)
		}
		one.aloneV, one.togetherV, one.low = below(one.aloneMHz), below(one.togetherMHz), below(m.bins.MHz(m.idleBin))
		d.cores[c] = one
	}
	return d, nil
}

// sameV, sameMHz and sameShare are differences that are none.
const (
	sameV     = 1e-6
	sameMHz   = 1e-3
	sameShare = 1e-9
)

// AsHot reports whether these settings let the machine get at least as hot as others: as much of every limit, and as high clocks at
// as much voltage.
func (d *Daring) AsHot(other *Daring) bool {
	for c := range other.cores {
		a, b := &d.cores[c], &other.cores[c]
		if b.on && (!a.on || a.togetherMHz < b.togetherMHz-sameMHz || a.togetherV < b.togetherV-sameV) {
			return false
		}
	}
	return limitsAtLeast(&d.limits, &other.limits) && d.droopMOhm <= other.droopMOhm+sameShare
}

// AtLeast reports whether these settings go at least as far as others in every respect that counts for a fault in a regime; "" for
// one that shows as soon as the machine starts. core is the one that failed, -1 where that is not known: all that ran count then,
// and the memory with them.
func (d *Daring) AtLeast(other *Daring, regime load.Regime, core int) bool {
	if regime == load.RegimeMemory {
		return d.memoryAtLeast(other)
	}
	for c := range other.cores {
		if core >= 0 && c != core || !other.cores[c].on {
			continue
		}
		if c >= len(d.cores) || !d.cores[c].atLeast(&other.cores[c], regime) {
			return false
		}
	}
	if d.droopMOhm < other.droopMOhm-sameShare || d.liftV > other.liftV+sameV {
		return false
	}
	switch regime {
	case load.RegimeHeavy:
		if !limitsAtLeast(&d.limits, &other.limits) {
			return false
		}
	case load.RegimeTransition, "":
		if d.stepMOhm < other.stepMOhm-sameShare || !limitsAtLeast(&d.limits, &other.limits) {
			return false
		}
	case load.RegimeIdle:
		if other.sleeps && !d.sleeps {
			return false // it failed waking up, or asleep
		}
	}
	if core >= 0 {
		return true
	}
	return d.ringMHz >= other.ringMHz-sameMHz && d.ringV <= other.ringV+sameV && d.memoryAtLeast(other)
}

func (c *coreDaring) atLeast(other *coreDaring, regime load.Regime) bool {
	alone := c.aloneMHz >= other.aloneMHz-sameMHz && c.aloneV <= other.aloneV+sameV
	together := c.togetherMHz >= other.togetherMHz-sameMHz && c.togetherV <= other.togetherV+sameV
	low := c.low <= other.low+sameV
	if !c.on {
		return false
	}
	switch regime {
	case load.RegimeHeavy:
		return together
	case load.RegimeLight:
		return alone
	case load.RegimeIdle:
		return alone && low // at rest, or waking to the highest clock
	}
	return alone && together && low
}

func limitsAtLeast(a, b *govern.Limits) bool {
	most := func(x, y float64) bool { return x >= y*(1-sameShare) || math.IsInf(x, 1) }
	return most(a.SustainedW, b.SustainedW) && most(a.ShortW, b.ShortW) && most(a.WindowS, b.WindowS) &&
		most(a.SustainedA, b.SustainedA) && most(a.PeakA, b.PeakA) && most(a.TemperatureC, b.TemperatureC)
}

// memoryAtLeast compares what the memory, its controller and the fabric are asked for. Timings are times.
func (d *Daring) memoryAtLeast(other *Daring) bool {
	a, b := &d.memory, &other.memory
	for _, t := range [][2]float64{{a.CL / a.MTs, b.CL / b.MTs}, {a.RCD / a.MTs, b.RCD / b.MTs}, {a.RP / a.MTs, b.RP / b.MTs},
		{a.RAS / a.MTs, b.RAS / b.MTs}} {
		if t[0] > t[1]*(1+sameShare) {
			return false
		}
	}
	return a.MTs >= b.MTs*(1-sameShare) && (!a.TwoT || b.TwoT) && (!a.Half || b.Half) && d.memoryV <= other.memoryV+sameV &&
		d.soc <= other.soc+sameShare && d.controller <= other.controller+sameShare && d.fabricMHz >= other.fabricMHz-sameMHz
}
