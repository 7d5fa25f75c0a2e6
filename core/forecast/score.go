package forecast

import (
	"fmt"
	"math"
	"slices"
	"sync"

	"gonum.org/v1/gonum/mat"

	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/throughput"
	"zerokeel/core/trim"
	"zerokeel/core/yardstick"
)

// Score is what a yardstick is expected to say.
type Score struct {
	Yardstick string  `json:"yardstick"`
	Value     float64 `json:"value"`
	Half      float64 `json:"half"`  // half the width of its 90 % interval
	Trims     int     `json:"trims"` // of this rig whose scores it is scaled to; 0 is the part sheets alone
}

// Scored is what a yardstick said of a rig under one trim, on average over some runs.
type Scored struct {
	Yardstick string
	Settings  trim.Settings
	AmbientC  float64
	Mean      float64
	Runs      int
}

// Yardsticks lists those whose scores are forecast.
var Yardsticks = []string{yardstick.Burst, yardstick.Sustained, "single-core", "memory-bandwidth", "memory-latency"}

// How far scores stray from what the clocks say, as standard deviations of natural logarithms: by one factor for all of a rig's
// trims (how much work a clock does is a figure of the sheet), by another that like trims share, and from run to run.
const (
	scoreCommon = 0.08
	scoreStray  = 0.012
	scoreRun    = 0.005

	unscored = 2.0 // in place of the first where sheets were measured: no load tells how much work a clock does
)

// mostScored bounds the trims of a yardstick that are looked at, the newest first: each is run again in the models.
const mostScored = 8

// scales is what a yardstick's scores said beside the models.
type scales struct {
	at   []place
	off  *mat.VecDense // natural logarithms of measured over modelled
	chol mat.Cholesky
}

// Learn scales the forecasts of scores to those of the rig. Scores under settings that the board does not take are left out.
func (f *Fit) Learn(scored []Scored) {
	f.scales = map[string]*scales{}
	type one struct {
		at       place
		off, run float64
	}
	for _, id := range Yardsticks {
		own := slices.DeleteFunc(slices.Clone(scored), func(s Scored) bool { return s.Yardstick != id || !(s.Mean > 0) || s.Runs < 1 })
		own = own[max(0, len(own)-mostScored):]
		found := make([]*one, len(own))
		var runs sync.WaitGroup
		for i, s := range own {
			runs.Go(func() {
				v, err := f.view(s.Settings, s.AmbientC)
				if err != nil {
					return
				}
				if ran, err := f.ran(v, id); err == nil && ran.value > 0 {
					found[i] = &one{ran.at, math.Log(s.Mean / ran.value), scoreRun / math.Sqrt(float64(s.Runs))}
				}
			})
		}
		runs.Wait()
		found = slices.DeleteFunc(found, func(o *one) bool { return o == nil })
		if len(found) == 0 {
			continue
		}
		n := len(found)
		k := &scales{off: mat.NewVecDense(n, nil)}
		cov := mat.NewSymDense(n, nil)
		for i, o := range found {
			k.at = append(k.at, o.at)
			k.off.SetVec(i, o.off)
			for j := range i + 1 {
				cov.SetSym(i, j, f.scoreCov(o.at, k.at[j]))
			}
			cov.SetSym(i, i, cov.At(i, i)+o.run*o.run)
		}
		if k.chol.Factorize(cov) {
			f.scales[id] = k
		}
	}
}

func (f *Fit) scoreCov(a, b place) float64 {
	common := scoreCommon
	if f.unscored() {
		common = unscored
	}
	return common*common + scoreStray*scoreStray*like(a, b)
}

// unscored is whether the sheets tell nothing of scores, so that each is forecast from the rig's own alone.
func (f *Fit) unscored() bool { return f.set.Processor.Source == part.Measured }

// scale returns the natural logarithm of the factor on a modelled score, its variance, and how many trims say so.
func (f *Fit) scale(id string, at place) (off, variance float64, trims int) {
	variance = f.scoreCov(at, at)
	k := f.scales[id]
	if k == nil {
		return 0, variance, 0
	}
	cov := mat.NewVecDense(len(k.at), nil)
	for i := range k.at {
		cov.SetVec(i, f.scoreCov(at, k.at[i]))
	}
	var weights mat.VecDense
	if k.chol.SolveVecTo(&weights, cov) != nil {
		return 0, variance, 0
	}
	return mat.Dot(&weights, k.off), math.Max(0, variance-mat.Dot(&weights, cov)), len(k.at)
}

