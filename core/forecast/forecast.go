// Package forecast tells what a trim is expected to do before it is fitted. It knows part sheets only: the chip
// is taken as a typical one of its model.
package forecast

import (
	"fmt"

	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/silicon"
	"zerokeel/core/throughput"
	"zerokeel/core/trim"
)

// Loads lists the loads that are forecast, the heaviest first.
var Loads = []load.Kind{load.Heavy, load.Mixed, load.Light, load.Idle}

// Result is a forecast: the settled machine under each of Loads, and the yardsticks' points.
type Result struct {
	AmbientC   float64         `json:"ambientC"`
	Loads      []machine.State `json:"loads"`
	AllCore    float64         `json:"allCore"`
	SingleCore float64         `json:"singleCore"`
}

// Load returns the forecast for one load.
func (r *Result) Load(kind load.Kind) (machine.State, bool) {
	for _, s := range r.Loads {
		if s.Load == kind {
			return s, true
		}
	}
	return machine.State{}, false
}

// FromSheets forecasts a trim from part sheets at an ambient temperature in °C. The error is a fault.List when
// the board does not take the settings.
func FromSheets(set *part.Set, settings trim.Settings, ambientC float64) (*Result, error) {
	tuning, err := machine.Tune(set, settings)
	if err != nil {
		return nil, err
	}
	model, err := machine.NewModel(set, tuning, silicon.Typical(set.Processor))
	if err != nil {
		return nil, fmt.Errorf("forecast: %w", err)
	}
	r := &Result{AmbientC: ambientC}
	for _, kind := range Loads {
		s, err := model.Steady(kind, nil, ambientC)
		if err != nil {
			return nil, fmt.Errorf("forecast %s load: %w", kind, err)
		}
		r.Loads = append(r.Loads, s)
		switch kind {
		case load.Heavy:
			r.AllCore = throughput.AllCore(set.Processor, effective(s), tuning.SMT, &tuning.Memory)
		case load.Light:
			r.SingleCore = throughput.SingleCore(set.Processor, effective(s), &tuning.Memory)
		}
	}
	return r, nil
}

func effective(s machine.State) []float64 {
	mhz := make([]float64, len(s.Cores))
	for i, c := range s.Cores {
		mhz[i] = c.EffectiveMHz
	}
	return mhz
}
