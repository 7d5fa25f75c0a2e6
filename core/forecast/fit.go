package forecast

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"sync"

	"gonum.org/v1/gonum/mat"

	"zerokeel/core/govern"
	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/trim"
)

// Record is what one leg of a trial showed once it had settled. A figure that was not measured is NaN.
type Record struct {
	Settings   trim.Settings
	Load       load.Kind
	AmbientC   float64
	MHz        float64 // mean effective clock of the active cores
	PackageW   float64
	RequestV   float64
	DeliveredV float64
	HottestC   float64
	CoolantC   float64
	Held       govern.Limiter // what held the clock down; empty where that was not told
	SD         Doubts
}

// Doubts are standard deviations of a record's figures beside what sensors do: of how far it still was from settled.
type Doubts struct{ PackageW, RequestV, DeliveredV, HottestC, CoolantC float64 }

// Standard deviations of a record's figures about a perfect model: sensors are coarse, and settled is never quite. They are
// chosen from the steps of usual sensors; how far figures really stray on a rig is learned (Stray).
const (
	sigmaV     = 0.0025 // V: half a step of a regulator's sensor
	sigmaC     = 0.8    // °C: a step of one degree, and the room
	sigmaWBase = 0.4    // W
	sigmaWRel  = 0.012  // of the power
)

// Fit is what is known of a rig beyond its sheets: the unknowns with their covariance.
type Fit struct {
	Records int       `json:"records"` // that it was fitted to; 0 is the sheets alone
	Theta   []float64 `json:"theta"`
	Cov     []float64 `json:"cov"` // row by row
	Rounds  int       `json:"rounds"`
	Misfit  float64   `json:"misfit"` // root mean square of the weighted residuals; about 1 when the models fit
	Stray   float64   `json:"stray"`  // standard deviation of a figure about the models, against that assumed of sensors
	set     *part.Set
	known   map[group]*known
	scales  map[string]*scales // by yardstick
}

// Prior returns what the part sheets alone say.
func Prior(set *part.Set) *Fit {
	sd, mean := priors(set.Processor), means(set.Processor)
	f := &Fit{set: set, Stray: 1, Theta: mean[:], Cov: make([]float64, unknowns*unknowns)}
	for i, s := range sd {
		f.Cov[i*unknowns+i] = s * s
	}
	return f
}

// On returns the same fit for a set read anew: the sheets of one rig.
func (f *Fit) On(set *part.Set) *Fit {
	other := *f
	other.set = set
	return &other
}

// ErrSketch reports part sheets that say no more than what was told of a machine.
var ErrSketch = errors.New("nothing is forecast from sheets that are a sketch: they tell neither the machine's power nor its heat")

// Model returns the model of the rig as it is known, tuned by settings. The error is a invalid.List when the board does not
// take them, and ErrSketch where the sheets are sketches.
func (f *Fit) Model(settings trim.Settings) (*machine.Model, error) {
	if f.set.Sketched() {
		return nil, ErrSketch
	}
	tuning, err := machine.Tune(f.set, settings)
	if err != nil {
		return nil, err
	}
	return modelWith(f.set, tuning, f.Theta)
}

func modelWith(set *part.Set, tuning machine.Tuning, theta []float64) (*machine.Model, error) {
	chip, adjust := rig(set, theta)
	return machine.NewAdjustedModel(set, tuning, chip, adjust)
}

// belief is how many figures' worth of trust the assumed standard deviations have.
const belief = 20

// foundBefore is how many figures of a sheet that was measured were found from the same records, which then fit it better than they would
// fit another's.
const foundBefore = 20

// maxRounds bounds the Gauss–Newton iteration; the problem is nearly linear, so five rounds are usual.
const maxRounds = 12

// errNoPoint reports unknowns with which a machine would run away in heat at a clock that it ran at: a step that leads there is halved, so
// many times at most.
var errNoPoint = errors.New("the model has no operating point")

const mostHalves = 8

var errSingular = errors.New("the normal equations are singular")

