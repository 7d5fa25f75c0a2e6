// Package silicon tells one chip of a model from another: how its cores' fused curves, leakage and heat path stray from
// the part sheet.
package silicon

import (
	"math"
	"math/rand/v2"

	"zerokeel/core/part"
)

// Chip is one chip of a processor model.
type Chip struct {
	ShiftV []float64 // per core: the fused curve against the sheet's, in volts
	Leak   []float64 // per core: leakage against the sheet's, 1 is typical
	CoreR  []float64 // per core: resistance to the die against the sheet's, 1 is typical
}

// Typical returns a chip that is exactly as the sheet says.
func Typical(p *part.Processor) Chip {
	c := Chip{ShiftV: make([]float64, p.Cores()), Leak: make([]float64, p.Cores()), CoreR: make([]float64, p.Cores())}
	for i := range c.Leak {
		c.Leak[i], c.CoreR[i] = 1, 1
	}
	return c
}

// Draw returns a chip drawn from the sheet's spread: a shift of the chip, of each cluster and of each core, and leakage
// that falls as the shift rises, since slow transistors leak less (correlation −0.7).
func Draw(p *part.Processor, r *rand.Rand) Chip {
	const correlation = -0.7
	c := Typical(p)
	chip := r.NormFloat64()
	cluster, shift := -1, 0.0
	for i := range c.ShiftV {
		if at := p.ClusterOf(i); p.Spread.ClusterV > 0 && at != cluster {
			cluster, shift = at, p.Spread.ClusterV*r.NormFloat64()
		}
		core := r.NormFloat64()
		c.ShiftV[i] = p.Spread.ChipV*chip + shift + p.Spread.CoreV*core
		own := r.NormFloat64()
		c.Leak[i] = max(0.3, 1+p.Spread.Leakage*(correlation*chip+0.71*own))
	}
	if p.Spread.CoreR > 0 {
		for i := range c.CoreR {
			c.CoreR[i] = math.Exp(p.Spread.CoreR * r.NormFloat64())
		}
	}
	return c
}
