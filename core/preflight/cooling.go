package preflight

import (
	"fmt"
	"math"
	"slices"

	"zerokeel/core/part"
	"zerokeel/core/trim"
)

// fanPoint is a point of the fan curve, with the settings it comes from.
type fanPoint struct {
	c, duty float64
	keys    []string
}

// fanPoints returns the fan curve as it was given, not sorted.
func (in *Input) fanPoints() []fanPoint {
	var points []fanPoint
	for i := 1; i <= in.Set.Board.Fan.Points; i++ {
		t, d := trim.At("fan.point.*.temperature", i), trim.At("fan.point.*.duty", i)
		p := fanPoint{in.Settings.Number(t, math.NaN()), in.Settings.Number(d, math.NaN()), []string{t, d}}
		if !math.IsNaN(p.c + p.duty) {
			points = append(points, p)
		}
	}
	return points
}

// fanWithoutCoolant reports fans that follow a coolant which an air cooler does not have.
func fanWithoutCoolant(in *Input) []Finding {
	if in.Settings.Word("fan.source") != trim.SourceCoolant || in.Set.Cooler.Liquid() {
		return nil
	}
	return one(Caution, []string{"fan.source"}, trim.Settings{"fan.source": part.Choice(trim.SourceCore)},
		"Let the fan follow the processor.", "The fan follows the coolant, and %s is an air cooler: it may stand still at any load.", in.Set.Cooler.Name)
}

// hotC is the temperature, in °C, at which a fan must turn: most of a load's rise, with time left before a limit.
const hotC = 60.0

// fanStopsHot reports a fan that stands where the processor is hot.
func fanStopsHot(in *Input) []Finding {
	stall := math.Max(in.Set.Cooler.Fan.StallDuty, in.Settings.Number("fan.start", 0))
	if in.Settings.Word("fan.source") == trim.SourceCoolant {
		return nil // coolant never gets so hot
	}
	for _, p := range in.fanPoints() {
		if p.c >= hotC && p.duty < stall {
			return one(Caution, p.keys, trim.Settings{p.keys[1]: part.Number(math.Ceil(stall + 10))},
				fmt.Sprintf("Give %g %% or more: below it the fan stands.", stall),
				"At %g °C the fan stands: it needs %g %% to turn.", p.c, stall)
		}
	}
	return nil
}

// fanCurveFalls reports a fan curve that is not in order, or that slows down as it gets hotter.
func fanCurveFalls(in *Input) []Finding {
	points := in.fanPoints()
	for i := 1; i < len(points); i++ {
		before, p := points[i-1], points[i]
		fields := slices.Concat(before.keys, p.keys)
		switch {
		case p.c < before.c:
			return one(Caution, fields, nil, "Let the temperatures rise from point to point.",
				"Fan point %d at %g °C follows point %d at %g °C.", i+1, p.c, i, before.c)
		case p.c == before.c && p.duty != before.duty:
			return one(Caution, fields, nil, "Give each point a temperature of its own.",
				"Fan points %d and %d both stand at %g °C, with different duties.", i, i+1, p.c)
		case p.duty < before.duty:
			return one(Caution, fields, nil, "Let the duty rise with the temperature.",
				"The fan slows down from %g %% to %g %% as it gets hotter.", before.duty, p.duty)
		}
	}
	return nil
}

// pumpOnCurve reports a pump that follows the fan: it is best left at one speed.
func pumpOnCurve(in *Input) []Finding {
	if in.Set.Cooler.Pump == nil || in.Settings.Word("pump.mode") != trim.PumpCurve {
		return nil
	}
	return one(Caution, []string{"pump.mode"}, trim.Settings{"pump.mode": part.Choice(trim.PumpFull)}, "Give the pump a constant speed.",
		"The pump follows the fan curve: it slows the loop when that is cool, and ages by changing.")
}
