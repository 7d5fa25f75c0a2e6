// Package stability tells when a core fails: how far the voltage that reaches it lies above what it needs, and
// what follows from falling short. It is the stand-ins' hidden truth: nothing that judges, forecasts or plans may
// import it, or it would know what it has to find out.
//
// Each core has a reserve per regime: how many volts below its fused curve it still computes; its floor does not run parallel to
// that curve, and each load finds only part of its weakness. The margin is the lowest delivered voltage in that regime less that
// floor. Faults come as a Poisson process whose rate falls exponentially with the margin, as timing errors do in the tail of a
// normal distribution of path delays; how steeply, differs from chip to chip. What lies beside the cores, ring, fabric and memory
// controller, has reserves of its own.
package stability

import (
	"math"
	"math/rand/v2"

	"zerokeel/core/load"
)

// Law is a hazard law: faults per second at a margin of zero, and the volts of margin for each of which the rate falls by e.
type Law struct{ RateAtZero, ScaleV float64 }

// Usual is the law of a usual chip.
var Usual = Law{RateAtZero: 1.0 / 90, ScaleV: 0.0055}

// MaxRate is the rate of faults per second however far below.
const MaxRate = 4.0

// Hazard returns the rate of faults per second at a margin in volts. It is in (0, MaxRate].
func (l Law) Hazard(margin float64) float64 {
	return math.Min(MaxRate, l.RateAtZero*math.Exp(-margin/l.ScaleV))
}

// Core is what is hidden of a core.
type Core struct {
	Reserve Reserve
	TiltV   float64               // V per GHz above its pivot, by which its floor rises faster than its fused curve
	Missed  map[load.Kind]float64 // V by which a load does not reach down to the core's weakness in its regime
	Law     Law
}

// How chips and cores differ: the factors on both numbers of the law, as bounds of natural logarithms, per chip and core; the
// tilt of a floor in V per GHz; what a load misses, in V; and which part of a core's deviation its regimes share.
const (
	chipLaw  = 0.69
	coreLaw  = 0.2
	tiltV    = 0.004
	missedV  = 0.004
	together = 0.7
)

// DrawCores draws cores about a usual reserve, with the standard deviation of their reserves in V.
func DrawCores(usual Reserve, spreadV float64, cores int, r *rand.Rand) []Core {
	even := func(bound float64) float64 { return math.Exp(bound * (2*r.Float64() - 1)) }
	chip := Law{Usual.RateAtZero * even(chipLaw), Usual.ScaleV * even(chipLaw)}
	out := make([]Core, cores)
	for i := range out {
		shared := r.NormFloat64()
		own := func(v float64) float64 {
			return v + spreadV*(together*shared+math.Sqrt(1-together*together)*r.NormFloat64())
		}
		c := &out[i]
		c.Reserve = Reserve{own(usual.Heavy), own(usual.Light), own(usual.Transition), own(usual.Idle)}
		c.TiltV = tiltV * r.NormFloat64()
		c.Law = Law{chip.RateAtZero * even(coreLaw), chip.ScaleV * even(coreLaw)}
		c.Missed = map[load.Kind]float64{}
		least := map[load.Regime]float64{}
		for _, k := range load.Kinds {
			c.Missed[k] = missedV * math.Abs(r.NormFloat64())
			if m, known := least[k.Regime()]; !known || c.Missed[k] < m {
				least[k.Regime()] = c.Missed[k]
			}
		}
		for k := range c.Missed { // one of a regime's loads finds it all
			c.Missed[k] -= least[k.Regime()]
		}
	}
	return out
}

// Margin returns by how many volts what is delivered exceeds what the core needs under a load in a regime, at a clock that lies
// some GHz above its pivot.
func (c *Core) Margin(kind load.Kind, regime load.Regime, fusedV, deliveredV, temperatureC, gigahertz float64) float64 {
	missed := 0.0
	if kind.Regime() == regime {
		missed = c.Missed[kind]
	}
	return Margin(c.Reserve, regime, fusedV, deliveredV, temperatureC) - c.TiltV*gigahertz + missed
}

// Idle faults are mostly wake-ups: a core goes to its top clock at once, for less than it takes to look, before the rail has risen
// all the way. wakeA is the step of current that the rail has to answer; restV by how much lower the floor lies at rest.
const (
	wakeA = 12.0
	RestV = 0.03
)

// WakeV returns what reaches a core that wakes, of what it asks for at its top clock, on a load line with an impedance to steps in
// mΩ.
func WakeV(askedV, stepMOhm float64) float64 { return askedV - wakeA*stepMOhm/1000 }

// Day returns by how many volts a day's conditions move every margin, some seconds after a rig was first switched on: up to 3 mV either
// way. It goes by the rig's own days, so that the same rig does the same whatever the date.
func Day(seed uint64, ranS float64) float64 {
	const most, daySeconds = 0.003, 86400
	return most * (2*rand.New(rand.NewPCG(seed, 1<<40+uint64(ranS/daySeconds))).Float64() - 1)
}

// Uncore is what lies beside the cores: reserves in V below what is requested as delivered, and how fast the floors rise with the
// clocks, in V for a doubling.
type Uncore struct {
	Ring, Fabric, Controller float64
}

// How much more voltage the parts beside the cores need for each share that their clock lies above the delivered one.
const (
	fabricPerShare     = 0.9
	controllerPerShare = 0.6
)

// DrawUncore draws the reserves about usual ones.
func DrawUncore(usual Uncore, r *rand.Rand) Uncore {
	const spreadV = 0.008
	return Uncore{usual.Ring + spreadV*r.NormFloat64(), usual.Fabric + spreadV*r.NormFloat64(), usual.Controller + spreadV*r.NormFloat64()}
}

// Ran is how the parts beside the cores run: what each gets above its voltage as delivered, in V, and by which share its clock lies
// above the delivered one. A part that is not there is ahead of any need.
type Ran struct {
	RingV, FabricV, ControllerV  float64
	FabricShare, ControllerShare float64
}

// Margin returns the smallest margin of the parts beside the cores.
func (u Uncore) Margin(ran Ran) float64 {
	return min(u.Ring+ran.RingV, u.Fabric+ran.FabricV-fabricPerShare*ran.FabricShare,
		u.Controller+ran.ControllerV-controllerPerShare*ran.ControllerShare)
}

// busy is the share of the time in which a regime asks much of the parts beside the cores.
var busy = map[load.Regime]float64{load.RegimeHeavy: 0.3, load.RegimeLight: 0.1, load.RegimeTransition: 0.5, load.RegimeIdle: 0.05,
	load.RegimeMemory: 1}

// Hazard returns the rate of faults per second beside the cores in a regime.
func (u Uncore) Hazard(ran Ran, regime load.Regime) float64 {
	return busy[regime] * Usual.Hazard(u.Margin(ran))
}

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

// TrainV is by how much, as a margin, a memory is still found and trained at the start where it no longer computes without faults.
const TrainV = 0.02

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
	return r.Float64() < Chance(Usual.Hazard(margin), 10)
}