// usable is a record whose settings the board takes, and the tuning that they mean.
type usable struct {
	Record
	tuning machine.Tuning
}

// FitRecords fits the unknowns to records by weighted least squares with priors: Gauss–Newton on the residuals at each
// record's own measured clock, which keeps the problem smooth where a limiter would make it jump. Residuals of a figure under a
// load are taken to stray together (see strays), so that many like records are not taken for much news. Records whose settings
// the board does not take, or whose load has no steady state, are left out. Without usable records, or from sketched sheets, the prior
// is returned.
func FitRecords(set *part.Set, records []Record) (*Fit, error) {
	prior := Prior(set)
	if set.Sketched() {
		return prior, nil
	}
	var used []usable
	for _, r := range records {
		tuning, err := machine.Tune(set, r.Settings)
		if err != nil || r.Load == load.Transition || math.IsNaN(r.MHz+r.AmbientC) {
			continue
		}
		used = append(used, usable{r, tuning})
	}
	if len(used) == 0 {
		return prior, nil
	}
	sd := priors(set.Processor)
	if set.Processor.Source == part.Measured && !slices.ContainsFunc(used, func(u usable) bool { return !math.IsNaN(u.PackageW) }) {
		sd = withoutPower(sd)
	}
	f := &Fit{Records: len(used), Theta: append([]float64(nil), prior.Theta...), Stray: 1, set: set}
	var cov mat.SymDense
	squares, count := 0.0, 0.0
	before := append([]float64(nil), f.Theta...) // where the last round was
	for f.Rounds = 1; ; f.Rounds++ {
		list, jacobian, err := linearized(set, used, f.Theta, sd)
		for half := 0; errors.Is(err, errNoPoint) && f.Rounds > 1 && half < mostHalves; half++ {
			for j := range f.Theta {
				f.Theta[j] = (f.Theta[j] + before[j]) / 2
			}
			list, jacobian, err = linearized(set, used, f.Theta, sd)
		}
		if err != nil {
			return nil, err
		}
		copy(before, f.Theta)
		var order []group
		if f.known, order, err = gather(list, jacobian); err != nil {
			return nil, fmt.Errorf("fit %d records: %w", len(used), err)
		}
		normal, right := mat.NewSymDense(unknowns, nil), mat.NewVecDense(unknowns, nil)
		for j := range unknowns {
			weight := 1 / (sd[j] * sd[j])
			normal.SetSym(j, j, weight)
			right.SetVec(j, weight*(prior.Theta[j]-f.Theta[j]))
		}
		squares, count = 0, float64(len(list))
		for _, g := range order {
			squares += f.known[g].add(normal, right)
		}
		var chol mat.Cholesky
		if !chol.Factorize(normal) {
			return nil, fmt.Errorf("fit %d records: %w", len(used), errSingular)
		}
		if err := chol.InverseTo(&cov); err != nil {
			return nil, fmt.Errorf("fit %d records: %w", len(used), err)
		}
		var step mat.VecDense
		if err := chol.SolveVecTo(&step, right); err != nil {
			return nil, fmt.Errorf("fit %d records: %w", len(used), err)
		}
		largest := 0.0
		for j := range unknowns {
			largest = math.Max(largest, math.Abs(step.AtVec(j))/sd[j])
		}
		if largest < 0.01 || f.Rounds == maxRounds {
			break // the residuals that are kept are those at these unknowns
		}
		for j := range unknowns {
			f.Theta[j] += step.AtVec(j)
		}
		f.Theta[excessV] = math.Max(0, f.Theta[excessV])
	}
	// How far figures really stray is learned as well: the residuals' own variance, held towards 1 by some figures' worth
	// of belief in the standard deviations above.
	spent := unknowns / 2.0
	if set.Processor.Source == part.Measured {
		spent += foundBefore
	}
	inflate := (belief + squares) / (belief + math.Max(1, count-spent))
	if set.Processor.Source == part.Measured {
		inflate = math.Max(1, inflate)
	}
	f.Misfit, f.Stray, f.Cov = math.Sqrt(squares/count), math.Sqrt(inflate), make([]float64, unknowns*unknowns)
	for i := range unknowns {
		for j := range unknowns {
			f.Cov[i*unknowns+j] = inflate * cov.At(i, j)
		}
	}
	return f, nil
}

