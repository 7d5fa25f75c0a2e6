package survey

import (
	"math"
	"slices"
)

// Assessment is what is believed of a setting.
type Assessment struct {
	Risk24h float64    `json:"risk24h"` // the chance of a fault in a day of mixed use
	Low     float64    `json:"low"`     // bounds of the 90 % interval of the chip's own
	High    float64    `json:"high"`
	Cores   []CoreRisk `json:"cores"`
}

// unclear is how wide the interval of a risk may be before it says nothing.
const unclear = 0.8

// Known reports whether the risk is known well enough to be told.
func (a *Assessment) Known() bool { return a.High-a.Low < unclear }

// InWords says the risk as a builder does.
func (a *Assessment) InWords() string {
	if !a.Known() {
		return "not known yet"
	}
	return RiskInWords(a.Risk24h)
}

// CoreRisk is what is believed of a core at a setting.
type CoreRisk struct {
	Risk24h float64 `json:"risk24h"`
	// Clearance is by how many steps it lies above where it fails within a minute or two, on average, in the regime in which that is least.
	Clearance float64 `json:"clearance"`
}

// Assess tells what is believed of a setting, which has an offset for each core.
func (s *Survey) Assess(offsets []int) Assessment {
	const tail = 0.05
	worlds := s.draw()
	n, asked := float64(len(worlds)), len(offsets)
	offsets = s.setup.whole(offsets)
	out := Assessment{Cores: make([]CoreRisk, len(offsets))}
	risks := make([]float64, len(worlds))
	stands, rails := s.setup.stands(offsets), make([]float64, len(offsets))
	for i := range worlds {
		w := &worlds[i]
		risks[i] = -math.Expm1(-s.setup.faults(w, offsets))
		out.Risk24h += risks[i] / n
		s.setup.railsOf(w, offsets, rails)
		for c, x := range offsets {
			out.Cores[c].Risk24h -= math.Expm1(-w.perDay(c, float64(x), rails[c])) / n
			least := math.Inf(1)
			for g, regime := range s.setup.Regimes {
				felt := x
				if s.setup.together(regime) {
					felt = stands[c]
				}
				least = math.Min(least, float64(felt)-w.limit(c, g))
			}
			out.Cores[c].Clearance += least / n
		}
	}
	out.Cores = out.Cores[:asked]
	slices.Sort(risks)
	out.Low, out.High = risks[int(tail*n)], risks[int((1-tail)*n)]
	return out
}

// Breaks returns the chance that the chip's own risk at a setting is more than is allowed.
func (s *Survey) Breaks(offsets []int, risk float64) float64 {
	worlds := s.draw()
	return s.setup.breaks(worlds, s.setup.whole(offsets), slices.Repeat([]float64{-math.Log1p(-risk)}, len(worlds)))
}

// Chances returns the chance of a core's fault in a day of mixed use at every setting from the deepest to the shallowest, beside the
// settings of the others.
func (s *Survey) Chances(core int, offsets []int) []float64 {
	const looked = 400 // chips are enough for a tint
	worlds := s.draw()
	worlds = worlds[:min(looked, len(worlds))]
	out := make([]float64, s.setup.MaxSteps-s.setup.MinSteps+1)
	x := slices.Clone(s.setup.whole(offsets))
	rails := make([]float64, len(x))
	for i := range out {
		x[core] = s.setup.MinSteps + i
		for k := range worlds {
			s.setup.railsOf(&worlds[k], x, rails)
			out[i] -= math.Expm1(-worlds[k].perDay(core, float64(x[core]), rails[core])) / float64(len(worlds))
		}
	}
	return out
}

// Together returns the chance of any fault in a day of mixed use at every setting from the deepest to the shallowest, where all cores
// have it.
func (s *Survey) Together() []float64 {
	const looked = 400 // chips are enough for a tint
	worlds := s.draw()
	worlds = worlds[:min(looked, len(worlds))]
	out := make([]float64, s.setup.MaxSteps-s.setup.MinSteps+1)
	for i := range out {
		out[i] = s.setup.risk(worlds, slices.Repeat([]int{s.setup.MinSteps + i}, len(s.setup.Cores)))
	}
	return out
}

// Fails returns the chance that an order does not end with all of its legs held, as believed.
func (s *Survey) Fails(o *Order) float64 {
	b, worlds, offsets := s.belief, s.draw(), s.setup.whole(o.Offsets)
	fails := 0.0
	for i := range worlds {
		w := &worlds[i]
		faults := 0.0
		for c, x := range offsets {
			faults += postMin * w.rate(c, b.starts, float64(x))
		}
		for l := range o.Legs {
			leg := &o.Legs[l]
			regime, felt := slices.Index(b.regimes, leg.Load.Regime()), b.setup.felt(offsets, leg)
			if regime < 0 {
				continue
			}
			for _, c := range b.ran(leg) {
				faults += b.share(leg, c) * leg.Minutes * w.rate(c, regime, float64(felt[c]))
			}
		}
		fails -= math.Expm1(-faults) / float64(len(worlds))
	}
	return fails
}
