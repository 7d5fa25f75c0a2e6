package survey

import (
	"math"
	"math/rand/v2"
	"slices"

	"zerokeel/core/load"
)

// A recommendation is the deepest setting of every core whose chance of breaking the risk ceiling is small itself.
const (
	mayBreak = 0.04 // that chance
	drawn    = 1500 // chips
)

// beyond is by how much limits stray further from what is believed than the belief says, since no chip is quite of the kind that it
// takes it for. Found on simulated ones (BenchmarkSurveyed).
const beyond = 1.12

// Result is what a survey found.
type Result struct {
	Offsets []int   `json:"offsets"`
	Risk24h float64 `json:"risk24h"` // the chance of a fault in a day of mixed use, as believed
	Limits  []Limit `json:"limits"`
}

// Limit is what is believed of the limit of a core in a regime, in steps.
type Limit struct {
	Core   int         `json:"core"`
	Regime load.Regime `json:"regime"`
	Mean   float64     `json:"mean"`
	SD     float64     `json:"sd"`
}

// draw returns chips as they may be, the same until something new is seen.
func (s *Survey) draw() []world {
	if s.worlds == nil {
		s.worlds = s.belief.sample(drawn, rand.New(rand.NewPCG(s.setup.Seed, 1<<32)))
	}
	return s.worlds
}

// Recommend returns the deepest setting of every core whose chance of more than a risk in a day of mixed use is small.
func (s *Survey) Recommend(risk float64) []int { return s.setup.deepest(s.draw(), risk, mayBreak) }

// Result returns what was found so far.
func (s *Survey) Result() Result {
	worlds := s.draw()
	x := s.Recommend(s.setup.Risk24h)
	out := Result{Offsets: x, Risk24h: risk(worlds, x)}
	for c := range s.setup.Cores {
		for r, regime := range s.setup.Regimes {
			var sum, squares float64
			for i := range worlds {
				l := worlds[i].limits[c*worlds[i].regimes+r]
				sum += l
				squares += l*l + worlds[i].slopes[c]*worlds[i].slopes[c]*rateSD*rateSD
			}
			n := float64(len(worlds))
			mean := sum / n
			out.Limits = append(out.Limits, Limit{c, regime, mean, beyond * math.Sqrt(math.Max(0, squares/n-mean*mean))})
		}
	}
	return out
}

// risk returns the chance of a fault in a day of mixed use.
func risk(worlds []world, x []int) float64 {
	sum := 0.0
	for i := range worlds {
		sum -= math.Expm1(-faults(&worlds[i], x))
	}
	return sum / float64(len(worlds))
}

// faults returns how many faults a chip makes in a day of mixed use.
func faults(w *world, x []int) float64 {
	sum := 0.0
	for c := range x {
		sum += w.perDay(c, float64(x[c]))
	}
	return sum
}

// deepest returns the deepest setting with a small chance of breaking a risk.
func (s *Setup) deepest(worlds []world, risk, chance float64) []int {
	n := len(s.Cores)
	ceiling := -math.Log1p(-risk)
	needs := make([][]float64, n) // by core: the setting at which it takes its part of the ceiling, in every chip, sorted
	for c := range needs {
		needs[c] = make([]float64, len(worlds))
		for i := range worlds {
			w := &worlds[i]
			needs[c][i] = w.daily[c] - w.slopes[c]*math.Log(ceiling/float64(n))
		}
		slices.Sort(needs[c])
	}
	at := func(tail float64) []int {
		x := make([]int, n)
		for c := range x {
			i := min(len(worlds)-1, max(0, int((1-tail)*float64(len(worlds)))))
			x[c] = s.within(int(math.Ceil(needs[c][i])))
		}
		return s.level(x)
	}
	low, high := 0.0, 0.5
	for range 12 {
		mid := (low + high) / 2
		if breaks(worlds, at(mid), ceiling) <= chance {
			low = mid
		} else {
			high = mid
		}
	}
	x := at(low)
	s.deepen(x, worlds, ceiling, chance)
	return x
}

func (s *Setup) within(x int) int { return min(s.MaxSteps, max(s.MinSteps, x)) }

// breaks returns the share of chips that break the ceiling.
func breaks(worlds []world, x []int, ceiling float64) float64 {
	n := 0
	for i := range worlds {
		if faults(&worlds[i], x) > ceiling {
			n++
		}
	}
	return float64(n) / float64(len(worlds))
}

// deepen takes single cores, or groups that have one setting, deeper where that leaves the chance small, the one that adds least to it
// first.
func (s *Setup) deepen(x []int, worlds []world, ceiling, chance float64) {
	total := make([]float64, len(worlds))    // faults a day, by chip
	adds := make([][]float64, len(s.groups)) // and what one step deeper adds, by group
	open := make([]bool, len(s.groups))
	add := func(g int) {
		clear(adds[g])
		for _, c := range s.groups[g] {
			for i := range worlds {
				w := &worlds[i]
				adds[g][i] += w.perDay(c, float64(x[c])) * math.Expm1(1/w.slopes[c])
			}
		}
	}
	for g, cores := range s.groups {
		open[g], adds[g] = x[cores[0]] > s.MinSteps, make([]float64, len(worlds))
		add(g)
	}
	for i := range worlds {
		total[i] = faults(&worlds[i], x)
	}
	for {
		best, least := -1, chance
		for g := range open {
			if !open[g] {
				continue
			}
			n := 0
			for i, more := range adds[g] {
				if total[i]+more > ceiling {
					n++
				}
			}
			if share := float64(n) / float64(len(worlds)); share <= least {
				best, least = g, share
			} else if share > chance {
				open[g] = false
			}
		}
		if best < 0 {
			return
		}
		for i, more := range adds[best] {
			total[i] += more
		}
		for _, c := range s.groups[best] {
			x[c]--
		}
		add(best)
		open[best] = x[s.groups[best][0]] > s.MinSteps
	}
}
