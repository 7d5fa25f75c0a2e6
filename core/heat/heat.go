// Package heat holds the heat path of a processor under a cooler: die → base (spreader and cold plate) →
// coolant or fins → ambient, three nodes with heat capacities, each core standing above the die by its own
// power. °C, W, K/W, J/K, s.
package heat

import (
	"math"

	"zerokeel/core/part"
)

// Path is a heat path: resistances upward from ambient, capacities of the nodes.
type Path struct {
	cooler                          *part.Cooler
	coreR, dieR, baseR              float64
	dieJPerK, baseJPerK, coolantJPK float64
	airScale, airExponent           float64
}

// NewPath joins the processor's part of the path with the cooler's. pump is the factor by which the pump's mode raises
// the resistance from base to coolant, 1 at full speed and where there is none.
func NewPath(p *part.Processor, c *part.Cooler, pump float64) Path {
	return Path{
		cooler: c, coreR: p.Heat.CoreKPerW, dieR: p.Heat.DieKPerW, baseR: c.BaseKPerW * pump,
		dieJPerK: p.Heat.DieJPerK, baseJPerK: p.Heat.BaseJPerK, coolantJPK: c.CoolantJPerK, airScale: 1, airExponent: c.AirExponent,
	}
}

// Nodes are the temperatures of the three nodes.
type Nodes struct{ Die, Base, Coolant float64 }

// At returns nodes that all stand at one temperature.
func At(c float64) Nodes { return Nodes{c, c, c} }

// Scaled returns the path with its resistances multiplied, as records of a rig may show: of the cores and the die, and
// of what lies between base and ambient.
func (p Path) Scaled(die, cooler float64) Path {
	p.coreR *= die
	p.dieR *= die
	p.baseR *= cooler
	p.airScale = cooler
	return p
}

// Exponent returns the path with the exponent of its air side multiplied.
func (p Path) Exponent(factor float64) Path {
	p.airExponent *= factor
	return p
}

// AirR returns the resistance from coolant to ambient at a fan duty in percent: it falls with the fan's speed
// to the power of the air side's exponent, and a standing fan leaves a fifth of the flow.
func (p Path) AirR(duty float64) float64 {
	flow := math.Max(0.2, Speed(p.cooler.Fan, duty)/p.cooler.Fan.MaxRPM)
	return p.airScale * p.cooler.AirKPerW * math.Pow(flow, -p.airExponent)
}

// Core returns the temperature of a core that draws coreW.
func (p Path) Core(n Nodes, coreW float64) float64 { return n.Die + p.coreR*coreW }

// Steady returns the nodes after packageW has flowed long enough.
func (p Path) Steady(packageW, airR, ambient float64) Nodes {
	coolant := ambient + packageW*airR
	base := coolant + packageW*p.baseR
	return Nodes{Die: base + packageW*p.dieR, Base: base, Coolant: coolant}
}

// Stepper advances nodes by a fixed time step with fixed resistances. Each node relaxes exponentially towards
// what its neighbours hold it at, which is stable at any step and keeps the steady state exactly.
type Stepper struct {
	path                         Path
	airR                         float64
	dieDecay, baseDecay, coolDec float64
}

// NewStepper prepares steps of dt seconds at a resistance to ambient.
func NewStepper(p Path, airR, dt float64) Stepper {
	return Stepper{
		path: p, airR: airR,
		dieDecay:  -math.Expm1(-dt / (p.dieJPerK * p.dieR)),
		baseDecay: -math.Expm1(-dt / (p.baseJPerK / (1/p.dieR + 1/p.baseR))),
		coolDec:   -math.Expm1(-dt / (p.coolantJPK / (1/p.baseR + 1/airR))),
	}
}

// Step returns the nodes one step later, while packageW flows into the die.
func (s *Stepper) Step(n Nodes, packageW, ambient float64) Nodes {
	p := &s.path
	base := (n.Die/p.dieR + n.Coolant/p.baseR) / (1/p.dieR + 1/p.baseR)
	coolant := (n.Base/p.baseR + ambient/s.airR) / (1/p.baseR + 1/s.airR)
	return Nodes{
		Die:     n.Die + (n.Base+packageW*p.dieR-n.Die)*s.dieDecay,
		Base:    n.Base + (base-n.Base)*s.baseDecay,
		Coolant: n.Coolant + (coolant-n.Coolant)*s.coolDec,
	}
}
