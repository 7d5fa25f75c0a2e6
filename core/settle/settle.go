// Package settle finds the value that a figure approaches while a machine stands under an unchanged load: coolant takes
// minutes to warm, and what hangs on it, temperature, leakage, power, voltage, with it. The approach is extrapolated, and the
// estimate carries the doubt of that, so that a leg which is too short says so instead of passing for a settled one.
package settle

import (
	"math"

	"zerokeel/core/series"
)

// Estimate is a figure's settled value with its standard deviation, in the figure's unit. SD is +Inf where nothing can be said.
type Estimate struct {
	Value, SD float64
	Now       float64 // mean of the last part, as it stood at the end
	TauS      float64 // time constant of the approach, in seconds; 0 where nothing was left to approach
}

// ninety is the half width of a 90 % interval in standard deviations.
const ninety = 1.645

// Half returns half the width of the 90 % interval.
func (e Estimate) Half() float64 { return ninety * e.SD }

// LeastS is the length of a leg, in seconds, below which nothing is said.
const LeastS = 150.0

// leadS is how much of a leg, in seconds, is left out at its start: clocks, cores and the cooler's base settle in that time,
// and what is left is the slowest part. After something else than an approach, such as a used-up boost window, what comes
// later is looked at alone: starts is how many places a leg is cut at until the rest is one.
const (
	leadS  = 30.0
	starts = 8
)

// wander is the standard deviation of what a settled machine shows over minutes, as a share of how far it went during a leg:
// a governor and a fan go on seeking their places.
const wander = 0.008

// Of estimates the settled value of a channel from its samples over a leg, sorted by time in ms. quantum is the sensor's
// smallest step. A figure that a limit holds does not rise above most, +Inf where none does.
func Of(samples []series.Sample, quantum, most float64) Estimate {
	out := Estimate{Value: math.NaN(), SD: math.Inf(1), Now: math.NaN()}
	values := present(samples)
	if len(values) < leastBlocks {
		return out
	}
	first, last := values[0].T, values[len(values)-1].T
	span := float64(last-first) / 1000
	if span < LeastS {
		return out
	}
	rise := math.Abs(values[0].V - values[len(values)-1].V)
	for _, s := range values {
		rise = math.Max(rise, math.Abs(s.V-values[0].V))
	}
	lead := leadS
	// After a jump what comes later is looked at, if it is long enough. In a short leg it may be the end of a boost window.
	if j := lastJump(values, quantum); j.at > 0 {
		before := float64(j.at-first) / 1000
		switch after := span - before - leadS; {
		case j.once && after >= LeastS:
			lead = before + leadS
		case !j.once || before >= LeastS:
			return Estimate{Value: j.value, SD: j.sd, Now: j.value}
		}
	}
	for from := lead; ; from += math.Max(blockS, (span-lead)/starts) {
		blocks := means(values, first+int64(1000*from), last)
		if len(blocks) < leastBlocks {
			return out
		}
		e, fits := approach(blocks, quantum)
		out = atMost(e, most, rise)
		if fits {
			return out
		}
	}
}

// atMost bounds an estimate of a figure that went so far up or down during its leg. A governor holds a figure a little below
// its limit, and hunts for its place there.
func atMost(e Estimate, most, rise float64) Estimate {
	seeks := wander * rise
	if held := most - 2*seeks; e.Value > held {
		e.SD = math.Min(e.SD, math.Abs(held-e.Now)/2)
		e.Value = math.Max(e.Now, held)
		seeks *= 2
	}
	e.SD = math.Hypot(e.SD, seeks)
	return e
}

// present drops gaps.
func present(samples []series.Sample) []series.Sample {
	out := make([]series.Sample, 0, len(samples))
	for _, s := range samples {
		if !math.IsNaN(s.V) {
			out = append(out, s)
		}
	}
	return out
}

// candidate is what one assumption about time constants makes of a leg: the value with its variance, and the logarithm of how
// well it explains what was seen.
type candidate struct{ value, variance, log float64 }

// mix weighs candidates by how well they explain a leg. share divides that, where neighbouring figures are no news to each
// other.
func mix(list []candidate, share float64) (value, sd float64) {
	top := math.Inf(-1)
	for _, c := range list {
		top = math.Max(top, c.log)
	}
	weights, square := 0.0, 0.0
	for _, c := range list {
		w := math.Exp((c.log - top) / share)
		weights += w
		value += w * c.value
	}
	value /= weights
	for _, c := range list {
		w := math.Exp((c.log - top) / share)
		square += w * (c.variance*share + (c.value-value)*(c.value-value))
	}
	return value, math.Sqrt(square / weights)
}
