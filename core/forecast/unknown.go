package forecast

import (
	"math"

	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/silicon"
)

// The unknowns of a rig, each zero for a machine that is exactly as its sheets say.
const (
	shiftV   = iota // the fused curve of a core, in V
	tiltV           // by which it turns about its pivot, in V per GHz
	stepSize        // natural logarithm of the factor on the size of a curve step
	excessV         // by how much the core that asks for most stands above the others, in V
	leakage         // natural logarithm of the factor on the leakage
	heavyC          // natural logarithms of the factors on the switched capacitance, by load
	mixedC
	lightC
	idleC
	uncore    // natural logarithm of the factor on the power of the package beside its cores
	dieR      // natural logarithm of the factor on the resistance from core to base
	hotterR   // by how much more the hottest core stands above the die than a mean one, a share
	coolerR   // natural logarithm of the factor on the resistance from base to ambient
	airPower  // and on the exponent by which a fan's speed cools
	extraMOhm // of the path from regulator to die
	models    // the number of those that the models know of; what follows is of the sensors
)

const (
	sensorW = models + iota // by how much the sensor of power reads high, a share
	sensorV                 // that of delivered voltage, in V
	sensorC                 // that of temperature, in °C
	unknowns
)

// priors returns the standard deviations of the unknowns before anything was measured: the part sheet's own spread
// where it gives one.
func priors(p *part.Processor) [unknowns]float64 {
	own := math.Hypot(p.Spread.ChipV, math.Hypot(p.Spread.CoreV, p.Spread.ClusterV))
	return [unknowns]float64{
		shiftV: math.Max(0.004, own), tiltV: 0.012, stepSize: 0.15, excessV: math.Max(0.004, 1.5*p.Spread.CoreV),
		leakage: math.Max(0.05, p.Spread.Leakage), heavyC: 0.05, mixedC: 0.05, lightC: 0.08, idleC: 0.25, uncore: 0.15,
		dieR: 0.15, hotterR: math.Max(0.05, p.Spread.CoreR), coolerR: 0.2, airPower: 0.3, extraMOhm: 0.06,
		sensorW: 0.03, sensorV: 0.006, sensorC: 2.5,
	}
}

// withoutPower are the priors of a machine whose sheets were measured without a sensor of power: from heat alone power and resistances are
// known together only, each of them to about a third.
func withoutPower(sd [unknowns]float64) [unknowns]float64 {
	const third = 0.35
	for _, i := range []int{leakage, heavyC, mixedC, lightC, idleC, uncore, dieR, coolerR} {
		sd[i] = math.Max(sd[i], third)
	}
	return sd
}

// means returns what the unknowns are taken for before anything was measured: some core always asks for more than the
// mean one, and one is hotter.
func means(p *part.Processor) [unknowns]float64 {
	const highest = 1.4 // of about eight values, in standard deviations
	return [unknowns]float64{excessV: highest * p.Spread.CoreV, hotterR: highest * p.Spread.CoreR}
}

// loadOf names the load of the unknowns that count for one only.
var loadOf = map[int]load.Kind{heavyC: load.Heavy, mixedC: load.Mixed, lightC: load.Light, idleC: load.Idle}

// rig returns the chip and the adjustments that the unknowns mean.
func rig(set *part.Set, theta []float64) (silicon.Chip, machine.Adjust) {
	chip := silicon.Typical(set.Processor)
	for c := range chip.ShiftV {
		chip.ShiftV[c] = theta[shiftV]
		chip.Leak[c] = math.Exp(theta[leakage])
	}
	// The core that asks for most, and the hottest, is the last of its rail: a one-core load is forecast on the first.
	for i := range set.Processor.Clusters {
		last := set.Processor.FirstCore(i) + set.Processor.Clusters[i].Cores - 1
		if set.Processor.Rails == part.RailsCluster || set.Processor.Clusters[i].Kind == part.KindPerformance {
			chip.ShiftV[last] += math.Max(0, theta[excessV])
			chip.CoreR[last] += math.Max(-0.5, theta[hotterR])
		}
	}
	return chip, machine.Adjust{
		Switched: map[load.Kind]float64{load.Heavy: theta[heavyC], load.Mixed: theta[mixedC], load.Transition: theta[mixedC],
			load.Light: theta[lightC], load.Idle: theta[idleC]},
		DieR: theta[dieR], CoolerR: theta[coolerR], AirPower: theta[airPower], ExtraMOhm: theta[extraMOhm],
		TiltV: theta[tiltV], CurveStep: theta[stepSize], Uncore: theta[uncore],
	}
}

// read turns what a machine shows into what its sensors tell of it.
func read(at machine.At, theta []float64) machine.At {
	at.PackageW *= 1 + theta[sensorW]
	at.DeliveredV += theta[sensorV]
	at.HottestC += theta[sensorC]
	return at
}
