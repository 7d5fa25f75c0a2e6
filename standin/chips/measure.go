package chips

import (
	"math/rand/v2"
	"time"

	"zerokeel/core/load"
	"zerokeel/core/survey"
)

// Found is what surveys of several chips came to.
type Found struct {
	Chips          int
	Short          float64 // steps, mean over cores and chips
	FalselyStable  float64 // share of chips whose true risk is over the ceiling
	Awful          int     // chips whose true risk is above a half
	True, Stated   float64 // mean risk in a day
	Inside         float64 // share of limits inside their 90 % interval
	Under, Over    float64 // share of chips whose true risk is below and above the 90 % interval that is stated of it
	Orders, Clears float64 // mean
	BenchMin       float64 // mean
	Took           []time.Duration
}

// Measure surveys so many chips.
func Measure(setup survey.Setup, kind Kind, n int, seed uint64) (Found, error) {
	return MeasureBy(setup, kind, n, seed, func(s survey.Setup) (Planner, error) { return survey.New(s) })
}

// MeasureBy is Measure for any planner.
func MeasureBy(setup survey.Setup, kind Kind, n int, seed uint64, begin func(survey.Setup) (Planner, error)) (Found, error) {
	out := Found{Chips: n}
	limits := 0
	for i := range n {
		setup.Seed = seed + uint64(i)
		c := Draw(&setup, kind, rand.New(rand.NewPCG(setup.Seed, 0xc41b)))
		s, err := begin(setup)
		if err != nil {
			return out, err
		}
		for {
			began := time.Now()
			o, more := s.Next()
			if !more {
				break
			}
			out.Took = append(out.Took, time.Since(began))
			ended := c.Run(&o)
			out.Orders++
			if !ended.Posted {
				out.Clears++
			}
			began = time.Now()
			if err := s.Take(ended); err != nil {
				return out, err
			}
			out.Took[len(out.Took)-1] += time.Since(began)
		}
		result := s.Result()
		risk := c.Risk(result.Offsets)
		if risk > setup.Risk24h {
			out.FalselyStable++
		}
		if risk > 0.5 {
			out.Awful++
		}
		out.True, out.Stated, out.Short = out.True+risk, out.Stated+result.Risk24h, out.Short+c.Short(result.Offsets)
		out.Inside += float64(c.Inside(result.Limits))
		if p, tells := s.(interface {
			Assess(offsets []int) survey.Assessment
		}); tells {
			if a := p.Assess(result.Offsets); risk > a.High {
				out.Over++
			} else if risk < a.Low {
				out.Under++
			}
		}
		limits += len(result.Limits)
		out.BenchMin += s.Spent()
	}
	per := float64(n)
	out.Short, out.FalselyStable, out.True, out.Stated = out.Short/per, out.FalselyStable/per, out.True/per, out.Stated/per
	out.Under, out.Over = out.Under/per, out.Over/per
	out.Orders, out.Clears, out.BenchMin = out.Orders/per, out.Clears/per, out.BenchMin/per
	if limits > 0 {
		out.Inside /= float64(limits)
	}
	return out, nil
}

// Setup is a usual survey: of so many cores, eight to a cluster, in so many minutes.
func Setup(cores int, minutes float64) survey.Setup {
	const inCluster = 8
	s := survey.Setup{MinSteps: -50, MaxSteps: 20, BudgetMin: minutes, Risk24h: 0.05,
		Regimes: []load.Regime{load.RegimeHeavy, load.RegimeLight, load.RegimeTransition, load.RegimeIdle},
		Prior:   survey.Prior{LimitMean: -26, ChipSD: 5, ClusterSD: 3, CoreSD: 4},
		Costs:   survey.Costs{RestartMin: 2.5, CrashMin: 3, ClearMin: 10}}
	for i := range cores {
		s.Cores = append(s.Cores, survey.Core{Cluster: i / inCluster})
	}
	return s
}
