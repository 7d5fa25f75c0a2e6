package sounding

import (
	"math"
	"slices"

	"zerokeel/core/survey"
)

// Costs are what restarts, crashes and clearing take, in minutes, until a rig's own are known.
var Costs = survey.Costs{RestartMin: 2.5, CrashMin: 3, ClearMin: 10}

// Of a rig its own costs are told by the middle of at least so many fittings, within what no machine, or no person, goes below or above.
const (
	leastRestarts = 3
	leastClears   = 2
	leastCostMin  = 0.2
	mostCostMin   = 60
)

// CostsOf returns what restarts, crashes and clearing take on a rig, from how many minutes its fittings took: those that brought a trim
// into force, and those after which it did not come up and was cleared. A crash costs another restart, and the time to be noticed.
func CostsOf(fitted, cleared []float64) survey.Costs {
	out := Costs
	notice := out.CrashMin - out.RestartMin
	if len(fitted) >= leastRestarts {
		out.RestartMin = middle(fitted)
		out.CrashMin = out.RestartMin + notice
	}
	if len(cleared) >= leastClears {
		out.ClearMin = math.Max(leastCostMin, middle(cleared)-out.RestartMin)
	}
	return out
}

func middle(minutes []float64) float64 {
	sorted := slices.Sorted(slices.Values(minutes))
	return math.Min(mostCostMin, math.Max(leastCostMin, sorted[len(sorted)/2]))
}
