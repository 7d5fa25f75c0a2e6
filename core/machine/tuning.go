// Package machine puts the models together into one machine: a processor chip under a cooler on a board, tuned
// by a trim. Model holds what does not change with time; Steady solves where it settles under a load, and
// Machine steps it through time. Both share every equation, so they agree once a machine has settled.
//
// The package knows part sheets, a chip and a trim. Whether the chip is a typical one (a forecast) or one drawn
// at random (a stand-in) is the caller's choice.
package machine

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"zerokeel/core/clock"
	"zerokeel/core/govern"
	"zerokeel/core/heat"
	"zerokeel/core/memory"
	"zerokeel/core/part"
	"zerokeel/core/power"
	"zerokeel/core/trim"
	"zerokeel/core/volt"
)

// Tuning is a trim in the terms of the models.
type Tuning struct {
	Clocks          clock.Table
	On              []bool // per core
	IdleMHz         float64
	Awake           bool      // idle cores do not sleep
	Mode            string    // of the core voltage: trim.Dynamic, Adaptive or Fixed
	FixedV, TargetV float64   // of the core voltage
	OffsetV         []float64 // per core: curve and voltage offsets added
	StepsV          []float64 // per core: the part of OffsetV that is curve steps
	Bands           volt.Bands
	Corridor        volt.Corridor
	LightLiftV      float64
	CeilingV        []float64 // per cluster
	RingV           float64   // requested by the ring, 0 where there is none
	RingVPerMHz     float64   // less for each MHz less
	Limits          govern.Limits
	TripC           float64
	LoadLine        part.LoadLine
	ACMOhm          float64
	DCMOhm          float64 // NaN: as the output really droops
	Regulator       power.Regulator
	Fan             heat.Control
	FanFromCoolant  bool
	Pump            string
	Memory          memory.Running
	Rest            power.Rest
	SMT             bool
}

// Shares of the settings that are no number of a sheet: by how much spread spectrum lowers the mean base clock (half of
// a down-spread of 0.5 %), and what the endurance factor adds to the voltage ceiling, in V, for each step above 1.
const (
	spreadShare = 0.0025
	enduranceV  = 0.005
)

// Tune translates settings; those that are absent count as delivered. The settings must have passed
// trim.Check, or an error is returned.
func Tune(set *part.Set, settings trim.Settings) (Tuning, error) {
	if err := trim.Check(set.Processor, set.Board, settings).Err(); err != nil {
		return Tuning{}, err
	}
	s := trim.Stock(set.Processor, set.Board).With(settings)
	for key := range s {
		if set.Processor.Locks(key) {
			delete(s, key)
		}
	}
	t := Tuning{SMT: s.Switch("platform.smt", true), Pump: s.Word("pump.mode")}
	t.tuneClocks(set, s)
	t.tuneMemory(set, s)
	t.tuneVoltage(set, s)
	t.tuneLimits(set, s)
	if err := t.tuneLoadLine(set, s); err != nil {
		return Tuning{}, err
	}
	t.tuneCooling(set, s)
	return t, nil
}

func (t *Tuning) tuneClocks(set *part.Set, s trim.Settings) {
	p := set.Processor
	base := s.Number("clock.base", p.BaseClockMHz)
	if s.Switch("platform.spread", false) {
		base *= 1 - spreadShare
	}
	t.Clocks = clock.Table{
		ReferenceMHz: s.Number("clock.reference", base), Boost: s.Switch("clock.boost", true), OffsetMHz: s.Number("clock.boostOffset", 0),
		All: s.Number("clock.ratio.all", 0), P: s.Number("clock.ratio.p", 0), E: s.Number("clock.ratio.e", 0),
		Lift: s.Number("clock.lift", 0), Vector: s.Number("clock.vectorOffset", 0), CapMHz: s.Number("system.ceiling", 0),
		Active: numbers(s, "clock.active.*", 1, p.Cores()), Cluster: numbers(s, "clock.ratio.cluster.*", 0, len(p.Clusters)),
		Core: numbers(s, "clock.ratio.core.*", 0, p.Cores()),
	}
	t.On = make([]bool, p.Cores())
	some := false
	for c := range t.On {
		t.On[c] = s.Switch(trim.At("clock.coreOn.*", c), true) && s.Switch(trim.At("clock.clusterOn.*", p.ClusterOf(c)), true)
		some = some || t.On[c]
	}
	t.On[0] = t.On[0] || !some // one core always runs
	t.Awake = !s.Switch("platform.cStates", true)
	t.IdleMHz = p.MinRatio * t.Clocks.ReferenceMHz
	if !s.Switch("platform.frequencyControl", true) {
		t.IdleMHz = p.BaseMHz * t.Clocks.ReferenceMHz / p.BaseClockMHz
	}
	t.Rest = power.Rest{SoC: 1, Controller: 1}
	if p.Ring != nil {
		t.Rest.RingMHz = p.Ring.MHz * base / p.BaseClockMHz
		if ratio := s.Number("clock.ring", 0); ratio > 0 {
			t.Rest.RingMHz = ratio * base
		}
	}
}

