// Package power holds the power models: what a core, the rest of the package, the voltage regulator and the
// whole machine at the wall draw. Watts, volts, amperes, MHz, °C.
package power

import (
	"math"

	"zerokeel/core/load"
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

// Uncore returns the power of the package beside its cores.
func Uncore(u *part.Uncore, memoryMTs float64, kind load.Kind) float64 {
	w := u.BaseW + u.PerGTs*memoryMTs/1000
	if kind == load.Idle {
		w *= u.IdleShare
	}
	return w
}

// VRMLoss returns what the voltage regulator turns into heat at an output current.
func VRMLoss(v *part.VRM, amps float64) float64 { return v.IdleW + v.OhmicMOhm*1e-3*amps*amps }

// Wall returns the power at the wall.
func Wall(b *part.Board, packageW, vrmW float64) float64 {
	return (packageW + vrmW + b.RestW) / b.Supply
}
