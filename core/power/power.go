// Package power holds the power models: what a core, the rest of the package, the voltage regulator and the
// whole machine at the wall draw. Watts, volts, amperes, MHz, °C.
package power

import (
	"math"

	"zerokeel/core/part"
	"zerokeel/core/volt"
)

// Conductance returns the switching current per volt of one core, a·C·f in siemens, for its activity a (0 to
// 2), switched capacitance in nF and clock.
func Conductance(activity, switchedNF, mhz float64) float64 {
	return activity * switchedNF * 1e-3 * mhz
}

// LeakAt returns the leakage current in amperes of one core at voltage V0, for its temperature. scale is the
// chip's leakage against the sheet's, 1 for a typical chip.
func LeakAt(p *part.CorePower, scale, temperatureC float64) float64 {
	return scale * p.LeakA * math.Exp(p.LeakPerK*(temperatureC-p.LeakT0C))
}

// LeakFactor returns by how much leakage at die voltage v exceeds that at V0.
func LeakFactor(p *part.CorePower, v float64) float64 { return math.Exp(p.LeakPerV * (v - p.LeakV0)) }

// Core returns the power of one core at die voltage v, given its leakage at V0 and the LeakFactor of v.
func Core(conductance, leakA, v, factor float64) float64 {
	return v * (conductance*v + leakA*factor)
}

// Draw returns the current law of a rail that feeds cores of the given summed conductance and leakage.
func Draw(p *part.CorePower, conductance, leakA float64) volt.Draw {
	return volt.Draw{G: conductance, L: leakA, Alpha: p.LeakPerV, V0: p.LeakV0}
}

// Rest is how the parts of the package beside the cores run. Voltages are against the sheet's, 1 as delivered.
type Rest struct {
	MemoryMTs, FabricMHz float64
	SoC, Controller      float64
	PowerDown            bool
	RingMHz, RingV       float64 // of the ring, where there is one
}

// powerDownShare is what remains, when idle, of the memory controller's power while idle ranks sleep.
const powerDownShare = 0.8

// Uncore returns the power of the package beside its cores: switching power, so it goes with clock and the square of
// voltage.
func Uncore(p *part.Processor, r *Rest, idle bool) float64 {
	u := &p.Uncore
	memory := u.PerGTs * r.MemoryMTs / 1000 * r.Controller * r.Controller
	if idle && r.PowerDown {
		memory *= powerDownShare
	}
	w := u.BaseW*r.SoC*r.SoC + memory + u.PerGHz*r.FabricMHz/1000
	if p.Ring != nil {
		v := r.RingV / p.Ring.V
		w += p.Ring.W * r.RingMHz / p.Ring.MHz * v * v
	}
	if idle {
		w *= u.IdleShare
	}
	return w
}

// Regulator is how a voltage regulator runs: factors on the sheet's losses and on the impedance of its load line to
// sudden steps.
type Regulator struct{ Idle, Ohmic, Step float64 }

// Phases returns how a regulator runs with few phases at little load, as usual, or with all of them always.
func Phases(mode string) Regulator {
	switch mode {
	case "saving":
		return Regulator{Idle: 0.7, Ohmic: 1.12, Step: 1.15}
	case "all":
		return Regulator{Idle: 1.35, Ohmic: 0.93, Step: 0.95}
	}
	return Regulator{1, 1, 1}
}

// Switching returns r at a switching frequency against the usual one: gate losses go with frequency, and the answer to
// steps gets quicker with its fourth root, as the output filter stays the same.
func (r Regulator) Switching(ratio float64) Regulator {
	r.Idle *= 0.5 + 0.5*ratio
	r.Ohmic *= 0.9 + 0.1*ratio
	r.Step *= math.Pow(ratio, -0.25)
	return r
}

// VRMLoss returns what the voltage regulator turns into heat at an output current.
func VRMLoss(v *part.VRM, r Regulator, amps float64) float64 {
	return v.IdleW*r.Idle + v.OhmicMOhm*1e-3*r.Ohmic*amps*amps
}

// Wall returns the power at the wall.
func Wall(b *part.Board, packageW, vrmW float64) float64 {
	return (packageW + vrmW + b.RestW) / b.Supply
}