// Asked is what settings ask of the clocks that hang on the base clock.
func Asked(set *part.Set, settings trim.Settings) clock.Asked {
	s := trim.Stock(set.Processor, set.Board).With(settings)
	a := clock.Asked{BaseMHz: s.Number("clock.base", set.Processor.BaseClockMHz), ReferenceMHz: s.Number("clock.reference", 0),
		OffsetMHz: s.Number("clock.boostOffset", 0), Half: s.Word("memory.synchronous") == "1:2"}
	if s.Word("memory.profile") == trim.ProfileManual {
		a.RateMTs = s.Number("memory.rate", 0)
	}
	return a
}

func numbers(s trim.Settings, pattern string, first, count int) []float64 {
	out := make([]float64, count)
	for i := range out {
		out[i] = s.Number(trim.At(pattern, first+i), 0)
	}
	return out
}

func (t *Tuning) tuneMemory(set *part.Set, s trim.Settings) {
	p, kit := set.Processor, set.Memory
	base := s.Number("clock.base", p.BaseClockMHz) / p.BaseClockMHz
	m := memory.Running{MTs: kit.SafeMTs, CL: float64(kit.SafeCL)}
	m.RCD, m.RP, m.RAS = m.CL, m.CL, memory.DefaultRAS(m.CL)
	switch s.Word("memory.profile") {
	case trim.ProfileRated:
		rated, ras := KitOf(kit)
		m.MTs, m.CL, m.RCD, m.RP, m.RAS = rated.MTs, rated.CL, rated.RCD, rated.RP, ras
	case trim.ProfileManual:
		m.MTs = s.Number("memory.rate", m.MTs)
		m.CL = s.Number("memory.cl", m.CL)
		m.RCD, m.RP, m.RAS = s.Number("memory.rcd", m.CL), s.Number("memory.rp", m.CL), s.Number("memory.ras", memory.DefaultRAS(m.CL))
	}
	m.V = s.Number("memory.voltage", 0)
	if s.Word("memory.profile") == trim.ProfileRated {
		m.V = max(m.V, kit.V)
	}
	m.MTs *= base
	m.TwoT = s.Word("memory.commandRate") == "2T"
	m.Half = s.Word("memory.synchronous") == "1:2"
	m.PowerDown = s.Switch("memory.powerDown", false)
	if nominal := p.Uncore.FabricMHz; nominal > 0 {
		m.FabricNominal = nominal
		m.FabricMHz = base * s.Number("memory.fabric", clock.FabricMHz(p, m.MTs/base))
	}
	if p.Ring != nil {
		m.RingMHz, m.RingAt = t.Rest.RingMHz, p.Ring.MHz
	}
	t.Memory = m
	t.Rest.MemoryMTs, t.Rest.FabricMHz, t.Rest.PowerDown = m.MTs, m.FabricMHz, m.PowerDown
}

// KitOf returns what a kit is rated for, and its tRAS there, in clocks.
func KitOf(kit *part.Memory) (rated memory.Kit, ras float64) {
	cl := float64(kit.CL)
	return memory.Kit{MTs: kit.RatedMTs, V: kit.V, CL: cl, RCD: orElse(kit.RCD, cl), RP: orElse(kit.RP, cl)},
		orElse(kit.RAS, memory.DefaultRAS(cl))
}

