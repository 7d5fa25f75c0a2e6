package sounding

import (
	"maps"
	"math"
	"slices"

	"zerokeel/core/load"
	"zerokeel/core/part"
	"zerokeel/core/survey"
)

// What is believed of a model that the workshop has not surveyed yet, in volts: how far below its fused curve a core works, how far
// chips, clusters and cores stray from that, how far what a regime asks for does, of a cluster's cores alike and of each by itself. Sheets
// tell how voltage curves stray, which is the least that limits do.
const (
	usualLimitV = -0.105
	chipV       = 0.025
	clusterV    = 0.006
	regimeV     = 0.018
	coreV       = 0.009
	apartV      = 0.006
	startV      = -0.012 // at which a core no longer starts, below its own limit
	startSD     = 0.016

	// By how much less voltage the rate of faults rises by e: a factor of two from chip to chip is usual.
	usualSlopeV = 0.0055
	slopeSD     = 0.45
)

// besideV is how far the limit of a ring strays from those of cores, in V.
const besideV = 0.025

// What daily use asks for beyond what trials of minutes show, in volts: under rise and fall a machine that has been up for hours needs a
// little more, and one day's conditions move all limits against another's.
const (
	wearyV = 0.006
	dayV   = 0.002
)

// Prior is what is believed of a chip of a model, from its sheet.
func (a *Axis) Prior(p *part.Processor) survey.Prior {
	if a.thing != nil {
		return a.thing.prior.survey(a.thing.step)
	}
	chip, core := max(chipV, p.Spread.ChipV), max(coreV, p.Spread.CoreV)
	if a.Fixed() { // what a core's own fuses ask for is no part of what it gets: that they stray counts, too
		chip, core = math.Hypot(chip, p.Spread.ChipV), math.Hypot(core, p.Spread.CoreV)
	}
	return survey.Prior{
		LimitMean: usualLimitV / a.StepV, ChipSD: chip / a.StepV, ClusterSD: max(clusterV, p.Spread.ClusterV) / a.StepV,
		CoreSD: core / a.StepV, Slope: usualSlopeV / a.StepV, SlopeSD: slopeSD, Apart: apartV / a.StepV,
		RegimeSD: regimeV / a.StepV,
		Start:    startV / a.StepV, StartSD: startSD / a.StepV,
	}
}

// fixedAboveV is how far above what is delivered a fixed voltage is looked for: a clock may need more of it than the sheet knows.
const fixedAboveV = 0.03

// Shallowest is the shallowest that a survey goes unless it is to make a machine steady: what is delivered, at a fixed voltage somewhat
// more, and of what is no core the slowest that the board takes.
func (a *Axis) Shallowest() int {
	switch {
	case a.thing != nil || a.Min >= 0:
		return a.Max
	case a.Fixed():
		return min(a.Max, int(math.Ceil(fixedAboveV/a.StepV)))
	}
	return min(a.Max, 0)
}

// Setup returns what a survey of the axis begins with.
func (a *Axis) Setup(p *part.Processor, prior survey.Prior, risk24h float64) survey.Setup {
	if a.thing != nil {
		return a.thing.setup(a, prior, risk24h)
	}
	s := survey.Setup{Each: a.Each, MinSteps: a.Min, MaxSteps: a.Shallowest(), Regimes: Regimes, Prior: prior, Costs: Costs, Risk24h: risk24h,
		RailSD:  p.Spread.CoreV / a.StepV,
		Harsher: map[load.Regime]float64{load.RegimeTransition: wearyV / a.StepV}, DaySD: dayV / a.StepV}
	for i, core := range a.Cores {
		cluster := p.ClusterOf(core)
		if a.Each == survey.EachCluster { // what has one setting is one, whatever dies it lies on
			cluster = p.ClusterOf(a.Cores[slices.Index(a.Keys, a.Keys[i])])
		}
		s.Cores = append(s.Cores, survey.Core{Cluster: cluster})
	}
	if a.lifts == nil {
		s.Rails = a.rails(p)
		return s
	}
	s.RailSD = 0 // all get the same, or move alike
	for i := range s.Cores {
		s.Cores[i].Lift = a.lifts[i]
		if a.gains != nil {
			s.Cores[i].Gain = a.gains[i]
		}
	}
	if sharesRail(p) {
		last := len(a.lifts) - 1
		s.Beside = &survey.Beside{SD: besideV / a.StepV, Lift: maps.Clone(a.lifts[last])}
		s.Beside.Lift[load.RegimeIdle] = mostLift // it sleeps with the cores
		if a.gains != nil {
			s.Beside.Gain = a.gains[last]
		}
	}
	return s
}

// rails returns the rail of each core. Cores of another curve ask for much less, or much more, than those that hold a rail that they share:
// they count as by themselves.
func (a *Axis) rails(p *part.Processor) []int {
	out := make([]int, len(a.Cores))
	for i, core := range a.Cores {
		if cluster := p.ClusterOf(core); p.Rails == part.RailsCluster || len(p.Clusters[cluster].VF) > 0 {
			out[i] = cluster
		}
	}
	return out
}
