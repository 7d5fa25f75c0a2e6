package identify

import (
	"errors"
	"math"

	"gonum.org/v1/gonum/mat"

	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/silicon"
	"zerokeel/core/trim"
)

// Phase is a leg as it went: the temperature of the hottest core each second from its beginning. A reading that is missing is NaN.
type Phase struct {
	Load     load.Kind
	TurnS    float64 // on each core, of a load that goes from core to core
	HottestC []float64
}

// capacities are the figures that tell how fast a machine warms, with what they are believed to be. Those of die and base are alike on all
// processors, and only their product with a resistance shows that nothing tells apart: their priors are narrow. Coolers differ.
var capacities = []unknown{
	{part.KindProcessor, "heat.dieJPerK", "J/K", 8, 0.2, true, func(s *part.Set, x float64) { s.Processor.Heat.DieJPerK = max(0.5, min(200, x)) }},
	{part.KindProcessor, "heat.baseJPerK", "J/K", 115, 0.12, true, func(s *part.Set, x float64) {
		s.Processor.Heat.BaseJPerK = max(5, min(2000, x))
	}},
	{part.KindCooler, "coolantJPerK", "J/K", 900, 0.9, true, func(s *part.Set, x float64) { s.Cooler.CoolantJPerK = max(20, min(20000, x)) }},
}

// How a machine's warming is followed: the step that it is moved by, the seconds between two temperatures that are held against it, how
// long it rests before, and by how much a temperature may stray that others near it stray with.
const (
	timeStepS  = 0.1
	betweenS   = 5
	restS      = 900.0
	sigmaWarmC = 2.0
	timeRounds = 8
)

// ErrNoCourse reports phases that tell nothing of how fast a machine warms.
var ErrNoCourse = errors.New("too little was seen of how the machine warms: a minute of load after a rest at least")

// Times finds how fast the machine warms, from phases that followed one another after a rest, under the settings of all of them; what it
// settles at is known before. The sheets get what is found.
func (r *Result) Times(settings trim.Settings, ambientC float64, phases []Phase) error {
	seconds := 0
	for _, p := range phases {
		if p.Load != load.Idle {
			seconds += len(p.HottestC)
		}
	}
	if seconds < 60 {
		return ErrNoCourse
	}
	n := len(capacities)
	z := make([]float64, n)
	off := func(z []float64) ([]float64, error) {
		set := *r.Set
		p, c := *set.Processor, *set.Cooler
		set.Processor, set.Cooler = &p, &c
		for i := range capacities {
			capacities[i].put(&set, capacities[i].of(z[i]))
		}
		return against(&set, settings, ambientC, phases)
	}
	normal, right := mat.NewSymDense(n, nil), mat.NewVecDense(n, nil)
	for range timeRounds {
		now, err := off(z)
		if err != nil {
			return err
		}
		const h = 0.1
		slopes := make([][]float64, n)
		for j := range n {
			moved := append([]float64(nil), z...)
			moved[j] += h
			other, err := off(moved)
			if err != nil {
				return err
			}
			for i := range now {
				slopes[j] = append(slopes[j], (now[i]-other[i])/h)
			}
		}
		for j := range n {
			pull := -z[j]
			for i := range now {
				pull += slopes[j][i] * now[i]
			}
			right.SetVec(j, pull)
			for k := j; k < n; k++ {
				sum := mat.Dot(mat.NewVecDense(len(now), slopes[j]), mat.NewVecDense(len(now), slopes[k]))
				if j == k {
					sum++
				}
				normal.SetSym(j, k, sum)
			}
		}
		next, ok := step(normal, right, z, 0)
		if !ok {
			return errors.New("measure up: the normal equations of warming are singular")
		}
		largest := 0.0
		for j := range n {
			moved := math.Max(-1, math.Min(1, next[j]-z[j]))
			z[j] += moved
			largest = math.Max(largest, math.Abs(moved))
		}
		if largest < 0.02 {
			break
		}
	}
	var chol mat.Cholesky
	var cov mat.SymDense
	if !chol.Factorize(normal) || chol.InverseTo(&cov) != nil {
		return errors.New("measure up: the normal equations of warming are singular")
	}
	for i := range capacities {
		capacities[i].put(r.Set, capacities[i].of(z[i]))
		r.Figures = append(r.Figures, found(&capacities[i], z[i], math.Sqrt(cov.At(i, i))))
	}
	return nil
}

// against steps the models through the phases and returns by how much what was seen is off, in standard deviations.
func against(set *part.Set, settings trim.Settings, ambientC float64, phases []Phase) (off []float64, err error) {
	tuning, err := machine.Tune(set, settings)
	if err != nil {
		return nil, err
	}
	model, err := machine.NewModel(set, tuning, silicon.Typical(set.Processor))
	if err != nil {
		return nil, err
	}
	m := machine.New(model, ambientC)
	m.SetLoad(load.Idle, nil, 0)
	for range int(restS / timeStepS) {
		m.Step(timeStepS)
	}
	for _, p := range phases {
		m.SetLoad(p.Load, nil, p.TurnS)
		var seen, told []float64
		for at, c := range p.HottestC {
			for range int(1 / timeStepS) {
				m.Step(timeStepS)
			}
			if at%betweenS == betweenS-1 && !math.IsNaN(c) {
				seen, told = append(seen, c), append(told, m.State().HottestC)
			}
		}
		if len(seen) == 0 || p.Load.OneCore() { // from core to core each has a temperature of its own
			continue
		}
		for i := range seen {
			off = append(off, (seen[i]-told[i])/sigmaWarmC)
		}
	}
	return off, nil
}