func orElse(clocks int, fallback float64) float64 {
	if clocks == 0 {
		return fallback
	}
	return float64(clocks)
}

func (t *Tuning) tuneVoltage(set *part.Set, s trim.Settings) {
	p := set.Processor
	t.Mode = cmp.Or(s.Word("voltage.core.mode"), trim.Dynamic)
	t.FixedV, t.TargetV = s.Number("voltage.core.fixed", 0), s.Number("voltage.core.target", 0)
	if (t.Mode == trim.Fixed && t.FixedV == 0) || (t.Mode == trim.Adaptive && t.TargetV == 0) {
		t.Mode = trim.Dynamic
	}
	t.OffsetV, t.StepsV = make([]float64, p.Cores()), make([]float64, p.Cores())
	for c := range t.OffsetV {
		cluster := p.ClusterOf(c)
		rail := "voltage.core.offset"
		if p.Clusters[cluster].Kind == part.KindEfficiency {
			rail = "voltage.efficiency.offset"
		}
		t.StepsV[c] = s.CurveSteps(p, c) * p.CurveStepV
		t.OffsetV[c] = t.StepsV[c] + s.Number(rail, 0)/1000
	}
	if b := set.Board.Bands; b != nil {
		t.Bands = volt.Bands{ColdC: b.ColdC, HotC: b.HotC}
		used := false
		for i, mhz := range b.MHz {
			band := volt.Band{MHz: mhz, ColdV: p.CurveStepV * s.Number(fmt.Sprintf("curve.band.%d.cold", i+1), 0),
				HotV: p.CurveStepV * s.Number(fmt.Sprintf("curve.band.%d.hot", i+1), 0)}
			used = used || band.ColdV != 0 || band.HotV != 0
			t.Bands.At = append(t.Bands.At, band)
		}
		if !used {
			t.Bands.At = nil
		}
	}
	t.LightLiftV = s.Number("voltage.lightLift", 0) / 1000
	t.Corridor = s.Corridor()
	for i := range p.Clusters {
		ceiling := s.Number("voltage.ceiling", p.ClusterMaxV(i)) + enduranceV*(s.Number("limit.endurance", 1)-1)
		if t.Mode != trim.Dynamic {
			ceiling = math.Inf(1) // who sets the voltage by hand is not held back
		}
		t.CeilingV = append(t.CeilingV, ceiling)
	}
	if r := p.Ring; r != nil {
		t.RingV = r.V + r.VPerGHz*(t.Rest.RingMHz-r.MHz)/1000 + s.Number("voltage.ring.offset", 0)/1000
		t.RingVPerMHz = r.VPerGHz / 1000
		if s.Word("voltage.ring.mode") == trim.Fixed {
			t.RingV, t.RingVPerMHz = s.Number("voltage.ring.fixed", t.RingV), 0
		}
		t.Rest.RingV = t.RingV
	}
	if nominal := p.Uncore.SoCV; nominal > 0 {
		railV := func(key string) float64 {
			if s.Word("voltage."+key+".mode") == trim.Fixed {
				return s.Number("voltage."+key+".fixed", nominal) / nominal
			}
			return (nominal + s.Number("voltage."+key+".offset", 0)/1000) / nominal
		}
		t.Rest.SoC, t.Rest.Controller = railV("soc"), railV("controller")
	}
}

// Makers' limits as settings.
type limitKey struct {
	key   string
	maker func(*part.Limits) float64
}

