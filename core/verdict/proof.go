package verdict

import (
	"slices"

	"zerokeel/core/load"
)

// Hold is a leg that held: its load, its cores, and for how many seconds each of them was exposed to it.
type Hold struct {
	Load     load.Kind
	Cores    []int
	Exposure []float64
}

// leastS is for how many seconds every core must have held in a regime before a trim counts as proven. It is little, so
// that the quick ladder does; how much more there is, the exposure tells. The memory's regime is no matter of a core, and
// a matter of trims that change the memory only.
var leastS = []struct {
	regime  load.Regime
	seconds float64
}{{load.RegimeHeavy, 60}, {load.RegimeLight, 3}, {load.RegimeTransition, 60}, {load.RegimeIdle, 60}}

// Untried lists the regimes in which some of the cores that run did not hold for long enough: what passed one of them says
// little of the others.
func Untried(cores []int, held []Hold) []load.Regime {
	var out []load.Regime
	for _, least := range leastS {
		exposed := map[int]float64{}
		for _, h := range held {
			if h.Load.Regime() != least.regime {
				continue
			}
			for i, core := range h.Cores {
				if i < len(h.Exposure) {
					exposed[core] += h.Exposure[i]
				}
			}
		}
		if slices.ContainsFunc(cores, func(core int) bool { return exposed[core] < shortestShare*least.seconds }) {
			out = append(out, least.regime)
		}
	}
	return out
}