// linearized returns the residuals at theta with their slopes.
func linearized(set *part.Set, used []usable, theta []float64, sd [unknowns]float64) ([]residual, *mat.Dense, error) {
	list, settled, err := residuals(set, used, theta, nil, "")
	if err != nil {
		return nil, nil, err
	}
	jacobian, err := slopes(set, used, theta, list, settled, sd)
	return list, jacobian, err
}

// add adds what a group says to the normal equations, and returns the sum of its weighted squares.
func (k *known) add(normal *mat.SymDense, right *mat.VecDense) float64 {
	var weighted mat.Dense
	var off mat.VecDense
	if k.chol.SolveTo(&weighted, k.slope) != nil || k.chol.SolveVecTo(&off, k.off) != nil {
		return 0 // it was factorized, so it solves
	}
	var own mat.Dense
	own.Mul(k.slope.T(), &weighted)
	var pull mat.VecDense
	pull.MulVec(k.slope.T(), &off)
	right.AddVec(right, &pull)
	for i := range unknowns {
		for j := i; j < unknowns; j++ {
			normal.SetSym(i, j, normal.At(i, j)+own.At(i, j))
		}
	}
	return mat.Dot(k.off, &off)
}

// slopes returns the derivatives of the predictions by each unknown. The unknowns are moved one by one, several at once on
// a machine of several cores, and each time the machine is settled from where it settled before the move.
func slopes(set *part.Set, records []usable, theta []float64, list []residual, settled []machine.At, sd [unknowns]float64) (*mat.Dense,
	error) {
	jacobian := mat.NewDense(len(list), unknowns, nil)
	var failed [models]error
	var columns sync.WaitGroup
	for j := range models {
		columns.Go(func() {
			moved := append([]float64(nil), theta...)
			h := 0.1 * sd[j]
			moved[j] += h
			other, _, err := residuals(set, records, moved, settled, loadOf[j])
			if errors.Is(err, errNoPoint) { // to the other side, then
				h = -h
				moved[j] = theta[j] + h
				other, _, err = residuals(set, records, moved, settled, loadOf[j])
			}
			if failed[j] = err; err != nil {
				return
			}
			at := 0
			for i := range list {
				if of := loadOf[j]; of == "" || of == list[i].load {
					jacobian.Set(i, j, (list[i].off-other[at].off)/h)
					at++
				}
			}
		})
	}
	columns.Wait()
	for i := range list {
		switch list[i].of {
		case power:
			jacobian.Set(i, sensorW, list[i].watts)
		case delivered:
			jacobian.Set(i, sensorV, 1)
		case hottest:
			jacobian.Set(i, sensorC, 1)
		}
	}
	return jacobian, errors.Join(failed[:]...)
}

// residuals returns measured less predicted of every figure of every record, and where the machine settled for each record. It
// begins at the states in from, where there are any. Where only names a load, records of other loads are left out.
func residuals(set *part.Set, records []usable, theta []float64, from []machine.At, only load.Kind) (list []residual,
	settled []machine.At, err error) {
	settled = make([]machine.At, len(records))
	var model *machine.Model
	of := -1 // the record whose settings the model has
	for i := range records {
		r := &records[i]
		if only != "" && r.Load != only {
			continue
		}
		if of < 0 || !sameSettings(records[of].Settings, r.Settings) {
			of = i
			if model, err = modelWith(set, r.tuning, theta); err != nil {
				return nil, nil, fmt.Errorf("fit: %w", err)
			}
		}
		begin := machine.At{}
		if from != nil {
			begin = from[i]
		}
		at, err := model.SettleAt(r.Load, r.MHz, r.AmbientC, begin)
		if err != nil {
			return nil, nil, fmt.Errorf("fit %s load: %w", r.Load, err)
		}
		if x := at.PackageW + at.HottestC + at.RequestV; math.IsNaN(x) || math.IsInf(x, 0) {
			return nil, nil, fmt.Errorf("fit %s load at %.0f MHz: %w", r.Load, r.MHz, errNoPoint)
		}
		settled[i] = at
		list = r.against(list, i, at, theta, &r.tuning.Limits, model.Bins().StepMHz)
	}
	return list, settled, nil
}

