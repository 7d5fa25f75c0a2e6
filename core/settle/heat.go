package settle

import (
	"math"

	"gonum.org/v1/gonum/mat"

	"zerokeel/core/series"
)

// Heating is what drives a temperature: the power that flows into the machine, the speed of the fan that carries it away, none
// where it is not told, and the room's temperature in °C with its standard deviation.
type Heating struct {
	Power, Fan          []series.Sample
	AmbientC, AmbientSD float64

	turning bool // power goes up and down all the time, and its mean is what stays
}

// The temperature of a part stands above the room by what its power makes of it at once, of its mean over some seconds (the
// cooler's base) and over minutes (fins or coolant); what the machine had stored before the leg decays.
const (
	ofRoom = iota
	ofPower
	ofBase
	ofAir
	ofStoredAir
	ofStoredBase
	terms
)

// What the terms are before anything was seen: those of power in K/W, from a large loop to a low block of fins, and those of
// stored heat in K.
var (
	termMean = [terms]float64{ofPower: 0.1, ofBase: 0.1, ofAir: 0.12}
	termSD   = [terms]float64{ofPower: 0.15, ofBase: 0.1, ofAir: 0.12, ofStoredAir: 8, ofStoredBase: 6}
)

// Time constants that are tried: of the base, in seconds, and of the air between bounds, on a grid.
var baseTausS = []float64{8, 14, 24}

const (
	leastAirTauS = 30.0
	mostAirTauS  = 1200.0
	airTaus      = 20
)

// fanExponent is how the flow of heat into the air goes with the fan's speed, usual of fins: 0.6 to 0.9.
const fanExponent = 0.75

const (
	heatFromS = 8.0 // of a leg: clocks have settled, and sensors follow
	heatLastS = 20  // at its end, whose mean power is taken for what stays

	// heatShare divides what the blocks say, which no simple path of heat explains to the last; heatDoubt is as doubt, and
	// heatFloorC is a standard deviation in K.
	heatShare  = 3.0
	heatDoubt  = 0.2
	heatFloorC = 0.3
)

// Heated is Of for a temperature, with the help of what drives it: where power changes during a leg, as after a used-up boost
// window, or a fan speeds up, the whole leg tells where the temperature goes.
func Heated(samples []series.Sample, quantum, most float64, by Heating) Estimate {
	alone := Of(samples, quantum, most)
	driven, ok := driven(samples, quantum, &by)
	if !ok || math.IsInf(alone.SD, 1) || alone.SD == 0 { // of a sensor that never moved nothing more is to be said
		return alone
	}
	driven = atMost(driven, most, math.Abs(driven.Value-samples[0].V))
	// Both look at the same leg, so together they know little more than the better one.
	a, b := 1/(alone.SD*alone.SD), 1/(driven.SD*driven.SD)
	alone.Value, alone.SD = (a*alone.Value+b*driven.Value)/(a+b), math.Sqrt(together/(a+b))
	return alone
}

// Turning is Heated for a part that all the time stands by while a load goes from core to core, so that its power never stands
// still: where the part's temperature goes on average, while the mean power of the leg goes on.
func Turning(samples []series.Sample, quantum float64, by Heating) Estimate {
	by.turning = true
	e, ok := driven(samples, quantum, &by)
	if !ok {
		return Estimate{Value: math.NaN(), SD: math.Inf(1), Now: math.NaN()}
	}
	return e
}

// together is by how much the variance of two estimates from one leg exceeds that of two from different ones.
const together = 1.25

