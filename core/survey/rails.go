package survey

import (
	"math"
	"math/rand/v2"
	"slices"

	"zerokeel/core/load"
)

// together reports whether the cores of a rail work at the same time in a regime, so that each feels the shallowest of theirs.
func (s *Setup) together(r load.Regime) bool {
	return len(s.rails) > 0 && r != load.RegimeIdle && !loads[r].OneCore()
}

// turn is the share of a regime's time in mixed use in which a core works: where it is known which cores share a rail, it is known that
// one-core loads go from core to core.
func (s *Setup) turn(r load.Regime) float64 {
	if len(s.rails) > 0 && loads[r].OneCore() {
		return 1 / float64(len(s.Cores))
	}
	return 1
}

// ask is how much more than others of its rail a core asks for at the same setting, in steps, as far as that was measured.
func (s *Setup) ask(core int) float64 {
	if len(s.Asks) == 0 {
		return 0
	}
	return s.Asks[core]
}

// stands returns what each core feels while all work, as the setting at which it would stand as high alone.
func (s *Setup) stands(x []int) []int {
	out := slices.Clone(x)
	for _, cores := range s.rails {
		at := s.above(x, cores)
		for _, c := range cores {
			out[c] = int(math.Round(at - s.ask(c)))
		}
	}
	return out
}

// holdsBy is by how many steps a core must ask for more than the next one, so that it is plain that it alone holds their rail.
const holdsBy = 3.0

// Holders lists the cores each of which, at some settings, holds a rail by itself while all cores work: the others stand at its voltage
// then, however deep they are set.
func (s *Survey) Holders(offsets []int) (out []int) {
	for _, cores := range s.setup.rails {
		first, second, holder := math.Inf(-1), math.Inf(-1), -1
		for _, c := range cores {
			switch at := float64(offsets[c]) + s.setup.ask(c); {
			case at > first:
				first, second, holder = at, first, c
			case at > second:
				second = at
			}
		}
		if len(cores) > 1 && first-second >= holdsBy {
			out = append(out, holder)
		}
	}
	return out
}

// above returns the highest request of some cores, as a setting, on average over what cores may ask for at the same one: many cores at
// about the same setting stand higher than that, since one of them asks for most.
func (s *Setup) above(x, cores []int) float64 {
	top := math.Inf(-1)
	for _, c := range cores {
		top = math.Max(top, float64(x[c])+s.ask(c))
	}
	if s.RailSD == 0 {
		return top
	}
	const reach, step = 4.0, 0.25 // in standard deviations
	low := top - reach*s.RailSD
	mean := low
	for z := step / 2; z < 2*reach+2; z += step {
		below := 1.0 // the chance that none asks for more
		for _, c := range cores {
			below *= 0.5 * math.Erfc((float64(x[c])+s.ask(c)-low)/(s.RailSD*math.Sqrt2)-z/math.Sqrt2)
		}
		mean += (1 - below) * step * s.RailSD
	}
	return mean
}

// Felt is what each core feels of some settings while a leg works, once a survey has begun with the setup.
func (s *Survey) Felt(offsets []int, l *Leg) []int { return s.setup.felt(offsets, l) }

// felt returns what each core feels of some settings while a leg works: cores of a rail that work at the same time stand at the
// shallowest of theirs.
func (s *Setup) felt(offsets []int, l *Leg) []int {
	if len(s.rails) == 0 || l.Load.OneCore() || l.Load == load.Idle {
		return offsets
	}
	out := slices.Clone(offsets)
	for _, rail := range s.rails {
		var work []int
		for _, c := range l.Cores {
			if slices.Contains(rail, c) {
				work = append(work, c)
			}
		}
		if len(work) == 0 {
			continue
		}
		at := s.above(offsets, work)
		for _, c := range work {
			out[c] = int(math.Round(at - s.ask(c)))
		}
	}
	return out
}

// railNeed returns the setting of a rail at which its cores take a share together, to a tenth of a step.
func (s *Setup) railNeed(w *world, cores []int, share float64) float64 {
	low := math.Inf(-1) // where one core alone takes it
	for _, c := range cores {
		low = math.Max(low, s.ask(c)+w.rail[c]-w.slopes[c]*share)
	}
	high, allowed := low, math.Exp(share)
	for _, c := range cores { // where each takes no more than its part
		high = math.Max(high, s.ask(c)+w.rail[c]-w.slopes[c]*(share-math.Log(float64(len(cores)))))
	}
	for high-low > 0.1 {
		mid, sum := (low+high)/2, 0.0
		for _, c := range cores {
			sum += w.railDay(c, mid-s.ask(c))
		}
		if sum > allowed {
			low = mid
		} else {
			high = mid
		}
	}
	return high
}

// weakest returns the core of a rail that needs most of it, on average over the chips, where each may take a share.
func (s *Setup) weakest(worlds []world, cores []int, share float64) int {
	best, most := cores[0], math.Inf(-1)
	for _, c := range cores {
		sum := 0.0
		for i := range worlds {
			sum += s.ask(c) + worlds[i].rail[c] - worlds[i].slopes[c]*share
		}
		if sum > most {
			best, most = c, sum
		}
	}
	return best
}

// drawAsks draws how much more than others each core asks for.
func (s *Setup) drawAsks(r *rand.Rand) []float64 {
	if len(s.rails) == 0 {
		return nil
	}
	out := make([]float64, len(s.Cores))
	for c := range out {
		out[c] = s.ask(c) + s.RailSD*r.NormFloat64()
	}
	return out
}

// standsAt returns at what a rail of a chip stands, where some of its cores are a step deeper than x says. What is known of a chip was
// mostly seen with its cores at about the same setting: there rails stand as far above it as they do on average (see highest), and only
// where one core is to hold a rail by itself it matters what that one asks for.
func (w *world) standsAt(usual float64, cores, x, deeper []int) float64 {
	top, even := math.Inf(-1), math.Inf(-1)
	for _, c := range cores {
		at := float64(x[c])
		if slices.Contains(deeper, c) {
			at--
		}
		top, even = math.Max(top, at+w.asks[c]), math.Max(even, w.asks[c])
	}
	return top - even + usual
}

// railsOf writes down what each core feels of its rail on a chip, +Inf for a core without one.
func (s *Setup) railsOf(w *world, x []int, out []float64) {
	for c := range out {
		out[c] = math.Inf(1)
	}
	for r, cores := range s.rails {
		at := w.standsAt(s.even[r], cores, x, nil)
		for _, c := range cores {
			out[c] = at - s.ask(c)
		}
	}
}

// evens returns by how much each rail stands above its cores' setting on average, where that is the same for all.
func (s *Setup) evens() []float64 {
	out := make([]float64, len(s.rails))
	for r, cores := range s.rails {
		out[r] = s.above(make([]int, len(s.Cores)), cores)
	}
	return out
}

// addRails adds what it takes of the rails when a group goes a step deeper.
func (s *Setup) addRails(adds []float64, group, x []int, worlds []world) {
	for r, cores := range s.rails {
		if !slices.ContainsFunc(group, func(c int) bool { return slices.Contains(cores, c) }) {
			continue
		}
		for i := range worlds {
			w := &worlds[i]
			before, after := w.standsAt(s.even[r], cores, x, nil), w.standsAt(s.even[r], cores, x, group)
			if before == after {
				continue
			}
			for _, c := range cores {
				adds[i] += w.railDay(c, after-s.ask(c)) - w.railDay(c, before-s.ask(c))
			}
		}
	}
}
