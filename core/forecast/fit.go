package forecast

import (
	"errors"
	"fmt"
	"math"
	"sync"

	"gonum.org/v1/gonum/mat"

	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/silicon"
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
	SD         Doubts
}

// Doubts are standard deviations of a record's figures beside what sensors do: of how far it still was from settled.
type Doubts struct{ PackageW, RequestV, DeliveredV, HottestC, CoolantC float64 }

// The unknowns of a rig, each zero for a machine that is exactly as its sheets say.
const (
	shiftV  = iota // the fused curve of a core, in V
	excessV        // by how much the core that asks for most stands above the others, in V
	leakage        // natural logarithm of the factor on the leakage
	heavyC         // natural logarithms of the factors on the switched capacitance, by load
	mixedC
	lightC
	idleC
	dieR      // natural logarithm of the factor on the resistance from core to base
	coolerR   // and from base to ambient
	extraMOhm // of the path from regulator to die
	unknowns
)

// priors returns the standard deviations of the unknowns before anything was measured: the part sheet's own spread
// where it gives one.
func priors(p *part.Processor) [unknowns]float64 {
	own := math.Hypot(p.Spread.ChipV, math.Hypot(p.Spread.CoreV, p.Spread.ClusterV))
	return [unknowns]float64{
		shiftV: math.Max(0.004, own), excessV: math.Max(0.004, 1.5*p.Spread.CoreV), leakage: math.Max(0.05, p.Spread.Leakage),
		heavyC: 0.05, mixedC: 0.05, lightC: 0.08, idleC: 0.25, dieR: 0.08, coolerR: 0.2, extraMOhm: 0.06,
	}
}

// means returns what the unknowns are taken for before anything was measured: some core always asks for more than the
// mean one.
func means(p *part.Processor) [unknowns]float64 {
	return [unknowns]float64{excessV: 1.4 * p.Spread.CoreV}
}

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

// rig returns the chip and the adjustments that the unknowns mean.
func rig(set *part.Set, theta []float64) (silicon.Chip, machine.Adjust) {
	chip := silicon.Typical(set.Processor)
	for c := range chip.ShiftV {
		chip.ShiftV[c] = theta[shiftV]
		chip.Leak[c] = math.Exp(theta[leakage])
	}
	// The core that asks for most is the last of its rail: a one-core load is forecast on the first.
	for i := range set.Processor.Clusters {
		last := set.Processor.FirstCore(i) + set.Processor.Clusters[i].Cores - 1
		if set.Processor.Rails == part.RailsCluster || set.Processor.Clusters[i].Kind == part.KindPerformance {
			chip.ShiftV[last] += math.Max(0, theta[excessV])
		}
	}
	return chip, machine.Adjust{
		Switched: map[load.Kind]float64{load.Heavy: theta[heavyC], load.Mixed: theta[mixedC], load.Transition: theta[mixedC],
			load.Light: theta[lightC], load.Idle: theta[idleC]},
		DieR: theta[dieR], CoolerR: theta[coolerR], ExtraMOhm: theta[extraMOhm],
	}
}

