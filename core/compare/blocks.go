package compare

import (
	"math"
	"slices"

	"gonum.org/v1/gonum/mat"
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
func designOf(sides ...[]Run) design {
	held := map[string]map[int]bool{}
	for i, runs := range sides {
		for _, r := range runs {
			if held[r.Session] == nil {
				held[r.Session] = map[int]bool{}
			}
			held[r.Session][i] = true
		}
	}
	d := design{sessions: len(held)}
	for _, h := range held {
		d.interleaved = d.interleaved || len(h) == len(sides)
	}
	looks := d.sessions
	if !d.interleaved {
		looks -= 1 // there was nothing to look at before the second
	}
	d.level = (1 - stat.Confidence) * math.Pow(0.5, math.Max(1, float64(looks)))
	return d
}

// block is a session: the runs of every side that were taken in it.
type block struct {
	session string
	runs    [][]float64
}

type blocks struct {
	sides int
	list  []block
}

func (b *blocks) add(session string, side int, x float64) {
	i := slices.IndexFunc(b.list, func(one block) bool { return one.session == session })
	if i < 0 {
		i = len(b.list)
		b.list = append(b.list, block{session: session, runs: make([][]float64, b.sides)})
	}
	b.list[i].runs[side] = append(b.list[i].runs[side], x)
}

// fitted are the means of the sides, where a run is its side's mean and what its day and the run itself differ by: generalised least
// squares with the day as a random block (Searle, Casella, McCulloch: Variance Components, 1992, chapter 3).
type fitted struct {
	step    float64
	freedom float64
	runs    []int
	means   []float64
	cov     *mat.SymDense // of the means; nil where nothing can be said
	own     *mat.SymDense // what the runs' own spread makes of it
}

// fit works out the means. day is the day's standard deviation as it is known to be at least, and step the smallest step of the
// figure, which a spread of zero still hides. Runs of all sides tell how far runs spread.
func (b *blocks) fit(day, step float64) *fitted {
	variance, freedom := b.within()
	variance = math.Max(variance, step*step/12)
	f := &fitted{step: step, freedom: freedom, runs: make([]int, b.sides)}
	for _, one := range b.list {
		for side, runs := range one.runs {
			f.runs[side] += len(runs)
		}
	}
	f.means, f.cov = b.solve(variance, math.Max(day*day, b.between(variance)), f.runs)
	_, f.own = b.solve(variance, 0, f.runs)
	return f
}

// spread is the variance of the difference of two means.
func spread(cov *mat.SymDense, i, j int) float64 { return cov.At(i, i) + cov.At(j, j) - 2*cov.At(i, j) }

// contrast returns the difference of two sides, second less first. Half is of the 95 % interval of several differences together, and
// visible the difference that is shown four times of five at a level that as many share. A side of one run proves little: there is no
// interval then, nor where no session has two runs of a side.
func (f *fitted) contrast(i, j int, level float64, several int) (d Difference, visible float64) {
	first, value := f.means[i], f.means[j]-f.means[i]
	d = Difference{Absolute: value, Half: math.Inf(1), Percent: math.NaN(), P: 1}
	if first != 0 {
		d.Percent = 100 * value / math.Abs(first)
	}
	if f.runs[i] < 2 || f.runs[j] < 2 || f.freedom == 0 || f.cov == nil || f.own == nil {
		return d, math.Inf(1)
	}
	all := spread(f.cov, i, j)
	if !(all > 0) {
		return d, math.Inf(1)
	}
	// What the runs' own spread leaves in doubt has their freedom, and what is known of days is known (Satterthwaite,
	// Biometrics Bulletin 2, 1946).
	own := spread(f.own, i, j)
	nu := f.freedom * math.Pow(all/math.Min(own, all), 2)
	t := distuv.StudentsT{Mu: 0, Sigma: 1, Nu: math.Min(nu, 1e6)}
	se := math.Sqrt(all)
	d.Half = se * t.Quantile(1-(1-stat.Confidence)/2/float64(several))
	d.P = 2 * t.Survival(math.Abs(value)/se)
	if math.Abs(value) <= f.step*(1+1e-9) {
		d.P = 1 // one step more or less is what rounding makes of next to nothing
	}
	return d, se * (t.Quantile(1-level/2/float64(several)) + t.Quantile(power))
}

// power is how often a difference that is said to be visible is shown.
const power = 0.8

// within returns the variance of runs of one side in one session, and its degrees of freedom.
func (b *blocks) within() (variance, freedom float64) {
	for _, one := range b.list {
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
func (b *blocks) between(within float64) float64 {
	if len(b.list) < 4 {
		return 0
	}
	sum, freedom := 0.0, 0.0
	for side := range b.sides {
		var means []float64
		of := 0.0
		for _, one := range b.list {
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

// solve returns the means of the sides and their covariance, given the variances of runs and of days; the covariance is nil where it
// cannot be told. A side without runs has a mean of NaN.
func (b *blocks) solve(variance, day float64, runs []int) (means []float64, cov *mat.SymDense) {
	a, y := mat.NewSymDense(b.sides, nil), mat.NewVecDense(b.sides, nil) // the normal equations
	for _, one := range b.list {
		n, sum, whole, total := make([]float64, b.sides), make([]float64, b.sides), 0.0, 0.0
		for side, runs := range one.runs {
			n[side] = float64(len(runs))
			for _, x := range runs {
				sum[side] += x
			}
			whole, total = whole+n[side], total+sum[side]
		}
		shared := 0.0
		if variance > 0 || day > 0 {
			shared = day / (variance + whole*day)
		}
		for i := range n {
			y.SetVec(i, y.AtVec(i)+sum[i]-shared*n[i]*total)
			for j := i; j < len(n); j++ {
				own := 0.0
				if i == j {
					own = n[i]
				}
				a.SetSym(i, j, a.At(i, j)+own-shared*n[i]*n[j])
			}
		}
	}
	means = make([]float64, b.sides)
	for i, n := range runs {
		if n == 0 {
			a.SetSym(i, i, 1)
			means[i] = math.NaN()
		}
	}
	var by mat.Cholesky
	var at mat.VecDense
	if !by.Factorize(a) || by.SolveVecTo(&at, y) != nil {
		return b.plain(runs), nil
	}
	cov = mat.NewSymDense(b.sides, nil)
	if by.InverseTo(cov) != nil {
		return b.plain(runs), nil
	}
	cov.ScaleSym(variance, cov)
	for i, n := range runs {
		if n > 0 {
			means[i] = at.AtVec(i)
		}
	}
	return means, cov
}

// plain are the means of the runs themselves.
func (b *blocks) plain(runs []int) []float64 {
	means := make([]float64, b.sides)
	for _, one := range b.list {
		for side, list := range one.runs {
			for _, x := range list {
				means[side] += x / float64(runs[side])
			}
		}
	}
	return means
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
