package machine

import (
	"math"

	"zerokeel/core/govern"
	"zerokeel/core/heat"
	"zerokeel/core/load"
	"zerokeel/core/part"
	"zerokeel/core/power"
)

// Core is the state of one core.
type Core struct {
	RequestMHz   float64 `json:"requestMHz"`
	EffectiveMHz float64 `json:"effectiveMHz"` // averaged over sleep
	RequestV     float64 `json:"requestV"`     // what this core asks of the rail at its clock
	DeliveredV   float64 `json:"deliveredV"`
	TemperatureC float64 `json:"temperatureC"`
	PowerW       float64 `json:"powerW"`
	Active       bool    `json:"active"`
}

// State is the state of a machine at a moment, or once settled.
type State struct {
	Load        load.Kind      `json:"load"`
	Limiter     govern.Limiter `json:"limiter"`
	Cores       []Core         `json:"cores"`
	RequestV    float64        `json:"requestV"`
	DeliveredV  float64        `json:"deliveredV"`
	DipV        float64        `json:"dipV"`       // lowest transient voltage, when this load attacks
	OvershootV  float64        `json:"overshootV"` // highest, when it ends
	Amps        float64        `json:"amps"`
	PackageW    float64        `json:"packageW"`
	ReportedW   float64        `json:"reportedW"` // package power as the processor works it out from its DC load line
	VRMLossW    float64        `json:"vrmLossW"`
	WallW       float64        `json:"wallW"`
	HottestC    float64        `json:"hottestC"`
	DieC        float64        `json:"dieC"`
	CoolantC    float64        `json:"coolantC"`
	VRMC        float64        `json:"vrmC"`
	AmbientC    float64        `json:"ambientC"`
	FanDuty     float64        `json:"fanDuty"`
	FanRPM      float64        `json:"fanRPM"`
	NoiseDB     float64        `json:"noiseDB"`
	Overheats   bool           `json:"overheats"` // past the hard trip: the machine switches itself off
	MemoryMTs   float64        `json:"memoryMTs"`
	MemoryCL    int            `json:"memoryCL"`
	LowestMHz   float64        `json:"lowestMHz"` // lowest effective clock of the active cores
	MeanMHz     float64        `json:"meanMHz"`
	VoltageMaxV float64        `json:"voltageMaxV"` // highest core voltage, transients included
	RingMHz     float64        `json:"-"`           // clock of the ring; 0 where there is none
	RingV       float64        `json:"-"`           // what it asks for
}

// WallW reckons what a machine draws at the wall, in W, from what its package does, at a core voltage: with what its regulator and its
// memory take, and by its supply.
func (t *Tuning) WallW(set *part.Set, packageW, coreV float64) float64 {
	return power.Wall(set.Board, packageW, power.VRMLoss(&set.Board.VRM, t.Regulator, packageW/coreV)+t.Memory.KitW())
}

// state fills in a State from an operating point.
func (m *Model) state(d *demand, op *operating, l *leaks, n heat.Nodes, temperature []float64, duty, ambient float64,
	limiter govern.Limiter) State {
	lead, ring := m.leadFeed(d, op), m.ringAt(d, op.bin)
	s := State{
		RingMHz: ring.RingMHz, RingV: ring.RingV,
		Load: d.kind, Limiter: limiter, Cores: make([]Core, m.cores),
		RequestV: op.request[lead], DeliveredV: op.die[lead], Amps: op.amps, PackageW: op.packageW, ReportedW: op.reportedW,
		VRMLossW: power.VRMLoss(&m.set.Board.VRM, m.tuning.Regulator, op.amps),
		DieC:     n.Die, CoolantC: n.Coolant, AmbientC: ambient,
		FanDuty: duty, FanRPM: heat.Speed(m.set.Cooler.Fan, duty),
		MemoryMTs: m.tuning.Memory.MTs, MemoryCL: int(math.Round(m.tuning.Memory.CL)),
	}
	s.WallW = power.Wall(m.set.Board, s.PackageW, s.VRMLossW+m.tuning.Memory.KitW())
	s.VRMC = ambient + 0.35*(n.Coolant-ambient) + m.set.Board.VRM.KPerW*s.VRMLossW
	s.NoiseDB = heat.Together(heat.Noise(m.set.Cooler.Fan, s.FanRPM), heat.PumpNoise(m.set.Cooler.Pump, m.tuning.Pump))
	s.LowestMHz = math.Inf(1)
	warmth := m.warmth(l.hottestC)
	residency, on := idleResidency, 0
	if m.tuning.Awake {
		residency = 1
	}
	for c := range s.Cores {
		if !m.tuning.On[c] {
			s.Cores[c] = Core{TemperatureC: temperature[c]}
			continue
		}
		on++
		core := Core{Active: d.active[c], RequestMHz: m.clockOf(d, c, op.bin), TemperatureC: temperature[c], PowerW: m.corePower(d, op, l, c),
			DeliveredV: op.die[m.feedOf[c]]}
		core.RequestV = m.askedAt(c, m.bins.AtMost(core.RequestMHz), warmth)
		core.EffectiveMHz = core.RequestMHz
		if !core.Active {
			core.EffectiveMHz *= residency
		}
		if core.Active || d.count == 0 {
			s.LowestMHz = math.Min(s.LowestMHz, core.EffectiveMHz)
			s.MeanMHz += core.EffectiveMHz
		}
		s.HottestC = math.Max(s.HottestC, core.TemperatureC)
		s.Cores[c] = core
	}
	if d.count > 0 {
		on = d.count
	}
	s.MeanMHz /= float64(on)
	s.Overheats = s.HottestC >= m.tuning.TripC
	// The dip and the overshoot are those of the load's own step, from and to what the cores draw without it.
	step := (op.amps - math.Min(m.idleAmps(op.die[lead], l), op.amps)) * m.tuning.LoadLine.StepMOhm * 1e-3
	s.DipV = s.DeliveredV - step
	idleA := math.Min(m.idleAmps(op.die[lead], l), op.amps)
	s.OvershootV = op.request[lead] - idleA*(m.tuning.LoadLine.MilliOhm+m.adjust.ExtraMOhm)*1e-3 + step
	s.VoltageMaxV = math.Max(s.OvershootV, s.DeliveredV)
	return s
}

// leadFeed returns the feed with the highest request among those with an active core.
func (m *Model) leadFeed(d *demand, op *operating) int {
	lead := -1
	for c, on := range d.active {
		if k := m.feedOf[c]; (on || d.count == 0) && (lead < 0 || op.request[k] > op.request[lead]) {
			lead = k
		}
	}
	return max(0, lead)
}

// idleAmps returns what the cores still draw, at the same voltage, the moment their load ends.
func (m *Model) idleAmps(v float64, l *leaks) float64 {
	p := &m.set.Processor.Power
	g, leak := 0.0, 0.0
	for c := range m.cores {
		g += power.Conductance(m.idleA, p.SwitchedNF*m.size[c], m.bins.MHz(m.idleBin))
		leak += l.core[c]
	}
	amps, _ := power.Draw(p, g, leak).At(v)
	return amps
}
