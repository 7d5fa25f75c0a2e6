package settle

import (
	"math"
	"slices"

	"zerokeel/core/series"
)

// Blocks are means over at least blockS seconds, at most mostBlocks of them: long enough that a governor's dithering between
// two bins averages out.
const (
	blockS      = 5.0
	mostBlocks  = 60
	leastBlocks = 8
)

type block struct{ t, y float64 } // s before the end, as a negative number, and mean

// means returns the means of what lies from a time in ms on, in blocks of equal length.
func means(values []series.Sample, from, to int64) []block {
	span := float64(to-from) / 1000
	n := min(mostBlocks, int(span/blockS))
	if n < 1 {
		return nil
	}
	sum, count := make([]float64, n), make([]float64, n)
	for _, s := range values {
		if s.T >= from {
			i := min(n-1, int(float64(s.T-from)/float64(to-from)*float64(n)))
			sum[i] += s.V
			count[i]++
		}
	}
	var out []block
	for i := range n {
		if count[i] > 0 {
			out = append(out, block{(float64(i) + 0.5 - float64(n)) / float64(n) * span, sum[i] / count[i]})
		}
	}
	return out
}

// spanOf returns the lowest and the highest of blocks.
func spanOf(blocks []block) (low, high float64) {
	low, high = math.Inf(1), math.Inf(-1)
	for _, b := range blocks {
		low, high = math.Min(low, b.y), math.Max(high, b.y)
	}
	return low, high
}

// What is known beforehand of how slowly a machine settles, from a small block of fins to a large loop: the median of its
// slowest time constant, in seconds, and the standard deviation of its natural logarithm.
const (
	usualTauS = 150.0
	usualLog  = 0.9
)

// The grid of time constants, in seconds, and its number of points.
const (
	leastTauS  = 8.0
	mostTauS   = 2000.0
	tausOnGrid = 32
)

// tauOf returns a time constant of the grid, in seconds.
func tauOf(i int) float64 { return leastTauS * math.Pow(mostTauS/leastTauS, float64(i)/(tausOnGrid-1)) }

// taken is the share of an extrapolated rest that machines are found to go, and doubt its standard deviation: fans turn faster
// as a machine warms and limits begin to hold, so it arrives sooner than its first minutes promise. Found on machines stepped
// from sheets that were strayed from in every way (BenchmarkSettled).
const (
	taken = 0.72
	doubt = 0.25
)

// An approach fits where neighbours stray from it on their own, and blocks no further than their noise lets them:
// mostCorrelation bounds the one, mostMisfit, a ratio of variances, the other.
const (
	mostCorrelation = 0.6
	mostMisfit      = 8.0
)

// approach fits value + rest·exp(−t/τ) to blocks for every τ of a grid, and weighs what each says by how well it explains the
// blocks. fits is false where what is left over goes its own way.
func approach(blocks []block, quantum float64) (e Estimate, fits bool) {
	n := float64(len(blocks))
	floor := quantum * quantum / 12
	low, high := spanOf(blocks)
	// A coarse sensor whose step is not known seems to have no noise at all between its steps.
	least := leastNoise * (high - low)
	variance := math.Max(noiseOf(blocks)+floor/4, least*least)
	reach := 3*(high-low) + 10*math.Sqrt(variance) // of the part that decays, at the first block
	if reach == 0 {
		return Estimate{Value: blocks[0].y, Now: blocks[0].y}, true
	}
	list := make([]candidate, tausOnGrid)
	taus, rests := make([]float64, tausOnGrid), make([]float64, tausOnGrid)
	best := 0
	for i := range list {
		tau := tauOf(i)
		list[i], rests[i] = decay(blocks, tau, variance, reach)
		z := math.Log(tau/usualTauS) / usualLog
		list[i].log -= z * z / 2
		if taus[i] = tau; list[i].log > list[best].log {
			best = i
		}
	}
	own, next, before := 0.0, 0.0, 0.0
	for _, b := range blocks {
		r := b.y - list[best].value - rests[best]*math.Exp((blocks[0].t-b.t)/taus[best])
		own += r * r
		next += r * before
		before = r
	}
	correlation := 0.0
	if own > 0 {
		correlation = max(0, min(0.9, next/own))
	}
	value, sd := mix(list, (1+correlation)/(1-correlation))
	e.Now = meanOf(blocks[len(blocks)-leastBlocks/2:])
	left := value - e.Now
	e.Value, e.TauS, e.SD = e.Now+taken*left, taus[best], math.Sqrt(sd*sd+floor/n+doubt*doubt*left*left)
	return e, correlation < mostCorrelation && own/n < mostMisfit*variance
}

// decay fits value + rest·exp(−t/τ) by least squares; rest is what is left to go at the first block, about reach at most.
func decay(blocks []block, tau, variance, reach float64) (c candidate, rest float64) {
	n, mid := float64(len(blocks)), blocks[len(blocks)-1].y
	var x, xx, y, xy, yy float64
	for _, b := range blocks {
		e, v := math.Exp((blocks[0].t-b.t)/tau), b.y-mid
		x, xx, y, xy, yy = x+e, xx+e*e, y+v, xy+e*v, yy+v*v
	}
	xx += variance / (reach * reach)
	det := n*xx - x*x
	value, rest := (xx*y-x*xy)/det, (n*xy-x*y)/det
	squares := math.Max(0, yy-value*y-rest*xy)
	return candidate{value: value + mid, variance: variance * xx / det, log: -squares/(2*variance) - math.Log(det)/2}, rest
}

// leastNoise is the least standard deviation that blocks are taken to have, as a share of how far they went.
const leastNoise = 0.01

// noiseOf returns the variance of blocks about any smooth course, from the median of their second differences: a jump is no
// noise.
func noiseOf(blocks []block) float64 {
	var bends []float64
	for i := 1; i+1 < len(blocks); i++ {
		bends = append(bends, math.Abs(blocks[i-1].y-2*blocks[i].y+blocks[i+1].y))
	}
	slices.Sort(bends)
	const ofMedian = 0.6745 // of the absolute value of a normal variable, in standard deviations
	d := bends[len(bends)/2] / ofMedian
	return d * d / 6
}
