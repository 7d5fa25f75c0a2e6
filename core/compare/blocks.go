package compare

import (
	"math"
	"slices"

	"gonum.org/v1/gonum/stat/distuv"

	"zerokeel/core/stat"
)

// Difference is the difference of two means, second less first. Shown tells whether it counts as more than chance.
type Difference struct {
	Absolute, Half float64 // Half is half the width of the 95 % interval, +Inf where nothing can be said
	Percent        float64 // of the first mean, NaN when that is zero
	P              float64 // of a difference as large as this, or larger, between equals; 1 where nothing can be said
	Shown          bool
}

// design is how the runs of a comparison were taken.
type design struct {
	sessions    int
	interleaved bool
	level       float64 // the share of comparisons of equals that may show a difference at this look
}

// designOf tells how runs were taken. Whoever adds runs until a difference shows will see one in the end: each session after
// which there is something to compare is a look, and each look has half the level of the one before, so that all together keep
// to the whole.
func designOf(base, other []Run) design {
	d := design{}
	held := map[string][2]bool{}
	var order []string
	for i, runs := range [][]Run{base, other} {
		for _, r := range runs {
			h, known := held[r.Session]
			if !known {
				order = append(order, r.Session)
			}
			h[i] = true
			held[r.Session] = h
		}
	}
	d.sessions = len(order)
	alone := [2]int{}
	for _, h := range held {
		switch {
		case h[0] && h[1]:
			d.interleaved = true
		case h[0]:
			alone[0]++
		default:
			alone[1]++
		}
	}
	looks := d.sessions
	if !d.interleaved {
		looks -= 1 // there was nothing to look at before the second
	}
	d.level = (1 - stat.Confidence) * math.Pow(0.5, math.Max(1, float64(looks)))
	return d
}

// block is a session: the runs of both sides that were taken in it.
type block struct {
	session string
	runs    [2][]float64
}

type blocks []block

func (b *blocks) add(session string, side int, x float64) {
	i := slices.IndexFunc(*b, func(one block) bool { return one.session == session })
	if i < 0 {
		i = len(*b)
		*b = append(*b, block{session: session})
	}
	(*b)[i].runs[side] = append((*b)[i].runs[side], x)
}

// contrast returns the difference of the sides, second less first, where a run is its side's mean and what its day and the run
// itself differ by: generalised least squares with the day as a random block (Searle, Casella, McCulloch: Variance Components,
// 1992, chapter 3). day is the day's standard deviation as it is known to be at least, and step the smallest step of the figure,
// which a spread of zero still hides. Half is of the 95 % interval. visible is the difference that is shown four times of five
// at a level. A side of one run proves little: there is no interval then, nor where no session has
// two runs of a side.
func (b blocks) contrast(day, step, level float64) (d Difference, visible float64) {
	variance, freedom := b.within()
	variance = math.Max(variance, step*step/12)
	day2 := math.Max(day*day, b.between(variance))
	value, spread, first := b.solve(variance, day2)
	d = Difference{Absolute: value, Half: math.Inf(1), Percent: math.NaN(), P: 1}
	if first != 0 {
		d.Percent = 100 * value / math.Abs(first)
	}
	if b.runs(0) < 2 || b.runs(1) < 2 || freedom == 0 || !(spread > 0) {
		return d, math.Inf(1)
	}
	// What the runs' own spread leaves in doubt has their freedom, and what is known of days is known (Satterthwaite,
	// Biometrics Bulletin 2, 1946).
	_, own, _ := b.solve(variance, 0)
	nu := freedom * math.Pow(spread/math.Min(own, spread), 2)
	t := distuv.StudentsT{Mu: 0, Sigma: 1, Nu: math.Min(nu, 1e6)}
	se := math.Sqrt(spread)
	d.Half = se * t.Quantile(0.5+stat.Confidence/2)
	d.P = 2 * t.Survival(math.Abs(value)/se)
	if math.Abs(value) <= step*(1+1e-9) {
		d.P = 1 // one step more or less is what rounding makes of next to nothing
	}
	const power = 0.8
	return d, se * (t.Quantile(1-level/2) + t.Quantile(power))
}

// runs counts those of a side.
func (b blocks) runs(side int) int {
	n := 0
	for _, one := range b {
		n += len(one.runs[side])
	}
	return n
}

// within returns the variance of runs of one side in one session, and its degrees of freedom.
func (b blocks) within() (variance, freedom float64) {
	for _, one := range b {
		for _, runs := range one.runs {
			if n := float64(len(runs)); n > 1 {
				sd := stat.Summarise(runs).SD
				variance += (n - 1) * sd * sd
				freedom += n - 1
			}
		}
	}
	return variance / math.Max(1, freedom), freedom
}

// between estimates the variance of days from what the sessions of a side differ by, beyond what their runs do. Fewer than four
// sessions tell too little of it, and the answer is 0.
func (b blocks) between(within float64) float64 {
	if len(b) < 4 {
		return 0
	}
	sum, freedom := 0.0, 0.0
	for side := range 2 {
		var means []float64
		of := 0.0
		for _, one := range b {
			if n := len(one.runs[side]); n > 0 {
				means = append(means, stat.Summarise(one.runs[side]).Mean)
				of += within / float64(n)
			}
		}
		if n := float64(len(means)); n > 1 {
			sd := stat.Summarise(means).SD
			sum += (n - 1) * (sd*sd - of/n)
			freedom += n - 1
		}
	}
	return math.Max(0, sum/math.Max(1, freedom))
}

// solve returns the difference, its variance, and the mean of the first side, given the variances of runs and of days.
func (b blocks) solve(variance, day float64) (difference, spread, first float64) {
	var a [2][2]float64 // the normal equations
	var y [2]float64
	for _, one := range b {
		n, sum := [2]float64{}, [2]float64{}
		for side, runs := range one.runs {
			n[side] = float64(len(runs))
			for _, x := range runs {
				sum[side] += x
			}
		}
		shared := 0.0
		if variance > 0 || day > 0 {
			shared = day / (variance + (n[0]+n[1])*day)
		}
		for i := range 2 {
			a[i][i] += n[i]
			y[i] += sum[i] - shared*n[i]*(sum[0]+sum[1])
			for j := range 2 {
				a[i][j] -= shared * n[i] * n[j]
			}
		}
	}
	det := a[0][0]*a[1][1] - a[0][1]*a[1][0]
	first = (a[1][1]*y[0] - a[0][1]*y[1]) / det
	second := (a[0][0]*y[1] - a[1][0]*y[0]) / det
	return second - first, variance * (a[0][0] + a[1][1] + 2*a[0][1]) / det, first
}

// stepOf returns the smallest step that figures show, by how many decimals they were written with.
func stepOf(values []float64) float64 {
	for _, step := range []float64{1000, 100, 10, 1, 0.1, 0.01, 0.001, 1e-4} {
		if !slices.ContainsFunc(values, func(x float64) bool { return math.Abs(x/step-math.Round(x/step)) > 1e-6 }) {
			return step
		}
	}
	return 0
}
