// Package chips draws chips whose cores fail in steps of a curve, and answers a survey's orders for them: what a planner is measured
// on. It is hidden truth, as package stability is, and does not share what the planner believes: limits stray otherwise, rates and
// slopes within bounds, faults name a wrong core now and then, and a machine far too deep does not come up.
package chips

import (
	"math"
	"math/rand/v2"

	"zerokeel/core/load"
	"zerokeel/core/survey"
	"zerokeel/core/verdict"
	"zerokeel/standin/stability"
)

// Kind says how chips differ from what a planner expects of every one.
type Kind struct {
	Outliers float64 // share of the cores that are much weaker in one regime
	Nameless bool    // no fault ever names its core
	Known    float64 // how well a survey knows the chip's slope, as by its fleet: the sd of its natural logarithm; 0 is not at all
}

// Usual are chips of which a few cores in a hundred are much weaker in one regime.
var Usual = Kind{Outliers: 0.03}

// Chip is a chip under a survey.
type Chip struct {
	kind   Kind
	cores  []core
	random *rand.Rand
}

type core struct {
	slope  float64 // steps
	rate   float64 // faults a minute at a limit
	limits map[load.Regime]float64
	posts  float64 // setting at which half of the starts fail
}

// stepV is what a step of a curve makes of a voltage, in V.
const stepV = 0.0048

// How chips differ, as bounds of natural logarithms per chip and core, and in shares of the spread between cores.
const (
	chipLaw = 0.69
	coreLaw = 0.2
	shared  = 0.7
	apart   = 0.55
)

// Draw draws a chip for a survey, and puts into the setup what its fleet knows of it.
func Draw(s *survey.Setup, kind Kind, r *rand.Rand) *Chip {
	even := func(bound float64) float64 { return math.Exp(bound * (2*r.Float64() - 1)) }
	p := &s.Prior
	c := &Chip{kind: kind, random: r}
	slope := stability.Usual.ScaleV / stepV * even(chipLaw)
	if kind.Known > 0 {
		p.Slope, p.SlopeSD = slope*math.Exp(kind.Known*r.NormFloat64()), kind.Known
	}
	rate := 60 * stability.Usual.RateAtZero * even(chipLaw)
	mean := p.LimitMean + p.ChipSD*r.NormFloat64()
	clusters := map[int]float64{}
	for _, k := range s.Cores {
		if _, drawn := clusters[k.Cluster]; !drawn {
			clusters[k.Cluster] = p.ClusterSD * r.NormFloat64()
		}
		own := mean + clusters[k.Cluster] + p.CoreSD*(shared*r.NormFloat64()-apart)
		x := core{slope: slope * even(coreLaw), rate: rate * even(coreLaw), limits: map[load.Regime]float64{}}
		worst := math.Inf(-1)
		for _, g := range s.Regimes {
			x.limits[g] = own + apart*p.CoreSD*r.NormFloat64()
			worst = math.Max(worst, x.limits[g])
		}
		if r.Float64() < kind.Outliers {
			x.limits[s.Regimes[r.IntN(len(s.Regimes))]] += 8 + 4*r.Float64()
		}
		x.posts = worst - 9 - 4*r.Float64()
		c.cores = append(c.cores, x)
	}
	return c
}

// perMin returns the faults a minute at a setting in a regime.
func (c *core) perMin(regime load.Regime, x float64) float64 {
	return math.Min(60*stability.MaxRate, c.rate*math.Exp((c.limits[regime]-x)/c.slope))
}

// postSoft is how soft the threshold is below which a machine does not come up, in steps.
const postSoft = 0.8

// naming is how often a fault under a load names its core, and misnamed how often it then names any.
var naming = map[load.Kind]float64{load.Heavy: 0.8, load.Light: 0.8, load.Transition: 0.4}

const misnamed = 0.04

// Run carries an order out. The first fault ends it.
func (c *Chip) Run(o *survey.Order) survey.Outcome {
	for i, x := range o.Offsets {
		if c.random.Float64() > 1/(1+math.Exp((c.cores[i].posts-float64(x))/postSoft)) {
			return survey.Outcome{}
		}
	}
	out := survey.Outcome{Posted: true}
	for _, l := range o.Legs {
		ended := survey.LegEnded{Minutes: l.Minutes, Verdict: verdict.Held}
		if n := len(out.Legs); n > 0 && out.Legs[n-1].Verdict != verdict.Held {
			ended = survey.LegEnded{Verdict: survey.NotRun}
		} else if at, core := c.fails(o, &l); at < l.Minutes {
			ended = c.fault(l.Load, at, core)
		}
		out.Legs = append(out.Legs, ended)
	}
	return out
}

// fails draws when a leg fails, in minutes, and by which core.
func (c *Chip) fails(o *survey.Order, l *survey.Leg) (at float64, core int) {
	cores, share := l.Cores, 1.0
	if l.Load == load.Idle {
		cores = make([]int, len(c.cores))
		for i := range cores {
			cores[i] = i
		}
	}
	if l.Load.OneCore() {
		share = 1 / float64(len(cores))
	}
	at = math.Inf(1)
	for _, k := range cores {
		own := c.random.ExpFloat64() / (share * c.cores[k].perMin(l.Load.Regime(), float64(o.Offsets[k])))
		if own < at {
			at, core = own, k
		}
	}
	return at, core
}

func (c *Chip) fault(kind load.Kind, at float64, core int) survey.LegEnded {
	if c.kind.Nameless || c.random.Float64() >= naming[kind] {
		return survey.LegEnded{Minutes: at, Verdict: verdict.Froze}
	}
	if c.random.Float64() < misnamed {
		core = c.random.IntN(len(c.cores))
	}
	return survey.LegEnded{Minutes: at, Verdict: verdict.Miscalculated, Core: &core}
}

// Risk returns the chance of a fault in a day of mixed use.
func (c *Chip) Risk(offsets []int) float64 {
	const minutesADay = 1440.0
	sum := 0.0
	for i, x := range offsets {
		for regime := range c.cores[i].limits {
			sum += minutesADay / float64(len(c.cores[i].limits)) * c.cores[i].perMin(regime, float64(x))
		}
	}
	return -math.Expm1(-sum)
}

// Short returns by how many steps, on average over the cores, settings are shallower than those of an oracle that allows one fault in
// 200 hours of each core's worst regime.
func (c *Chip) Short(offsets []int) float64 {
	const oracleMin = 200 * 60.0
	sum := 0.0
	for i, x := range offsets {
		own := &c.cores[i]
		worst := math.Inf(-1)
		for _, l := range own.limits {
			worst = math.Max(worst, l)
		}
		sum += float64(x) - math.Ceil(worst+own.slope*math.Log(own.rate*oracleMin))
	}
	return sum / float64(len(offsets))
}

// Inside returns how many of a survey's limits hold what is true within their 90 % interval.
func (c *Chip) Inside(limits []survey.Limit) int {
	const ninety = 1.645
	n := 0
	for _, l := range limits {
		if math.Abs(c.cores[l.Core].limits[l.Regime]-l.Mean) <= ninety*l.SD {
			n++
		}
	}
	return n
}
