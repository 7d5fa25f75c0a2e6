package survey

import (
	"math"
	"slices"

	"zerokeel/core/load"
)

// What is believed of every chip before anything was seen, beside what a setup says. A limit is where the rate of faults is usualRate
// a minute; rates at a chip's own limits stray from that by rateSD of their natural logarithm, which moves its limits by that many
// slopes. Slopes are in steps.
const (
	usualRate   = 1 / 1.5
	rateSD      = 0.42
	usualSlope  = 1.15
	slopeSD     = 0.42
	coreSlopeSD = 0.13

	// How far a chip's slope strays at most, in standard deviations: where it is only known that a factor of two is usual, and where a
	// fleet tells.
	chipReach = 2.0
	toldReach = 3.0
)

// How the limits of a core's regimes hang together, in shares of the spread between cores: they stray from the core's own limit by
// apart, but for a few that are much shallower, by outlierMean and outlierSD steps.
const (
	own         = 0.85
	apart       = 0.5
	outliers    = 0.012 // of each regime of a core
	outlierMean = 9.5
	outlierSD   = 2.0
)

// A machine that starts is exposed for postMin minutes at limits that lie so much deeper, in steps.
const (
	postMin  = 1.0
	postMean = -10.0
	postSD   = 4.0
)

const (
	limitStep  = 0.5 // of the grid of limits, steps; more for wide priors
	mostLimits = 240
	slopesEach = 8 // grid points of the slope on either side
	meansStep  = 3 // of the grid of means, in limit steps
)

// belief is what is believed of the limits of a chip: on a grid over the slope and the mean of the chip, its clusters hanging from
// these, and of every core over its slope, its limit, and each regime's limit about it.
type belief struct {
	setup   *Setup
	regimes []load.Regime // the setup's, and starting as the last
	starts  int           // its place

	limits  []float64 // grid, relative to zero
	step    float64
	slopes  []float64 // grid
	chips   []int     // places in slopes that a chip's slope may have
	chipP   []float64 // prior of these
	ratio   [][]float64
	means   []float64
	kernel  [][]float64 // by regime: prior of a regime's limit about the core's, from kernelLow on
	support [][2]int    // by regime: the places of the kernel that count
	low     int         // first place of the kernel, in grid steps

	seen   [][]exposures // by core and regime
	faults []*fault

	core    []coreBelief
	scratch []float64 // as long as limits

	joint []float64 // by chip slope and mean, normalised
	group [][][]float64
}

// coreBelief is of one core.
type coreBelief struct {
	known []exposures   // by regime: what the next two were computed from
	about [][][]float64 // by regime and slope: the likelihood of the core's limit
	tops  [][]float64   // and the logarithm of it at 1
	lik   [][][]float64 // by regime and slope: the likelihood of the regime's limit, over the grid, its greatest 1; nil where nothing was seen
	all   [][]float64   // by slope: the likelihood of the core's limit
	log   []float64     // by slope: its logarithm at 1
	mean  [][]float64   // by chip slope and mean: logarithm of the evidence
}

func newBelief(s *Setup) *belief {
	b := &belief{setup: s, regimes: append(slices.Clone(s.Regimes), ""), starts: len(s.Regimes)}
	p := s.Prior
	chip, slope := p.SlopeSD, p.Slope
	if slope == 0 {
		slope = usualSlope
	}
	if chip == 0 {
		chip = slopeSD
	}
	most := chipReach
	if p.SlopeSD > 0 {
		most = toldReach
	}
	reach := most*chip + 2*coreSlopeSD
	for i := range 2*slopesEach + 1 {
		z := reach * float64(i-slopesEach) / slopesEach
		b.slopes = append(b.slopes, slope*math.Exp(z))
		if math.Abs(z) <= most*chip+1e-9 {
			b.chips = append(b.chips, i)
			b.chipP = append(b.chipP, bell(z, chip))
		}
	}
	normalise(b.chipP)
	for _, i := range b.chips {
		row := make([]float64, len(b.slopes))
		for k := range row {
			row[k] = bell(math.Log(b.slopes[k]/b.slopes[i]), coreSlopeSD)
		}
		normalise(row)
		b.ratio = append(b.ratio, row)
	}
	spread := math.Sqrt(p.ChipSD*p.ChipSD + p.ClusterSD*p.ClusterSD + p.CoreSD*p.CoreSD)
	low, high := p.LimitMean-4*spread-6, p.LimitMean+4*spread+outlierMean+3
	b.step = math.Max(limitStep, (high-low)/mostLimits)
	for x := low; x <= high; x += b.step {
		b.limits = append(b.limits, x)
	}
	b.scratch = make([]float64, len(b.limits))
	for i := 0; i < len(b.limits); i += meansStep {
		b.means = append(b.means, b.limits[i])
	}
	start, startSD := p.start()
	b.low = int(math.Floor(math.Min(start-2*startSD, -3*p.apart()) / b.step))
	last := int(math.Ceil(math.Max(outlierMean+2.5*outlierSD, 3*p.apart()) / b.step))
	for r := range b.regimes {
		row := make([]float64, last-b.low+1)
		for k := range row {
			e := float64(k+b.low) * b.step
			if r == b.starts {
				row[k] = bell(e-start, startSD) / startSD
				continue
			}
			sd := math.Max(p.apart(), b.step/2)
			row[k] = (1-outliers)*bell(e, sd)/sd + outliers*bell(e-outlierMean, outlierSD)/outlierSD
		}
		normalise(row)
		b.kernel = append(b.kernel, row)
		from, to := 0, len(row)
		for row[from] < negligible {
			from++
		}
		for row[to-1] < negligible {
			to--
		}
		b.support = append(b.support, [2]int{from, to})
	}
	b.seen = make([][]exposures, len(s.Cores))
	for c := range b.seen {
		b.seen[c] = make([]exposures, len(b.regimes))
		for r := range b.seen[c] {
			b.seen[c][r].sum = make([]float64, len(b.slopes))
		}
	}
	b.core = make([]coreBelief, len(s.Cores))
	b.infer()
	return b
}

func bell(x, sd float64) float64 { return math.Exp(-x * x / (2 * sd * sd)) }

func normalise(p []float64) {
	sum := 0.0
	for _, x := range p {
		sum += x
	}
	for i := range p {
		p[i] /= sum
	}
}

// coreSD is how far the limits of cores stray from their cluster's, and tilt by how much the mean of these differs from that of the
// limits that govern: the shallowest of several regimes does.
func (b *belief) coreSD() float64 { return own * b.setup.Prior.CoreSD }
func (b *belief) tilt() float64   { return -1.03 * b.setup.Prior.apart() }

// place keeps a place within the grid of limits.
func (b *belief) place(i int) int { return min(len(b.limits)-1, max(0, i)) }

// origin is what settings and limits are counted from inside exponentials.
func (b *belief) origin() float64 { return b.setup.Prior.LimitMean }