// driven fits the path of heat to a temperature. ok is false where there is too little to fit.
func driven(samples []series.Sample, quantum float64, by *Heating) (e Estimate, ok bool) {
	if len(samples) == 0 || len(by.Power) == 0 || math.IsNaN(by.AmbientC) {
		return e, false
	}
	first := samples[0].T
	seconds := int((samples[len(samples)-1].T-first)/1000) + 1
	y, power, fan := held(samples, first, seconds), held(by.Power, first, seconds), held(by.Fan, first, seconds)
	if seconds < LeastS || math.IsNaN(y[0]+power[0]) {
		return e, false
	}
	length := max(4, (seconds-heatFromS)/mostBlocks) // of a block, s
	mean := func(x []float64) []float64 {
		out := make([]float64, (seconds-heatFromS)/length)
		for i := range out {
			from := heatFromS + i*length
			out[i] = average(x[from : from+length])
		}
		return out
	}
	seen := mean(y)
	blocks := make([]block, len(seen))
	for i, v := range seen {
		blocks[i].y = v
	}
	variance := noiseOf(blocks) + quantum*quantum/24 + 0.01
	last := seconds - heatLastS
	if by.turning {
		last = 0
	}
	stays, speed := average(power[last:]), average(fan[last:])
	e.Now = average(y[last:])

	var list []candidate
	for _, baseTau := range baseTausS {
		for i := range airTaus {
			tau := leastAirTauS * math.Pow(mostAirTauS/leastAirTauS, float64(i)/(airTaus-1))
			var columns [terms][]float64
			for k, x := range drive(power, fan, speed, baseTau, tau) {
				columns[k] = mean(x)
			}
			if c, ok := regress(seen, &columns, variance, stays, by); ok {
				z := math.Log(tau/usualTauS) / usualLog
				c.log -= z * z / 2
				list = append(list, c)
			}
		}
	}
	if len(list) == 0 {
		return e, false
	}
	value, sd := mix(list, heatShare)
	left := value - e.Now
	if by.turning { // the fan goes on as it did
		e.Value, e.SD = value, math.Sqrt(sd*sd+heatDoubt*heatDoubt*left*left+heatFloorC*heatFloorC)
		return e, true
	}
	e.Value, e.SD = e.Now+taken*left, math.Sqrt(sd*sd+heatDoubt*heatDoubt*left*left+heatFloorC*heatFloorC)
	return e, true
}

// drive returns each term's course, once a second: how much of it acts at that moment.
func drive(power, fan []float64, speed, baseTau, airTau float64) [terms][]float64 {
	var x [terms][]float64
	for k := range x {
		x[k] = make([]float64, len(power))
	}
	base, air, storedBase, storedAir := 0.0, 0.0, 1.0, 1.0
	for s, w := range power {
		flow := 1.0 // of heat into the air, against that at the end
		if speed > 0 && fan[s] > 0 {
			flow = math.Pow(fan[s]/speed, fanExponent)
		}
		keeps := math.Exp(-flow / airTau)
		base += (w - base) * -math.Expm1(-1/baseTau)
		air = air*keeps + w/flow*(1-keeps)
		storedBase *= math.Exp(-1 / baseTau)
		storedAir *= keeps
		x[ofRoom][s], x[ofPower][s], x[ofBase][s], x[ofAir][s] = 1, w, base, air
		x[ofStoredAir][s], x[ofStoredBase][s] = storedAir, storedBase
	}
	return x
}

// regress fits the terms to what was seen, by least squares with what was known of them before, and tells where the
// temperature goes while the power stays.
func regress(seen []float64, x *[terms][]float64, variance, stays float64, by *Heating) (candidate, bool) {
	prior, sd := termMean, termSD
	prior[ofRoom], sd[ofRoom] = by.AmbientC, by.AmbientSD
	normal, right := mat.NewSymDense(terms, nil), mat.NewVecDense(terms, nil)
	for p := range terms {
		for q := p; q < terms; q++ {
			normal.SetSym(p, q, dot(x[p], x[q])/variance)
		}
		weight := 1 / (sd[p] * sd[p])
		normal.SetSym(p, p, normal.At(p, p)+weight)
		right.SetVec(p, dot(x[p], seen)/variance+weight*prior[p])
	}
	var chol mat.Cholesky
	var theta, spread mat.VecDense
	goes := mat.NewVecDense(terms, []float64{ofRoom: 1, ofPower: stays, ofBase: stays, ofAir: stays, ofStoredBase: 0})
	if !chol.Factorize(normal) || chol.SolveVecTo(&theta, right) != nil || chol.SolveVecTo(&spread, goes) != nil {
		return candidate{}, false
	}
	squares := 0.0
	for i, y := range seen {
		for k := range terms {
			y -= theta.AtVec(k) * x[k][i]
		}
		squares += y * y / variance
	}
	for k := range terms {
		z := (theta.AtVec(k) - prior[k]) / sd[k]
		squares += z * z
	}
	return candidate{value: mat.Dot(goes, &theta), variance: mat.Dot(goes, &spread), log: -squares/2 - chol.LogDet()/2}, true
}

func dot(a, b []float64) float64 {
	sum := 0.0
	for i := range a {
		sum += a[i] * b[i]
	}
	return sum
}

func average(x []float64) float64 {
	sum := 0.0
	for _, v := range x {
		sum += v
	}
	return sum / float64(len(x))
}

// held returns samples once a second from a time in ms on, each until the next; NaN before the first.
func held(samples []series.Sample, from int64, seconds int) []float64 {
	out := make([]float64, seconds)
	at, last := 0, math.NaN()
	for i := range out {
		for ; at < len(samples) && samples[at].T <= from+int64(1000*i); at++ {
			if !math.IsNaN(samples[at].V) {
				last = samples[at].V
			}
		}
		out[i] = last
	}
	return out
}
