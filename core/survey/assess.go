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

// CoreRisk is what is believed of a core at a setting.
type CoreRisk struct {
	Risk24h float64 `json:"risk24h"`
	// Clearance is by how many steps it is shallower, on average, than it must be for its share of the risk; below 0 it is too deep.
	Clearance float64 `json:"clearance"`
}

// Assess tells what is believed of a setting, which has an offset for each core.
func (s *Survey) Assess(offsets []int) Assessment {
	const tail = 0.05
	worlds := s.draw()
	n := float64(len(worlds))
	share := math.Log(-math.Log1p(-s.setup.Risk24h) / float64(len(offsets)))
	out := Assessment{Cores: make([]CoreRisk, len(offsets))}
	risks := make([]float64, len(worlds))
	for i := range worlds {
		w := &worlds[i]
		risks[i] = -math.Expm1(-faults(w, offsets))
		out.Risk24h += risks[i] / n
		for c, x := range offsets {
			out.Cores[c].Risk24h -= math.Expm1(-w.perDay(c, float64(x))) / n
			out.Cores[c].Clearance += (float64(x) - w.daily[c] + w.slopes[c]*share) / n
		}
	}
	slices.Sort(risks)
	out.Low, out.High = risks[int(tail*n)], risks[int((1-tail)*n)]
	return out
}
