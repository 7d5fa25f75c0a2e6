package standin

import (
	"fmt"

	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/trim"
)

// MixedUse is what a day of mixed use is made of, in equal parts: of each regime of the cores a load. MemoryUse is such a day of a machine
// that works on its memory too.
var (
	MixedUse  = []load.Kind{load.Heavy, load.Light, load.Transition, load.Idle}
	MemoryUse = append([]load.Kind{load.Memory}, MixedUse...)
)

// DailyFaults returns how many faults a day of mixed use makes on average with some settings, of a machine that has been at each load for
// long. It is what plans are measured by, and nothing that plans may ask for it.
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
	faults := map[load.Regime]float64{}
	for _, kind := range use {
		r.machine = machine.New(model, c.AmbientC)
		at := func() float64 { return r.machine.Time() }
		r.machine.SetLoad(kind, nil, truthTurnS)
		for at() < truthWarmS {
			r.machine.Step(truthStepS)
		}
		from, sum, seen := at(), 0.0, 0
		for at() < from+truthTurnS*float64(len(model.OnCores())) {
			r.machine.Step(truthStepS)
			s := r.machine.State()
			for risk := range r.risks(kind, &s, 0, 86400) {
				sum += risk.rate
			}
			seen++
		}
		faults[kind.Regime()] += 86400 / float64(len(use)) * sum / float64(seen)
	}
	return faults, nil
}

// How a day's truth is found: for how long a machine was at a load before, how long it stays on one core, and the steps of time, which do
// not divide a burst.
const (
	truthWarmS = 900.0
	truthTurnS = 18 * load.BurstS
	truthStepS = 0.06
)
