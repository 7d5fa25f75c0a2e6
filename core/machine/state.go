package machine

import (
	"math"

	"zerokeel/core/govern"
	"zerokeel/core/heat"
	"zerokeel/core/load"
	"zerokeel/core/power"
	"zerokeel/core/volt"
)

// Core is the state of one core.
type Core struct {
	RequestMHz   float64 `json:"requestMHz"`
	EffectiveMHz float64 `json:"effectiveMHz"` // averaged over sleep
	RequestV     float64 `json:"requestV"`     // what this core asks of the rail at its clock
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
}

// state fills in a State from an operating point.
func (m *Model) state(d *demand, op *operating, l *leaks, n heat.Nodes, temperature []float64, duty, ambient float64, limiter govern.Limiter) State {
	p := m.set.Processor
	s := State{
		Load: d.kind, Limiter: limiter, Cores: make([]Core, m.cores),
		RequestV: op.requestV, DeliveredV: op.dieV, Amps: op.amps, PackageW: op.packageW,
		VRMLossW: power.VRMLoss(&m.set.Board.VRM, op.amps),
		DieC:     n.Die, CoolantC: n.Coolant, AmbientC: ambient,
		FanDuty: duty, FanRPM: heat.Speed(m.set.Cooler.Fan, duty),
		MemoryMTs: m.tuning.MemoryMTs, MemoryCL: m.tuning.MemoryCL,
	}
	s.WallW = power.Wall(m.set.Board, s.PackageW, s.VRMLossW)
	s.VRMC = ambient + 0.35*(n.Coolant-ambient) + m.set.Board.VRM.KPerW*s.VRMLossW
	s.NoiseDB = heat.Noise(m.set.Cooler.Fan, s.FanRPM)
	mhz := m.bins.MHz(op.bin)
	s.LowestMHz = math.Inf(1)
	for c := range s.Cores {
		core := Core{Active: d.active[c], RequestMHz: m.bins.FirstMHz, TemperatureC: temperature[c], PowerW: m.corePower(d, op, l, c)}
		core.RequestV = m.asked[c][0]
		core.EffectiveMHz = m.bins.FirstMHz * idleResidency
		if core.Active {
			core.RequestMHz, core.EffectiveMHz, core.RequestV = mhz, mhz, m.asked[c][op.bin]
		}
		if core.Active || d.count == 0 {
			s.LowestMHz = math.Min(s.LowestMHz, core.EffectiveMHz)
			s.MeanMHz += core.EffectiveMHz / float64(max(1, d.count))
		}
		s.HottestC = math.Max(s.HottestC, core.TemperatureC)
		s.Cores[c] = core
	}
	if d.count == 0 {
		s.MeanMHz /= float64(m.cores)
	}
	s.Overheats = s.HottestC >= p.HardTripC()
	idleA := m.idleAmps(op.dieV, l)
	s.DipV, s.OvershootV = volt.Transient(op.requestV, m.tuning.LoadLine.MilliOhm*1e-3, m.tuning.LoadLine.StepMOhm*1e-3, math.Min(idleA, op.amps), op.amps)
	s.VoltageMaxV = math.Max(s.OvershootV, s.DeliveredV)
	return s
}

// idleAmps returns what the cores still draw, at the same voltage, the moment their load ends.
func (m *Model) idleAmps(v float64, l *leaks) float64 {
	amps, _ := power.Draw(&m.set.Processor.Power, float64(m.cores)*m.restG, l.sum).At(v)
	return amps
}
