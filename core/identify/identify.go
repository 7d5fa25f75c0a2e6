// Package identify finds the figures of a machine's sheets from what the machine itself showed while it was measured up: its voltage by
// clock, switched capacitance by load, leakage, load line, the resistances of its path of heat and what it draws beside its cores. It
// begins with figures that processors of any kind lie about, and moves them until the models show what was seen (Gauss–Newton with priors,
// damped after Levenberg and Marquardt). What its sensors cannot tell stays at what it began with, and says so by its doubt.
package identify

import (
	"errors"
	"fmt"
	"math"
	"slices"

	"gonum.org/v1/gonum/mat"

	"zerokeel/core/forecast"
	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/silicon"
)

// Figure is one that was looked for.
type Figure struct {
	Kind  part.Kind
	Path  string // in its sheet, or in words where several of the sheet follow from it
	Words string // what it is, where its form does not say
	Unit  string
	Value float64
	Low   float64 // of its 90 % interval
	High  float64
	Told  float64 // share of what was not known before that its records tell, 0 to 1
}

// Off is by how much a record's figure differs from what the models show with the figures that were found.
type Off struct {
	Record int
	Of     string // power, request, delivered, hottest, coolant
	Seen   float64
	By     float64
	SD     float64
}

// Result is what measuring a machine up tells.
type Result struct {
	Set     *part.Set
	Figures []Figure
	Off     []Off
	Misfit  float64 // root mean square of the weighted residuals; about 1 where the models fit
	Rounds  int

	// What its figures were found from, and by how much they are in doubt: how a machine warms tells more of the same.
	sketch *part.Set
	list   []unknown
	used   []one
	z, sd  []float64
	normal *mat.SymDense
}

// ErrTooFew reports records that tell nothing of a machine: of no two clocks, or without temperature.
var ErrTooFew = errors.New("too little was measured: the temperature under load at two clocks at least is needed, and power is worth much")

// ErrRunsAway reports that with every figure that was tried a machine could not run for good what this one ran: too little tells its power
// from its heat.
var ErrRunsAway = errors.New("no figures were found with which a machine could run what this one ran; its sensors tell too little of its power")

// Bounds of the search: rounds, and the damping that it begins with and gives up at.
const (
	mostRounds   = 40
	firstDamping = 1e-2
	leastDamping = 1e-6
	mostDamping  = 1e8
	settled      = 0.005 // standard deviations of the prior: no figure moves by more in the last round
)

// Sheets finds the sheets of a machine. The sketch says what is known without measuring: cores, kinds, threads, clock ceilings, limits and
// what can be set. A figure that was not measured is NaN in its record. Others of the same model, each found by itself, tell where to
// begin.
func Sheets(sketch *part.Set, records []forecast.Record, kin ...*Result) (*Result, error) {
	used, err := usable(sketch, records)
	if err != nil {
		return nil, err
	}
	sketch = ceilings(sketch, used)
	list := sharpened(unknownsOf(sketch), kin)
	z := make([]float64, len(list)) // each unknown in standard deviations of its prior
	r := &Result{}
	// The cooler records first: with the figures that the search begins with, a machine under its full load may run away in heat.
	for _, share := range []float64{0.5, 0.8, 1} {
		some := cooler(used, share)
		rounds := 0
		if z, rounds, err = search(sketch, list, z, some); err != nil {
			return nil, err
		}
		r.Rounds += rounds
	}
	off, err := residuals(sketch, list, z, used)
	if err != nil {
		return nil, err
	}
	if err := keepsCool(sketch, list, z, used); err != nil {
		return nil, err
	}
	normal, right := mat.NewSymDense(len(list), nil), mat.NewVecDense(len(list), nil)
	if err := linearize(sketch, list, z, used, off, normal, right); err != nil {
		return nil, err
	}
	r.sketch, r.list, r.used, r.normal = sketch, list, used, normal
	inflate := math.Max(1, misfit(off))
	normal.ScaleSym(1/(inflate*inflate), normal)
	cov, err := inverse(normal)
	if err != nil {
		return nil, err
	}
	r.finish(z, cov, off)
	return r, r.Set.Validate()
}

// inverse of the normal equations is the covariance of what they find.
func inverse(normal *mat.SymDense) (*mat.SymDense, error) {
	var chol mat.Cholesky
	var cov mat.SymDense
	if !chol.Factorize(normal) || chol.InverseTo(&cov) != nil {
		return nil, errors.New("measure up: the normal equations are singular")
	}
	return &cov, nil
}

// misfit is the root mean square of the residuals, each in its standard deviations.
func misfit(off []Off) float64 {
	squares := 0.0
	for _, o := range off {
		squares += o.By * o.By / (o.SD * o.SD)
	}
	return math.Sqrt(squares / float64(len(off)))
}