// scores forecasts every yardstick, of which something is known.
func (f *Fit) scores(v *view) ([]Score, error) {
	out := make([]Score, len(Yardsticks))
	failed := make([]error, len(Yardsticks))
	var runs sync.WaitGroup
	for i, id := range Yardsticks {
		runs.Go(func() {
			ran, err := f.ran(v, id)
			if err != nil {
				failed[i] = fmt.Errorf("forecast the yardstick %s: %w", id, err)
				return
			}
			off, variance, trims := f.scale(id, ran.at)
			if trims == 0 && f.unscored() {
				return
			}
			value := ran.value * math.Exp(off)
			half := ninety * math.Sqrt(variance*f.Stray*f.Stray+ran.sd*ran.sd+scoreRun*scoreRun)
			out[i] = Score{Yardstick: id, Value: value, Half: value * half, Trims: trims}
		})
	}
	runs.Wait()
	for _, err := range failed {
		if err != nil {
			return nil, err
		}
	}
	return slices.DeleteFunc(out, func(s Score) bool { return s.Yardstick == "" }), nil
}

// ran is a yardstick as the models ran it: its score before it is scaled to the rig's, the standard deviation of the score's
// natural logarithm by what is not known of the clocks, and where the machine stood.
type ran struct {
	value, sd float64
	at        place
}

func (f *Fit) ran(v *view, id string) (ran, error) {
	tuning := v.model.Tuning()
	m := &tuning.Memory
	heavy, light := v.of(load.Heavy), v.of(load.Light)
	alone := math.Max(1, light.state.MeanMHz)
	aloneSD := light.spread.MHz / ninety / alone
	memory := place{m.MTs / 800, m.LatencyNS() / 5, m.FabricMHz / 300, m.RingMHz / 600}
	switch id {
	case "single-core":
		return ran{throughput.SingleCore(f.set.Processor, effective(light.state), m), aloneSD, light.at}, nil
	case "memory-bandwidth":
		return ran{throughput.BandwidthGBs(m), 0, memory}, nil
	case "memory-latency":
		return ran{throughput.LatencyNS(m, alone), aloneSD, memory}, nil
	}
	y, _ := yardstick.Of(id)
	clocks := stepped(v.model, &y, v.ambientC)
	value := throughput.AllCore(f.set.Processor, clocks, tuning.SMT, m)
	out := ran{value: value, at: heavy.at}
	// Where the run is held by what holds the settled machine, its clock strays as that does; above it, as a machine does that
	// draws as much more as is likely.
	steady := math.Max(1, heavy.modelMHz)
	above := 0.0
	if mean := meanOn(clocks, tuning.On); mean > steady {
		above = math.Min(1, (mean-steady)/math.Max(1, heavy.topMHz-steady))
	}
	out.value *= math.Pow(heavy.state.MeanMHz/steady, 1-above)
	out.sd = (1 - above) * heavy.spread.MHz / ninety / steady
	if above > 0 {
		hungry, err := f.hungrier(v)
		if err != nil {
			return out, err
		}
		other := throughput.AllCore(f.set.Processor, stepped(hungry, &y, v.ambientC), tuning.SMT, m)
		if other > 0 {
			out.sd = math.Hypot(out.sd, math.Log(value/other))
		}
	}
	return out, nil
}

// hungrier returns the model of a machine that draws one standard deviation more under heavy load.
func (f *Fit) hungrier(v *view) (*machine.Model, error) {
	by := v.of(load.Heavy).byUnknown
	var reach [models]float64 // covariance of each unknown with the power
	for i := range models {
		for j := range models {
			reach[i] += f.Cov[i*unknowns+j] * by[j].PackageW
		}
	}
	sd := 0.0
	for j := range models {
		sd += reach[j] * by[j].PackageW
	}
	theta := slices.Clone(f.Theta)
	if sd > 0 {
		for j := range models {
			theta[j] += reach[j] / math.Sqrt(sd)
		}
	}
	return v.model.Like(rig(f.set, theta))
}

// Steps of a run, in s: fine while the boost window and the base of the cooler act, coarse after.
const (
	fineS      = 60.0
	fineStep   = 0.1
	coarseStep = 0.5
)

// stepped runs a yardstick of all cores from rest and returns the mean effective clock of each core, in MHz, over its window.
func stepped(model *machine.Model, y *yardstick.Yardstick, ambientC float64) []float64 {
	m := machine.New(model, ambientC)
	m.SetLoad(y.Load, nil, 0)
	var sum []float64
	n := 0.0
	for end := y.WarmS + y.WindowS; m.Time() < end; {
		dt := coarseStep
		if m.Time() < fineS {
			dt = fineStep
		}
		m.Step(dt)
		if m.Time() > y.WarmS {
			s := m.State()
			if sum == nil {
				sum = make([]float64, len(s.Cores))
			}
			for c, core := range s.Cores {
				sum[c] += dt * core.EffectiveMHz
			}
			n += dt
		}
	}
	for c := range sum {
		sum[c] /= n
	}
	return sum
}

func meanOn(mhz []float64, on []bool) float64 {
	sum, n := 0.0, 0.0
	for c := range mhz {
		if on[c] {
			sum, n = sum+mhz[c], n+1
		}
	}
	return sum / math.Max(1, n)
}