// Model returns the model of the rig as it is known, tuned by settings. The error is a invalid.List when the board does not
// take them.
func (f *Fit) Model(settings trim.Settings) (*machine.Model, error) {
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
const belief = 3

// maxRounds bounds the Gauss–Newton iteration; the problem is nearly linear, so five rounds are usual.
const maxRounds = 12

// FitRecords fits the unknowns to records by weighted least squares with priors: Gauss–Newton on the residuals at each
// record's own measured clock, which keeps the problem smooth where a limiter would make it jump. Records whose settings
// the board does not take, or whose load has no steady state, are left out. Without usable records the prior is
// returned.
func FitRecords(set *part.Set, records []Record) (*Fit, error) {
	prior := Prior(set)
	var used []Record
	var tunings []machine.Tuning
	for _, r := range records {
		tuning, err := machine.Tune(set, r.Settings)
		if err != nil || r.Load == load.Transition || math.IsNaN(r.MHz+r.AmbientC) {
			continue
		}
		used, tunings = append(used, r), append(tunings, tuning)
	}
	if len(used) == 0 {
		return prior, nil
	}
	theta := append([]float64(nil), prior.Theta...)
	sd := priors(set.Processor)
	var cov mat.SymDense
	squares, count, rounds := 0.0, 0.0, 0
	for rounds = 1; rounds <= maxRounds; rounds++ {
		residual, settled, err := residuals(set, used, tunings, theta, nil, "")
		if err != nil {
			return nil, err
		}
		jacobian, err := slopes(set, used, tunings, theta, residual, settled, sd)
		if err != nil {
			return nil, err
		}
		normal, right := mat.NewSymDense(unknowns, nil), mat.NewVecDense(unknowns, nil)
		normal.SymOuterK(1, jacobian.T())
		right.MulVec(jacobian.T(), mat.NewVecDense(len(residual), residual))
		for j := range unknowns {
			weight := 1 / (sd[j] * sd[j])
			normal.SetSym(j, j, normal.At(j, j)+weight)
			right.SetVec(j, right.AtVec(j)+weight*(prior.Theta[j]-theta[j]))
		}
		var chol mat.Cholesky
		if !chol.Factorize(normal) {
			return nil, fmt.Errorf("fit %d records: the normal equations are singular", len(used))
		}
		var step mat.VecDense
		if err := chol.SolveVecTo(&step, right); err != nil {
			return nil, fmt.Errorf("fit %d records: %w", len(used), err)
		}
		largest := 0.0
		for j := range unknowns {
			theta[j] += step.AtVec(j)
			largest = math.Max(largest, math.Abs(step.AtVec(j))/sd[j])
		}
		theta[excessV] = math.Max(0, theta[excessV])
		if err := chol.InverseTo(&cov); err != nil {
			return nil, fmt.Errorf("fit %d records: %w", len(used), err)
		}
		squares, count = mat.Dot(mat.NewVecDense(len(residual), residual), mat.NewVecDense(len(residual), residual)), float64(len(residual))
		if largest < 0.01 {
			break
		}
	}
	// How far figures really stray is learned as well: the residuals' own variance, held towards 1 by a few figures' worth
	// of belief in the standard deviations above.
	inflate := (belief + squares) / (belief + math.Max(1, count-unknowns/2))
	f := &Fit{Records: len(used), Theta: theta, Cov: make([]float64, unknowns*unknowns), Rounds: min(rounds, maxRounds),
		Misfit: math.Sqrt(squares / count), Stray: math.Sqrt(inflate), set: set}
	for i := range unknowns {
		for j := range unknowns {
			f.Cov[i*unknowns+j] = inflate * cov.At(i, j)
		}
	}
	return f, nil
}

// slopes returns the derivatives of the predictions by each unknown. The unknowns are moved one by one, several at once on
// a machine of several cores, and each time the machine is settled from where it settled before the move.
func slopes(set *part.Set, records []Record, tunings []machine.Tuning, theta, residual []float64, settled []machine.At,
	sd [unknowns]float64) (*mat.Dense, error) {
	jacobian := mat.NewDense(len(residual), unknowns, nil)
	var failed [unknowns]error
	var columns sync.WaitGroup
	for j := range unknowns {
		columns.Go(func() {
			moved := append([]float64(nil), theta...)
			h := 0.1 * sd[j]
			moved[j] += h
			other, _, err := residuals(set, records, tunings, moved, settled, loadOf[j])
			if failed[j] = err; err != nil {
				return
			}
			for i := range residual {
				if !math.IsNaN(other[i]) { // not the unknown's concern
					jacobian.Set(i, j, (residual[i]-other[i])/h)
				}
			}
		})
	}
	columns.Wait()
	return jacobian, errors.Join(failed[:]...)
}

// residuals returns measured less predicted over the standard deviation, of every figure of every record, and where the
// machine settled for each record. It begins at the states in from, where there are any. Where only names a load, the
// figures of records of other loads are NaN.
func residuals(set *part.Set, records []Record, tunings []machine.Tuning, theta []float64, from []machine.At, only load.Kind) ([]float64,
	[]machine.At, error) {
	var out []float64
	settled := make([]machine.At, len(records))
	var model *machine.Model
	of := -1 // the record whose settings the model has
	for i, r := range records {
		if only != "" && r.Load != only {
			for _, x := range r.figures() {
				if !math.IsNaN(x) {
					out = append(out, math.NaN())
				}
			}
			continue
		}
		if of < 0 || !sameSettings(records[of].Settings, r.Settings) {
			var err error
			of = i
			if model, err = modelWith(set, tunings[i], theta); err != nil {
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
		settled[i] = at
		for _, one := range []struct{ measured, predicted, sigma float64 }{
			{r.PackageW, at.PackageW, math.Hypot(sigmaWBase+sigmaWRel*r.PackageW, r.SD.PackageW)},
			{r.RequestV, at.RequestV, math.Hypot(sigmaV, r.SD.RequestV)},
			{r.DeliveredV, at.DeliveredV, math.Hypot(sigmaV, r.SD.DeliveredV)},
			{r.HottestC, at.HottestC, math.Hypot(sigmaC, r.SD.HottestC)},
			{r.CoolantC, at.CoolantC, math.Hypot(sigmaC, r.SD.CoolantC)},
		} {
			if math.IsNaN(one.measured) {
				continue
			}
			x := (one.measured - one.predicted) / one.sigma
			if math.IsNaN(x) || math.IsInf(x, 0) {
				return nil, nil, fmt.Errorf("fit %s load: the model has no operating point at %.0f MHz", r.Load, r.MHz)
			}
			out = append(out, math.Max(-outlier, math.Min(outlier, x)))
		}
	}
	return out, settled, nil
}

// figures are those that are held against a prediction.
func (r *Record) figures() [5]float64 {
	return [5]float64{r.PackageW, r.RequestV, r.DeliveredV, r.HottestC, r.CoolantC}
}

// outlier bounds a residual, in standard deviations: a figure so far off is a wrong sensor, and must not bend the fit. Chosen
// far beyond what a wrong sheet does.
const outlier = 12.0

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