// cooler are a share of the records, those of the lowest temperatures; all where these are few.
func cooler(used []one, share float64) []one {
	var all []float64
	for i := range used {
		if !math.IsNaN(used[i].HottestC) {
			all = append(all, used[i].HottestC)
		}
	}
	slices.Sort(all)
	most := all[int(share*float64(len(all)-1))]
	var out []one
	for _, r := range used {
		if r.HottestC <= most {
			out = append(out, r)
		}
	}
	if len(out) < 4 || share == 1 {
		return used
	}
	return out
}

// search moves the unknowns from z on until the models show what was seen, as nearly as they can.
func search(sketch *part.Set, list []unknown, z []float64, used []one) ([]float64, int, error) {
	off, err := residuals(sketch, list, z, used)
	if err != nil {
		return nil, 0, err
	}
	cost, damping := costOf(off, z), firstDamping
	normal, right := mat.NewSymDense(len(list), nil), mat.NewVecDense(len(list), nil)
	round := 1
	for ; round <= mostRounds; round++ {
		if err := linearize(sketch, list, z, used, off, normal, right); err != nil {
			return nil, 0, err
		}
		largest := 0.0
		for damping < mostDamping {
			if next, ok := step(normal, right, z, damping); ok {
				if other, err := residuals(sketch, list, next, used); err == nil && costOf(other, next) < cost {
					for i := range z {
						largest = math.Max(largest, math.Abs(next[i]-z[i]))
					}
					z, off, cost = next, other, costOf(other, next)
					damping = math.Max(leastDamping, damping/8)
					break
				}
			}
			damping *= 4
		}
		if largest < settled {
			break
		}
	}
	return z, round, nil
}

// keepsCool is ErrRunsAway for figures with which a machine runs away in heat where this one did not, or would by a trifle more of any.
func keepsCool(sketch *part.Set, list []unknown, z []float64, used []one) error {
	const trifle = 0.1 // standard deviations of the prior
	for j := range z {
		for _, by := range []float64{-trifle, trifle} {
			moved := append([]float64(nil), z...)
			moved[j] += by
			off, err := residuals(sketch, list, moved, used)
			if err != nil {
				return err
			}
			for _, o := range off {
				if math.Abs(o.By) >= farOff*o.SD {
					return ErrRunsAway
				}
			}
		}
	}
	return nil
}

// finish writes down what was found, of which cov is the covariance.
func (r *Result) finish(z []float64, cov *mat.SymDense, off []Off) {
	r.Set, r.z, r.Off, r.Misfit = made(r.sketch, r.list, z), z, off, misfit(off)
	r.Figures, r.sd = nil, make([]float64, len(r.list))
	for i := range r.sd {
		r.sd[i] = math.Sqrt(cov.At(i, i))
	}
	r.curve(cov)
	for i := len(shares); i < len(r.list); i++ {
		r.Figures = append(r.Figures, found(&r.list[i], z[i], r.sd[i]))
	}
	for i := range unscored {
		r.Figures = append(r.Figures, found(&unscored[i], 0, 1))
	}
}

// curve writes down the points of the voltage curve: each is the sum of the first and of what it rises by up to there.
func (r *Result) curve(cov *mat.SymDense) {
	for k, point := range r.Set.Processor.VF {
		now, before := 0.0, 0.0
		for i := range k + 1 {
			before += r.list[i].mean * r.list[i].sd * r.list[i].mean * r.list[i].sd
			for j := range k + 1 {
				now += r.list[i].of(r.z[i]) * r.list[i].sd * r.list[j].of(r.z[j]) * r.list[j].sd * cov.At(i, j)
			}
		}
		sd := math.Min(math.Sqrt(before), math.Sqrt(now))
		r.Figures = append(r.Figures, Figure{Kind: part.KindProcessor, Path: fmt.Sprintf("vf[%d].v", k), Unit: "V", Value: point.V,
			Words: fmt.Sprintf("Voltage at %.0f MHz", point.MHz), Low: point.V - ninety*sd, High: point.V + ninety*sd,
			Told: 1 - sd/math.Sqrt(before)})
	}
}

// ninety are the standard deviations to either side of a 90 % interval.
const ninety = 1.645

// found is an unknown as it was found, with its doubt in standard deviations of its prior.
func found(u *unknown, z, sd float64) Figure {
	sd = math.Min(1, sd)
	at := func(z float64) float64 {
		if u.unit == "V" { // by how much one differs from another
			return u.of(z)
		}
		return math.Max(0, u.of(z))
	}
	return Figure{Kind: u.kind, Path: u.path, Unit: u.unit, Value: at(z), Low: at(z - ninety*sd), High: at(z + ninety*sd), Told: 1 - sd}
}

// one is a record with the tuning that its settings mean.
type one struct {
	forecast.Record
	at     int // its place among all
	tuning machine.Tuning
}

func usable(sketch *part.Set, records []forecast.Record) (out []one, err error) {
	clocks := map[int]bool{}
	warm := false
	for i, r := range records {
		tuning, err := machine.Tune(sketch, r.Settings)
		if err != nil || r.Load == load.Transition || math.IsNaN(r.MHz+r.AmbientC) {
			continue
		}
		out = append(out, one{r, i, tuning})
		if r.Load != load.Idle {
			clocks[int(r.MHz/100)] = true
			warm = warm || !math.IsNaN(r.HottestC)
		}
	}
	if len(clocks) < 2 || !warm {
		return nil, ErrTooFew
	}
	return out, nil
}

