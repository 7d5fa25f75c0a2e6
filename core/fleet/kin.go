package fleet

import (
	"math"
	"slices"

	"gonum.org/v1/gonum/stat"
)

// leastKin is among how many of a kind one can stand out, the one itself among them.
const leastKin = 4

// Strays tells which of some of a kind stand out from the others: beyond what these differ among themselves, and surely. halves are
// half the widths of 90 % intervals.
func Strays(values, halves []float64) []bool {
	out := make([]bool, len(values))
	if len(values) < leastKin {
		return out
	}
	for i, v := range values {
		others := slices.Delete(slices.Clone(values), i, i+1)
		middle := median(others)
		away := make([]float64, len(others))
		for k, o := range others {
			away[k] = math.Abs(o - middle)
		}
		const perSD, far, ninety = 1.4826, 3.5, 1.645 // of the median distance; of a robust rule for outliers
		spread := perSD * median(away)
		own := halves[i] / ninety
		out[i] = math.Abs(v-middle) > far*math.Hypot(spread, own)
	}
	return out
}

func median(list []float64) float64 {
	sorted := slices.Sorted(slices.Values(list))
	return stat.Quantile(0.5, stat.LinInterp, sorted, nil)
}
