// Package stability tells when a core fails: how far the voltage that reaches it lies above what it needs, and
// what follows from falling short. It is the stand-ins' hidden truth: nothing that judges, forecasts or plans may
// import it, or it would know what it has to find out.
//
// Each core has a reserve per regime: how many volts below its fused curve it still computes. The margin is the
// lowest delivered voltage in that regime less that floor. Faults come as a Poisson process whose rate falls
// exponentially with the margin, as timing errors do in the tail of a normal distribution of path delays.
package stability

import (
	"math"
	"math/rand/v2"

	"zerokeel/core/load"
)

// Constants of the hazard law.
const (
	RateAtZero = 1.0 / 90 // faults per second at a margin of zero
	ScaleV     = 0.0055   // the rate falls by e for each of these volts of margin
	MaxRate    = 4.0      // faults per second, however far below
)

// Reserve is a core's reserve below its fused curve in volts, by regime, at 60 °C.
type Reserve struct {
	Heavy, Light, Transition, Idle float64
}

// In returns the reserve in a regime.
func (r Reserve) In(regime load.Regime) float64 {
	switch regime {
	case load.RegimeLight:
		return r.Light
	case load.RegimeTransition:
		return r.Transition
	case load.RegimeIdle:
		return r.Idle
	default:
		return r.Heavy
	}
}

// PerKelvin is how much more voltage a core needs per kelvin above 60 °C.
const PerKelvin = 0.00015

// Margin returns by how many volts the delivered voltage exceeds what the core needs.
func Margin(r Reserve, regime load.Regime, fusedV, deliveredV, temperatureC float64) float64 {
	return deliveredV - (fusedV - r.In(regime) + PerKelvin*(temperatureC-60))
}

// Weariness: under rise and fall a machine that has been up for hours needs a little more than one that was just started,
// up to WearyV, most of it after WearyS.
const (
	WearyV = 0.006
	WearyS = 3 * 3600.0
)

// Weary returns by how many volts the margin in a regime is smaller after some seconds of uptime.
func Weary(regime load.Regime, uptimeS float64) float64 {
	if regime != load.RegimeTransition {
		return 0
	}
	return WearyV * -math.Expm1(-uptimeS/WearyS)
}

// VoltsPerSlack turns a memory's slack, a share, into the volts of a margin: one percent too fast is as bad as 10 mV too
// little.
const VoltsPerSlack = 1.0

// MemoryMargin returns the margin of a memory that has a reserve beyond its rating (a share) and runs with a slack to it.
func MemoryMargin(reserve, slack float64) float64 { return VoltsPerSlack * (reserve + slack) }

// Hazard returns the rate of faults per second at a margin in volts. It is in (0, MaxRate].
func Hazard(margin float64) float64 {
	return math.Min(MaxRate, RateAtZero*math.Exp(-margin/ScaleV))
}

// Chance returns the chance of at least one fault in a time.
func Chance(rate, seconds float64) float64 { return -math.Expm1(-rate * seconds) }

// Outcome is what a fault does.
type Outcome string

const (
	Corrected     Outcome = "corrected"     // the processor noticed and mended it
	Miscalculated Outcome = "miscalculated" // a wrong result on that core
	Dropped       Outcome = "core dropped"  // the core's worker stops
	Froze         Outcome = "froze"         // the machine stands still
	Restarted     Outcome = "restarted"     // the machine restarts by itself
)

// shares of Corrected, Miscalculated, Dropped, Froze and Restarted when a fault is shallow and when it is deep.
var shares = map[load.Regime][2][5]float64{
	load.RegimeHeavy:      {{0.10, 0.72, 0.10, 0.05, 0.03}, {0, 0.35, 0.10, 0.30, 0.25}},
	load.RegimeLight:      {{0.15, 0.50, 0.10, 0.10, 0.15}, {0, 0.25, 0.05, 0.30, 0.40}},
	load.RegimeTransition: {{0.10, 0.15, 0.05, 0.40, 0.30}, {0, 0.05, 0.05, 0.50, 0.40}},
	load.RegimeIdle:       {{0.05, 0, 0, 0.60, 0.35}, {0, 0, 0, 0.60, 0.40}},
	load.RegimeMemory:     {{0.15, 0.70, 0, 0.08, 0.07}, {0, 0.40, 0, 0.30, 0.30}},
}

var outcomes = [5]Outcome{Corrected, Miscalculated, Dropped, Froze, Restarted}

// deepV is the shortfall at which a fault counts as deep; the shares blend on the way there.
const deepV = 0.03

// Draw returns what a fault in a regime at a margin does.
func Draw(regime load.Regime, margin float64, r *rand.Rand) Outcome {
	deep := math.Min(1, math.Max(0, -margin/deepV))
	x := r.Float64()
	pair := shares[regime]
	for i, o := range outcomes {
		x -= (1-deep)*pair[0][i] + deep*pair[1][i]
		if x < 0 {
			return o
		}
	}
	return Restarted
}

// NoPost reports whether a machine with this margin while it starts (light regime, base clock) fails to come up:
// ten seconds of self-test must pass without a fault worse than a corrected one.
func NoPost(margin float64, r *rand.Rand) bool {
	return r.Float64() < Chance(Hazard(margin), 10)
}