func (t *Tuning) tuneLimits(set *part.Set, s trim.Settings) {
	maker := set.Processor.Limits
	board := maker
	if set.Board.Automatic != nil {
		board = *set.Board.Automatic
	}
	beyond, temperatureBeyond := s.Beyond()
	get := func(one limitKey) float64 {
		auto := one.maker(&maker)
		if x := one.maker(&board); beyond && x > 0 {
			return x
		}
		if s.Word(one.key) == trim.Unlimited {
			return math.Inf(1)
		}
		return s.Number(one.key, auto)
	}
	off := math.Inf(1)
	if set.Processor.ManualLifts && t.Clocks.Manual() {
		get = func(limitKey) float64 { return off }
	}
	t.Limits = govern.Limits{SustainedW: off, ShortW: off, SustainedA: off, PeakA: off,
		TemperatureC: s.Number("limit.temperature", maker.TemperatureC)}
	if set.Processor.Style == part.StyleWindow {
		t.Limits.SustainedW = get(limitKey{"limit.pl1", func(l *part.Limits) float64 { return l.PL1W }})
		t.Limits.ShortW = get(limitKey{"limit.pl2", func(l *part.Limits) float64 { return l.PL2W }})
		t.Limits.WindowS = get(limitKey{"limit.tau", func(l *part.Limits) float64 { return l.TauS }})
		t.Limits.PeakA = get(limitKey{"limit.iccMax", func(l *part.Limits) float64 { return l.ICCMaxA }})
	} else {
		t.Limits.SustainedW = get(limitKey{"limit.ppt", func(l *part.Limits) float64 { return l.PPTW }})
		t.Limits.SustainedA = get(limitKey{"limit.tdc", func(l *part.Limits) float64 { return l.TDCA }})
		t.Limits.PeakA = get(limitKey{"limit.edc", func(l *part.Limits) float64 { return l.EDCA }})
	}
	if temperatureBeyond && set.Board.Automatic != nil && set.Board.Automatic.TemperatureC > 0 {
		t.Limits.TemperatureC = max(t.Limits.TemperatureC, set.Board.Automatic.TemperatureC)
	}
	if !s.Switch("limit.temperatureOn", true) {
		t.Limits.TemperatureC = off
	}
	t.TripC = s.Number("limit.trip", set.Processor.HardTripC())
	if capable := set.Board.VRM.MaxA * s.Number("loadline.capability", 100) / 100; capable > 0 {
		t.Limits.PeakA = min(t.Limits.PeakA, capable)
	}
}

func (t *Tuning) tuneLoadLine(set *part.Set, s trim.Settings) error {
	level := int(s.Number("loadline.level", float64(set.Board.LoadLine[0].Level)))
	var ok bool
	if t.LoadLine, ok = set.Board.Level(level); !ok {
		return fmt.Errorf("loadline.level: board %s has no level %d", set.Board.Name, level)
	}
	if set.Processor.Style == part.StyleWindow {
		t.ACMOhm = min(s.Number("loadline.ac", set.Board.ACMOhm), t.LoadLine.MilliOhm+volt.MaxLiftOhms*1000)
		t.DCMOhm = math.NaN()
		if set.Board.DCMOhm > 0 {
			t.DCMOhm = set.Board.DCMOhm
		}
		t.DCMOhm = s.Number("loadline.dc", t.DCMOhm)
	} else {
		t.DCMOhm = math.NaN()
	}
	usual := set.Board.VRM.SwitchingKHz()
	t.Regulator = power.Phases(s.Word("loadline.phases")).Switching(s.Number("loadline.switching", usual) / usual)
	t.LoadLine.StepMOhm *= t.Regulator.Step
	return nil
}

func (t *Tuning) tuneCooling(set *part.Set, s trim.Settings) {
	for i := 1; i <= set.Board.Fan.Points; i++ {
		point := heat.Point{
			C:    s.Number(trim.At("fan.point.*.temperature", i), math.NaN()),
			Duty: s.Number(trim.At("fan.point.*.duty", i), math.NaN()),
		}
		if !math.IsNaN(point.C + point.Duty) {
			t.Fan.Curve = append(t.Fan.Curve, point)
		}
	}
	slices.SortFunc(t.Fan.Curve, func(a, b heat.Point) int { return int(math.Copysign(1, a.C-b.C)) })
	t.FanFromCoolant = s.Word("fan.source") == trim.SourceCoolant
	t.Fan.StartDuty = s.Number("fan.start", 0)
	t.Fan.ResponseS = s.Number("fan.response", 0)
	t.Fan.SmoothingS = s.Number("fan.smoothing", set.Board.Fan.SmoothingS)
}
