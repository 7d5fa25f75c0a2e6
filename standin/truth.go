package standin

import (
	"fmt"

	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/trim"
	"zerokeel/standin/stability"
)

// MixedUse is what a day of mixed use is made of, in equal parts: of each regime of the cores a load. MemoryUse is such a day of a machine
// that works on its memory too.
var (
	MixedUse  = []load.Kind{load.Heavy, load.Light, load.Transition, load.Idle}
	MemoryUse = append([]load.Kind{load.Memory}, MixedUse...)
)

// DailyFaults returns how many faults a day of mixed use makes on average with some settings: a light load works the cores in turn, and
// the machine has settled. It is what plans are measured by, and nothing that plans may ask for it.
func (c *Config) DailyFaults(settings trim.Settings) (float64, error) {
	return c.FaultsOf(MixedUse, settings)
}

// FaultsOf returns how many faults a day of some use makes.
func (c *Config) FaultsOf(use []load.Kind, settings trim.Settings) (float64, error) {
	by, err := c.DailyFaultsBy(use, settings)
	sum := 0.0
	for _, faults := range by {
		sum += faults
	}
	return sum, err
}

// DailyFaultsBy tells the same by regime.
func (c *Config) DailyFaultsBy(use []load.Kind, settings trim.Settings) (map[load.Regime]float64, error) {
	tuning, err := machine.Tune(&c.Parts, settings)
	if err != nil {
		return nil, fmt.Errorf("stand-in %s: %w", c.Name, err)
	}
	r := &Rig{cfg: c, hidden: c.chip()}
	model, err := machine.NewAdjustedModel(&c.Parts, tuning, r.hidden.Chip, c.adjust())
	if err != nil {
		return nil, err
	}
	r.machine = machine.New(model, c.AmbientC)
	cores, faults := model.OnCores(), map[load.Regime]float64{}
	part := 86400.0 / float64(len(use))
	for _, kind := range use {
		settles, turns := kind, [][]int{cores}
		switch {
		case kind == load.Transition:
			settles = load.Heavy // what it rises to
		case kind.OneCore():
			turns = nil
			for _, core := range cores {
				turns = append(turns, []int{core})
			}
		case kind == load.Idle:
			turns = [][]int{nil}
		}
		for _, on := range turns {
			s, err := model.Steady(settles, on, c.AmbientC)
			if err != nil {
				return nil, fmt.Errorf("stand-in %s under %s load: %w", c.Name, kind, err)
			}
			exposed := on
			if kind == load.Idle {
				exposed = cores
			}
			seconds := part / float64(len(turns))
			if kind.Regime() == load.RegimeMemory {
				faults[load.RegimeMemory] += seconds * stability.Usual.Hazard(c.memoryMargin(&tuning.Memory))
			}
			for _, core := range exposed {
				margin := r.margin(kind, kind.Regime(), core, &s) - stability.Weary(kind.Regime(), 86400)
				faults[kind.Regime()] += seconds * r.hidden.cores[core].Law.Hazard(margin)
			}
			ran := r.beside(nil)
			if kind != load.Idle {
				ran = r.beside(&s)
			}
			faults[kind.Regime()] += seconds * r.hidden.uncore.Hazard(ran, kind.Regime())
		}
	}
	return faults, nil
}
