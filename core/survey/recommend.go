package survey

import (
	"math"
	"math/rand/v2"
	"slices"

	"gonum.org/v1/gonum/stat/distuv"

	"zerokeel/core/load"
)

// A recommendation is the deepest setting of every core whose chance of breaking the risk ceiling is small itself.
const (
	mayBreak  = 0.05 // that chance,
	toldBreak = 0.06 // where a fleet tells the slope to toldSlope, of its natural logarithm: most of what goes wrong comes of the slope
	toldSlope = 0.25
	drawn     = 1500 // chips
)

func (s *Setup) chance() float64 {
	if s.Prior.SlopeSD > 0 && s.Prior.SlopeSD < toldSlope {
		return toldBreak
	}
	return mayBreak
}

// beyond is by how much limits stray further from what is believed than the belief says, since no chip is quite of the kind that it
// takes it for. Found on simulated ones (BenchmarkSurveyed).
const beyond = 1.12

// Result is what a survey found.
type Result struct {
	Offsets []int   `json:"offsets"`
	Risk24h float64 `json:"risk24h"` // the chance of a fault in a day of mixed use, as believed
	Limits  []Limit `json:"limits"`
}

// Limit is what is believed of the limit of a core in a regime, in steps; far below anything where hardly any of a step reaches it.
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
func (s *Survey) Recommend(risk float64) []int {
	return s.setup.deepest(s.draw(), risk, s.setup.chance())[:s.setup.asked()]
}

// Result returns what was found so far.
func (s *Survey) Result() Result {
	worlds := s.draw()
	x := s.Recommend(s.setup.Risk24h)
	out := Result{Offsets: x, Risk24h: s.setup.risk(worlds, s.setup.whole(x))}
	for c := range s.setup.asked() {
		for r, regime := range s.setup.Regimes {
			var sum, squares float64
			for i := range worlds {
				l, slope := worlds[i].limit(c, r), worlds[i].slopes[c]/math.Max(leastGain, worlds[i].gains[c*worlds[i].regimes+r])
				sum += l
				squares += l*l + slope*slope*rateSD*rateSD
			}
			n := float64(len(worlds))
			mean := sum / n
			out.Limits = append(out.Limits, Limit{c, regime, mean, beyond * math.Sqrt(math.Max(0, squares/n-mean*mean))})
		}
	}
	return out
}

// risk returns the chance of a fault in a day of mixed use.
func (s *Setup) risk(worlds []world, x []int) float64 {
	sum := 0.0
	for i := range worlds {
		sum -= math.Expm1(-s.faults(&worlds[i], x))
	}
	return sum / float64(len(worlds))
}

// faults returns how many faults a chip makes in a day of mixed use.
func (s *Setup) faults(w *world, x []int) float64 {
	sum := 0.0
	for c := range x {
		sum += w.ownDay(c, float64(x[c]))
	}
	for r, cores := range s.rails {
		at := w.standsAt(s.even[r], cores, x, nil)
		for _, c := range cores {
			sum += w.railDay(c, at-s.ask(c))
		}
	}
	return sum
}

// railShare is the part of the allowed faults that rails may take while all cores work.
const railShare = 0.5

// shares returns the logarithms of the faults a day that each core's own setting may take of an allowed risk, and each rail.
func (s *Setup) shares(risk float64) (own, rail float64) {
	ceiling := -math.Log1p(-risk)
	if len(s.rails) == 0 {
		return math.Log(ceiling / float64(len(s.Cores))), math.Inf(-1)
	}
	return math.Log((1 - railShare) * ceiling / float64(len(s.Cores))), math.Log(railShare * ceiling / float64(len(s.rails)))
}