// against adds the record's residuals to a list.
func (r *Record) against(list []residual, record int, at machine.At, theta []float64, limits *govern.Limits,
	stepMHz float64) []residual {
	seen, place := read(at, theta), placeOf(at)
	add := func(of figure, by govern.Limiter, off, sigma float64) {
		if !math.IsNaN(off) {
			list = append(list, residual{group{r.Load, of, by}, record, off, sigma, place, at.PackageW})
		}
	}
	add(power, "", r.PackageW-seen.PackageW, math.Hypot(sigmaWBase+sigmaWRel*at.PackageW, r.SD.PackageW))
	add(request, "", r.RequestV-seen.RequestV, math.Hypot(sigmaV, r.SD.RequestV))
	add(delivered, "", r.DeliveredV-seen.DeliveredV, math.Hypot(sigmaV, r.SD.DeliveredV))
	add(hottest, "", r.HottestC-seen.HottestC, math.Hypot(sigmaC, r.SD.HottestC))
	add(coolant, "", r.CoolantC-seen.CoolantC, math.Hypot(sigmaC, r.SD.CoolantC))
	if over, by := overLimit(r.Held, at, limits), r.Held; !math.IsNaN(over) {
		// A governor stays below its limit by less than a bin.
		bin := binOver(by, at, r.AmbientC, stepMHz)
		add(held, by, -bin/2-over, math.Hypot(heldSigma(by), bin/math.Sqrt(12)))
	}
	return list
}

// binOver is about by how much one bin of the clock moves what a limiter holds: a share of the limit, or K.
func binOver(by govern.Limiter, at machine.At, ambientC, stepMHz float64) float64 {
	share := stepMHz / math.Max(1, at.MHz)
	switch by {
	case govern.Temperature:
		return powerExponent * share * (at.HottestC - ambientC)
	case govern.SustainedPower:
		return powerExponent * share
	}
	return currentExponent * share
}

// How power and current go with a clock whose voltage goes with it, as exponents.
const (
	powerExponent   = 2.2
	currentExponent = 1.5
)

// overLimit returns by how much what a limiter holds lies above its limit: a share of it, or K; NaN where it holds nothing.
func overLimit(by govern.Limiter, at machine.At, limits *govern.Limits) float64 {
	limit, value := math.Inf(1), math.NaN()
	switch by {
	case govern.SustainedPower:
		limit, value = limits.SustainedW, at.PackageW
	case govern.SustainedCurrent:
		limit, value = limits.SustainedA, at.Amps
	case govern.PeakCurrent:
		limit, value = limits.PeakA, at.Amps
	case govern.Temperature:
		if math.IsInf(limits.TemperatureC, 1) {
			return math.NaN()
		}
		return at.HottestC - limits.KneeAt(1)
	}
	if math.IsInf(limit, 1) {
		return math.NaN()
	}
	return value/limit - 1
}

// heldSigma is by how much what a limiter holds wanders about its bin: a share, or K.
func heldSigma(by govern.Limiter) float64 {
	if by == govern.Temperature {
		return 0.5
	}
	return 0.005
}

// outlier bounds a residual, in standard deviations: a figure so far off is a wrong sensor, and must not bend the fit. Chosen
// far beyond what a wrong sheet does.
const outlier = 6.0

func sameSettings(a, b trim.Settings) bool {
	if len(a) != len(b) {
		return false
	}
	for k, v := range a {
		if b[k] != v {
			return false
		}
	}
	return true
}

// Set returns the sheets that a fit rests on.
func (f *Fit) Set() *part.Set { return f.set }
