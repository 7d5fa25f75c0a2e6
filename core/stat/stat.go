// Package stat holds the statistics of scores and runs: mean and interval of repeated runs, which of several differences are
// shown together, and the steady part of a run. One run proves little, and the package says so: without a second run there is
// no interval.
package stat

import (
	"cmp"
	"math"
	"slices"

	"gonum.org/v1/gonum/stat"
	"gonum.org/v1/gonum/stat/distuv"
)

// Confidence is the level of every interval.
const Confidence = 0.95

// Summary describes repeated runs. Half is half the width of the confidence interval of the mean (Student's t),
// +Inf with fewer than two runs.
type Summary struct {
	N               int
	Mean, SD, Half  float64
	Lowest, Highest float64
}

// Summarise describes runs, which must be finite. Without runs every figure is NaN.
func Summarise(runs []float64) Summary {
	s := Summary{N: len(runs), Mean: math.NaN(), SD: math.NaN(), Half: math.Inf(1), Lowest: math.NaN(), Highest: math.NaN()}
	if len(runs) == 0 {
		return s
	}
	s.Mean = stat.Mean(runs, nil)
	s.Lowest, s.Highest = runs[0], runs[0]
	for _, x := range runs {
		s.Lowest, s.Highest = math.Min(s.Lowest, x), math.Max(s.Highest, x)
	}
	if len(runs) < 2 {
		return s
	}
	s.SD = stat.StdDev(runs, nil)
	n := float64(len(runs))
	s.Half = distuv.StudentsT{Mu: 0, Sigma: 1, Nu: n - 1}.Quantile(0.5+Confidence/2) * s.SD / math.Sqrt(n)
	return s
}

// StepDown reports which of several differences are shown together, given the P of each, so that of all such lists about equals
// a share of level at most shows any: S. Holm, Scandinavian Journal of Statistics 6 (1979).
func StepDown(p []float64, level float64) []bool {
	order := make([]int, len(p))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(p[a], p[b]) })
	shown := make([]bool, len(p))
	for rank, i := range order {
		if !(p[i] <= level/float64(len(p)-rank)) {
			break
		}
		shown[i] = true
	}
	return shown
}

// SteadyFrom returns the index at which a run's warm-up ends, by the MSER rule (White, Simulation 69, 1997): the
// cut that makes the standard error of what remains smallest, looked for in the first half. A run of fewer than
// eight samples has no warm-up.
func SteadyFrom(run []float64) int {
	n := len(run)
	if n < 8 {
		return 0
	}
	sum, squares := 0.0, 0.0
	best, cut := math.Inf(1), 0
	offset := run[n-1] // keeps the squares small
	for i := n - 1; i >= 0; i-- {
		x := run[i] - offset
		sum += x
		squares += x * x
		left := float64(n - i)
		if i > n/2 {
			continue
		}
		if score := (squares - sum*sum/left) / (left * left); score <= best {
			best, cut = score, i
		}
	}
	return cut
}
