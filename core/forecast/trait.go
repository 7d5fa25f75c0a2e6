package forecast

import (
	"math"

	"zerokeel/core/machine"
	"zerokeel/core/part"
)

// Trait is what one rig is found to be in something that rigs of its kind differ in, with half the width of its 90 % interval.
type Trait struct {
	What  string  `json:"what"`
	Value float64 `json:"value"`
	Half  float64 `json:"half"`
	Unit  string  `json:"unit"`
}

// What rigs of a kind differ in.
const (
	TraitVolts   = "volts"   // that a core asks for at a clock that all of its model reach, mV
	TraitLeakage = "leakage" // % of a typical chip's
	TraitLimit   = "limit"   // how far below what is delivered a core fails within a minute or two, mean of its cores, mV; a survey tells it
	TraitMount   = "mount"   // resistance from die to room as mounted, with what comes in again of its warm air, % of its cooler's sheet
)

// tells is by how much narrower an interval must be than what was believed before for records to have told anything.
const tells = 0.75

// TraitMHz is the clock that voltages of a model are held against each other at: most of its highest.
func TraitMHz(p *part.Processor) float64 { return math.Round(0.85*p.HighestMHz()/100) * 100 }

// Traits lists what the records of a rig tell of it; what they do not tell is left out.
func (f *Fit) Traits() []Trait {
	out := []Trait{}
	p, c := f.set.Processor, f.set.Cooler
	tuning, err := machine.Tune(f.set, nil)
	if err != nil || f.Records == 0 {
		return out
	}
	mhz := TraitMHz(p)
	base, air := c.BaseKPerW, c.AirKPerW
	whole := p.Heat.DieKPerW + base + air
	for _, one := range []struct {
		what, unit string
		of         func(theta []float64) float64
		by         []int
	}{
		{TraitVolts, "mV", func(t []float64) float64 {
			m, err := modelWith(f.set, tuning, t)
			if err != nil {
				return math.NaN()
			}
			return 1000 * m.FusedV(0, mhz)
		}, []int{shiftV, tiltV}},
		{TraitLeakage, "%", func(t []float64) float64 { return 100 * math.Exp(t[leakage]) }, []int{leakage}},
		{TraitMount, "%", func(t []float64) float64 {
			return 100 * (p.Heat.DieKPerW*math.Exp(t[dieR]) + (base+air)*math.Exp(t[coolerR])) / whole
		}, []int{dieR, coolerR}},
	} {
		half, before := f.halfOf(one.of, one.by), Prior(f.set).halfOf(one.of, one.by)
		if half < tells*before {
			out = append(out, Trait{one.what, one.of(f.Theta), half, one.unit})
		}
	}
	return out
}

// halfOf is half the width of the 90 % interval of a function of some unknowns.
func (f *Fit) halfOf(of func(theta []float64) float64, by []int) float64 {
	slope := make([]float64, len(by))
	for i, j := range by {
		const step = 1e-4
		up, down := append([]float64(nil), f.Theta...), append([]float64(nil), f.Theta...)
		up[j], down[j] = up[j]+step, down[j]-step
		slope[i] = (of(up) - of(down)) / (2 * step)
	}
	variance := 0.0
	for a, i := range by {
		for b, j := range by {
			variance += slope[a] * slope[b] * f.Cov[i*unknowns+j]
		}
	}
	const ninety = 1.645
	return ninety * math.Sqrt(math.Max(0, variance))
}
