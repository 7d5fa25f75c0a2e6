package standin

import (
	"iter"
	"math"
	"slices"

	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/standin/stability"
)

// risk is what may fail in a state: how far from failing it is, in V, and how often it fails, per second.
type risk struct {
	core         int
	regime       load.Regime
	margin, rate float64
}

// What fails and is no core.
const (
	besideCores = -1
	inMemory    = -2
)

// risks lists what may fail in a state of its machine under a load, on a day that moves every margin by so many volts, after so many
// seconds of uptime.
func (r *Rig) risks(kind load.Kind, s *machine.State, dayV, upS float64) iter.Seq[risk] {
	return func(yield func(risk) bool) {
		if kind.Regime() == load.RegimeMemory {
			margin := r.cfg.memoryMargin(&r.machine.Tuning().Memory)
			if !yield(risk{inMemory, load.RegimeMemory, margin, stability.Usual.Hazard(margin)}) {
				return
			}
		}
		ran := r.beside(nil)
		if slices.ContainsFunc(s.Cores, func(c machine.Core) bool { return c.Active }) {
			ran = r.beside(s)
		}
		// It shows as what rises and falls does, whatever the load.
		if !yield(risk{besideCores, load.RegimeTransition, r.hidden.uncore.Margin(ran), r.hidden.uncore.Hazard(ran, kind.Regime())}) {
			return
		}
		for core, c := range s.Cores {
			if !r.machine.Tuning().On[core] || !c.Active && kind != load.Idle {
				continue // off, or asleep beside busy cores, on a rail that is higher than it needs
			}
			regime := kind.Regime()
			if !c.Active {
				regime = load.RegimeIdle
			}
			margin := r.margin(kind, regime, core, s) + dayV - stability.Weary(regime, upS)
			if !yield(risk{core, regime, margin, r.hidden.cores[core].Law.Hazard(margin)}) {
				return
			}
		}
	}
}

// margin returns the margin of a core in a state of its machine, on an average day.
func (r *Rig) margin(kind load.Kind, regime load.Regime, core int, s *machine.State) float64 {
	hidden, c := &r.hidden.cores[core], s.Cores[core]
	if regime == load.RegimeIdle {
		return r.idleMargin(hidden, core, c)
	}
	lowest := c.DeliveredV
	if regime == load.RegimeTransition {
		lowest -= s.DeliveredV - s.DipV
	}
	return hidden.Margin(kind, regime, r.machine.FusedV(core, c.RequestMHz), lowest, c.TemperatureC, r.abovePivot(c.RequestMHz))
}

// idleMargin returns the margin of a core at idle: when it wakes to its top clock, or, lower, as it rests.
func (r *Rig) idleMargin(hidden *stability.Core, core int, c machine.Core) float64 {
	m, top := r.machine, r.machine.AloneMHz(core)
	wakes := stability.WakeV(m.AskedV(core, top, c.TemperatureC)+m.Tuning().LightLiftV, m.Tuning().LoadLine.StepMOhm)
	waking := hidden.Margin(load.Idle, load.RegimeIdle, m.FusedV(core, top), wakes, c.TemperatureC, r.abovePivot(top))
	resting := hidden.Margin(load.Idle, load.RegimeIdle, m.FusedV(core, c.RequestMHz), c.DeliveredV, c.TemperatureC, 0) + stability.RestV
	return math.Min(waking, resting)
}

// hottestOf returns the core that is hottest: where a fault beside the cores shows is as good as chance.
func (r *Rig) hottestOf(s *machine.State) int {
	hottest := 0
	for core, c := range s.Cores {
		if c.TemperatureC > s.Cores[hottest].TemperatureC {
			hottest = core
		}
	}
	return hottest
}
