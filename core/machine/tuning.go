// Package machine puts the models together into one machine: a processor chip under a cooler on a board, tuned
// by a trim. Model holds what does not change with time; Steady solves where it settles under a load, and
// Machine steps it through time. Both share every equation, so they agree once a machine has settled.
//
// The package knows part sheets, a chip and a trim. Whether the chip is a typical one (a forecast) or one drawn
// at random (a stand-in) is the caller's choice.
package machine

import (
	"fmt"
	"math"
	"slices"

	"zerokeel/core/govern"
	"zerokeel/core/heat"
	"zerokeel/core/part"
	"zerokeel/core/trim"
)

// Tuning is a trim in the terms of the models.
type Tuning struct {
	CurveSteps     []float64 // per core: all-core and per-core offset added
	BoostOffsetMHz float64
	Limits         govern.Ceiling
	LoadLine       part.LoadLine
	Fan            []heat.Point // sorted by temperature
	MemoryMTs      float64
	MemoryCL       int
}

// Tune translates settings; those that are absent count as delivered. The settings must have passed
// trim.Check, or an error is returned.
func Tune(set *part.Set, settings trim.Settings) (Tuning, error) {
	if err := trim.Check(set.Processor, set.Board, settings).Err(); err != nil {
		return Tuning{}, err
	}
	s := trim.Stock(set.Processor, set.Board).With(settings)
	limits := set.Processor.Limits
	t := Tuning{
		CurveSteps:     make([]float64, set.Processor.Cores()),
		BoostOffsetMHz: s.Number("clock.boostOffset", 0),
		Limits: govern.Ceiling{
			PPTW:         s.Number("limit.ppt", limits.PPTW),
			TDCA:         s.Number("limit.tdc", limits.TDCA),
			EDCA:         s.Number("limit.edc", limits.EDCA),
			TemperatureC: s.Number("limit.temperature", limits.TemperatureC),
		},
		MemoryMTs: set.Memory.SafeMTs,
		MemoryCL:  set.Memory.SafeCL,
	}
	if !s.Switch("limit.temperatureOn", true) {
		t.Limits.TemperatureC = math.Inf(1)
	}
	for i := range t.CurveSteps {
		t.CurveSteps[i] = s.Number("curve.all", 0) + s.Number(fmt.Sprintf("curve.core.%d", i), 0)
	}
	if profile, _ := s["memory.profile"].Choice(); profile == "rated" {
		t.MemoryMTs, t.MemoryCL = set.Memory.RatedMTs, set.Memory.CL
	}
	level := int(s.Number("loadline.level", float64(set.Board.LoadLine[0].Level)))
	var ok bool
	if t.LoadLine, ok = set.Board.Level(level); !ok {
		return Tuning{}, fmt.Errorf("loadline.level: board %s has no level %d", set.Board.Name, level)
	}
	for i := 1; i <= set.Board.Fan.Points; i++ {
		point := heat.Point{
			C:    s.Number(fmt.Sprintf("fan.point.%d.temperature", i), math.NaN()),
			Duty: s.Number(fmt.Sprintf("fan.point.%d.duty", i), math.NaN()),
		}
		if !math.IsNaN(point.C + point.Duty) {
			t.Fan = append(t.Fan, point)
		}
	}
	slices.SortFunc(t.Fan, func(a, b heat.Point) int { return int(math.Copysign(1, a.C-b.C)) })
	return t, nil
}
