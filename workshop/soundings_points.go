package workshop

import (
	"fmt"
	"slices"

	"zerokeel/core/load"
	"zerokeel/core/sounding"
	"zerokeel/core/verdict"
)

// Sounded is a tested point: what a core stood in a regime at a depth as it felt it, all its legs together.
type Sounded struct {
	Core    int // of the axis
	Regime  load.Regime
	Depth   int
	Minutes float64 // that it held
	Faults  int     // that named it
	Trial   int64   // the newest; 0 for daily use
	By      []int64 // trims under which
}

// Ring is a fault that no core was named for: a freeze or a restart under a load, or a start that failed, where the load is empty.
type Ring struct {
	Trial   int64
	Trim    int64
	Load    LoadKind
	Cores   []int // of the axis, that ran
	Depths  []int // of all cores of the axis, as they felt it
	Minutes float64
	Verdict verdict.Verdict
}

// Words tells the fault in a few words.
func (r *Ring) Words() string {
	if r.Load == "" {
		return "did not come up"
	}
	return fmt.Sprintf("%s under %s load after %.0f s, core unknown", r.Verdict, r.Load, 60*r.Minutes)
}

// points lists what was tested, and the faults that no core was named for.
func (x *surveyed) points() (list []Sounded, rings []Ring) {
	type place struct {
		core   int
		regime load.Regime
		depth  int
	}
	at := map[place]int{}
	note := func(p place, from sounding.From) *Sounded {
		i, known := at[p]
		if !known {
			i = len(list)
			at[p], list = i, append(list, Sounded{Core: p.core, Regime: p.regime, Depth: p.depth})
		}
		one := &list[i]
		if one.Trial = from.Trial; !slices.Contains(one.By, from.Trim) {
			one.By = append(one.By, from.Trim)
		}
		return one
	}
	for i := range x.told.Trials {
		p, from := &x.told.Trials[i], x.told.From[i]
		if !p.Outcome.Posted {
			rings = append(rings, Ring{Trial: from.Trial, Trim: from.Trim, Cores: everyCore(len(x.axis.Cores)), Depths: p.Order.Offsets,
				Verdict: verdict.NoPost})
			continue
		}
		for j, l := range p.Outcome.Legs {
			leg := &p.Order.Legs[j]
			felt := x.survey.Felt(p.Order.Offsets, leg)
			cores := leg.Cores
			if len(cores) == 0 {
				cores = everyCore(len(x.axis.Cores))
			}
			share := 1.0
			if leg.Load.OneCore() {
				share = 1 / float64(len(cores))
			}
			for _, core := range cores {
				one := place{core, leg.Load.Regime(), x.survey.Alike(core, felt[core], leg, &p.Shift)}
				switch {
				case l.Verdict == verdict.Held:
					note(one, from).Minutes += share * l.Minutes
				case l.Core != nil && *l.Core == core:
					note(one, from).Faults++
				}
			}
			if l.Verdict != verdict.Held && l.Core == nil {
				depths := make([]int, len(felt))
				for core := range felt {
					depths[core] = x.survey.Alike(core, felt[core], leg, &p.Shift)
				}
				rings = append(rings, Ring{from.Trial, from.Trim, leg.Load, cores, depths, l.Minutes, l.Verdict})
			}
		}
	}
	shallowest := func(r Ring) int {
		least := r.Depths[r.Cores[0]]
		for _, c := range r.Cores {
			least = max(least, r.Depths[c])
		}
		return least
	}
	slices.SortStableFunc(rings, func(p, q Ring) int { return shallowest(q) - shallowest(p) })
	return list, rings
}

func everyCore(n int) []int {
	out := make([]int, n)
	for i := range out {
		out[i] = i
	}
	return out
}