// made returns the sheets that the unknowns mean.
func made(sketch *part.Set, list []unknown, z []float64) *part.Set {
	set := begin(sketch)
	for i := range list {
		list[i].put(set, list[i].of(z[i]))
	}
	return set
}

// Standard deviations of a settled figure about perfect models: sensors are coarse, and settled is never quite.
const (
	sigmaV     = 0.003
	sigmaC     = 0.7
	sigmaWBase = 0.4
	sigmaWRel  = 0.012
)

func residuals(sketch *part.Set, list []unknown, z []float64, used []one) ([]Off, error) {
	set := made(sketch, list, z)
	chip := silicon.Typical(set.Processor)
	var out []Off
	for i := range used {
		r := &used[i]
		tuning, err := machine.Tune(set, r.Settings)
		if err != nil {
			return nil, err
		}
		model, err := machine.NewModel(set, tuning, chip)
		if err != nil {
			return nil, err
		}
		at, err := model.SettleAt(r.Load, r.MHz, r.AmbientC, machine.At{})
		if err != nil {
			return nil, err
		}
		for _, f := range []struct {
			of         string
			seen, told float64
			sd         float64
		}{
			{"power", r.PackageW, at.PackageW, math.Hypot(sigmaWBase+sigmaWRel*r.PackageW, r.SD.PackageW)},
			{"request", r.RequestV, at.RequestV, math.Hypot(sigmaV, r.SD.RequestV)},
			{"delivered", r.DeliveredV, at.DeliveredV, math.Hypot(sigmaV, r.SD.DeliveredV)},
			{"hottest", r.HottestC, at.HottestC, math.Hypot(sigmaC, r.SD.HottestC)},
			{"coolant", r.CoolantC, at.CoolantC, math.Hypot(sigmaC, r.SD.CoolantC)},
		} {
			if math.IsNaN(f.seen) || f.of == "coolant" && !set.Cooler.Liquid() {
				continue
			}
			by := f.seen - f.told
			if math.IsNaN(by) { // it runs away in heat
				by = math.Inf(-1)
			}
			out = append(out, Off{Record: r.at, Of: f.of, Seen: f.seen, By: math.Max(-farOff*f.sd, math.Min(farOff*f.sd, by)), SD: f.sd})
		}
	}
	return out, nil
}

// farOff bounds how far a figure counts as off, in its standard deviations: a machine that runs away in heat is no farther off than that.
const farOff = 100.0

// costOf is the sum of squares that is made least.
func costOf(off []Off, z []float64) (sum float64) {
	for _, o := range off {
		sum += o.By * o.By / (o.SD * o.SD)
	}
	for _, x := range z {
		sum += x * x
	}
	return sum
}

// linearize fills the normal equations at z.
func linearize(sketch *part.Set, list []unknown, z []float64, used []one, off []Off, normal *mat.SymDense, right *mat.VecDense) error {
	// To both sides, and far: a rail stands at the highest request of its cores, which makes edges that a short step does not see.
	const h = 0.1
	n := len(list)
	slopes := make([][]float64, n)
	for j := range n {
		var sides [2][]Off
		for k, by := range []float64{-h, h} {
			moved := append([]float64(nil), z...)
			moved[j] += by
			var err error
			if sides[k], err = residuals(sketch, list, moved, used); err != nil {
				return err
			}
		}
		slopes[j] = make([]float64, len(off))
		for i := range off {
			slopes[j][i] = (sides[0][i].By - sides[1][i].By) / (2 * h * off[i].SD)
		}
	}
	for j := range n {
		pull := -z[j]
		for i := range off {
			pull += slopes[j][i] * off[i].By / off[i].SD
		}
		right.SetVec(j, pull)
		for k := j; k < n; k++ {
			sum := 0.0
			for i := range off {
				sum += slopes[j][i] * slopes[k][i]
			}
			if j == k {
				sum++
			}
			normal.SetSym(j, k, sum)
		}
	}
	return nil
}

// farthest is how far an unknown is looked for, in standard deviations of its prior.
const farthest = 4.0

// step solves the damped equations.
func step(normal *mat.SymDense, right *mat.VecDense, z []float64, damping float64) ([]float64, bool) {
	n := len(z)
	damped := mat.NewSymDense(n, nil)
	damped.CopySym(normal)
	for j := range n {
		damped.SetSym(j, j, normal.At(j, j)*(1+damping))
	}
	var chol mat.Cholesky
	if !chol.Factorize(damped) {
		return nil, false
	}
	var by mat.VecDense
	if chol.SolveVecTo(&by, right) != nil {
		return nil, false
	}
	out := make([]float64, n)
	for j := range n {
		out[j] = math.Max(-farthest, math.Min(farthest, z[j]+by.AtVec(j)))
	}
	return out, true
}