// deepest returns the deepest setting with a small chance of breaking a risk.
func (s *Setup) deepest(worlds []world, risk, chance float64) []int {
	n := len(s.Cores)
	ceiling := -math.Log1p(-risk)
	own, rail := s.shares(risk)
	needs := make([][]float64, n) // by core: the setting at which it takes its part of the ceiling, in every chip, sorted
	for c := range needs {
		needs[c] = make([]float64, len(worlds))
		for i := range worlds {
			needs[c][i] = s.need(&worlds[i], c, own)
		}
		slices.Sort(needs[c])
	}
	rails := make([][]float64, len(s.rails))
	weakest := make([]int, len(s.rails)) // the core of each rail that needs most of it, and holds it where it must be
	for r, cores := range s.rails {
		weakest[r] = s.weakest(worlds, cores, rail)
		rails[r] = make([]float64, len(worlds))
		for i := range worlds {
			rails[r][i] = s.railNeed(&worlds[i], cores, rail)
		}
		slices.Sort(rails[r])
	}
	at := func(tail float64) []int {
		x := make([]int, n)
		place := min(len(worlds)-1, max(0, int((1-tail)*float64(len(worlds)))))
		for c := range x {
			x[c] = s.within(int(math.Ceil(needs[c][place])))
		}
		for r, c := range weakest { // which may ask for less than others do
			sure := math.Min(mostSure, -distuv.UnitNormal.Quantile(math.Max(tail, 1e-9)))
			x[c] = max(x[c], s.within(int(math.Ceil(rails[r][place]-s.ask(c)+sure*s.RailSD))))
		}
		return s.level(x)
	}
	shallowest := make([]int, n)
	for c := range shallowest {
		shallowest[c] = s.MaxSteps
	}
	allowed := s.allowed(worlds, shallowest, ceiling)
	low, high := 0.0, 0.5
	for range 12 {
		mid := (low + high) / 2
		if s.breaks(worlds, at(mid), allowed) <= chance {
			low = mid
		} else {
			high = mid
		}
	}
	x := at(low)
	if s.breaks(worlds, x, allowed) > chance { // what each core needs by itself is not enough for all together
		x = shallowest
	}
	s.deepen(x, worlds, allowed, chance)
	return x
}

// allowed returns how many faults a day each chip may make: the ceiling, or, where a core of it is too weak even at the shallowest, that
// many more than it makes there. So a weak core stays as shallow as it can, and is no reason to hold the others back.
func (s *Setup) allowed(worlds []world, shallowest []int, ceiling float64) []float64 {
	out := make([]float64, len(worlds))
	for i := range worlds {
		out[i] = ceiling
		if least := s.faults(&worlds[i], shallowest); least > ceiling {
			out[i] += least
		}
	}
	return out
}

// mostSure is as many standard deviations as what a core asks for is allowed for at most.
const mostSure = 3.0

func (s *Setup) within(x int) int { return min(s.MaxSteps, max(s.MinSteps, x)) }

// breaks returns the share of chips that make more faults a day than each is allowed.
func (s *Setup) breaks(worlds []world, x []int, allowed []float64) float64 {
	n := 0
	for i := range worlds {
		if s.faults(&worlds[i], x) > allowed[i] {
			n++
		}
	}
	return float64(n) / float64(len(worlds))
}

// deepen takes single cores, or groups that have one setting, deeper where that leaves the chance small, the one that adds least to it
// first.
func (s *Setup) deepen(x []int, worlds []world, allowed []float64, chance float64) {
	total := make([]float64, len(worlds))    // faults a day, by chip
	adds := make([][]float64, len(s.groups)) // and what one step deeper adds, by group
	open := make([]bool, len(s.groups))
	add := func(g int) {
		clear(adds[g])
		for _, c := range s.groups[g] {
			for i := range worlds {
				w := &worlds[i]
				adds[g][i] += w.deeperDay(c, float64(x[c]))
			}
		}
		s.addRails(adds[g], s.groups[g], x, worlds)
	}
	for g, cores := range s.groups {
		open[g], adds[g] = x[cores[0]] > s.MinSteps, make([]float64, len(worlds))
		add(g)
	}
	for i := range worlds {
		total[i] = s.faults(&worlds[i], x)
	}
	for {
		best, least := -1, chance
		for g := range open {
			if !open[g] {
				continue
			}
			n := 0
			for i, more := range adds[g] {
				if total[i]+more > allowed[i] {
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
		if len(s.rails) > 0 {
			for g := range open { // a rail may stand at another's now
				add(g)
			}
		}
		open[best] = x[s.groups[best][0]] > s.MinSteps
	}
}
