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
	limitStep  = 0.5 // of the grid of limits, steps; more for wide priors, less for steep slopes
	mostLimits = 240
	slopesEach = 8 // grid points of the slope on either side

	commonReach = 3.5 // how far what cores have in common strays at most, in standard deviations
)

// belief is what is believed of the limits of a chip. The chip has a slope and a mean, its clusters' means hang from that, and of every
// cluster each regime asks for some more or less than others do, of all its cores alike. A core has a slope, a limit about its cluster's
// mean, and in each regime one about that. What is likely of a core's limits by themselves lies on grids; what the chip has in common is
// drawn (see chain).
type belief struct {
	setup    *Setup
	regimes  []load.Regime // the setup's, and starting as the last
	starts   int           // its place
	hangs    []int         // by regime: the one whose share of what a cluster has in common it goes by; starting by the light one's, if any
	clusters [][]int       // cores by cluster
	cluster  []int         // by core: its place there

	limits  []float64 // grid, relative to zero
	step    float64
	slopes  []float64   // grid
	chips   []int       // places in slopes that a chip's slope may have
	chipP   []float64   // prior of these
	ratio   [][]float64 // by place of a chip's slope: prior of a core's
	near    [][2]int    // likewise: the places of it that count
	free    []float64   // prior of a slope that hangs on no chip's
	kernel  [][]float64 // by regime: prior of a regime's limit about the core's, from kernelLow on
	support [][2]int    // by regime: the places of the kernel that count
	low     int         // first place of the kernel, in grid steps
	reach   int         // of what a cluster's cores have in common in a regime, grid steps either way

	seen   [][]exposures // by core and regime
	faults []*fault

	core    []coreBelief
	lifts   []float64 // by core and regime
	gains   []float64 // likewise
	terms   [][]term  // by core
	reached *chip     // by the chain when it was settled last; others begin there
}

// coreBelief is of one core.
type coreBelief struct {
	known []exposures   // by regime: what the next were computed from
	about [][][]float64 // by regime and slope: the logarithm of the likelihood of the core's limit; nil where nothing was seen
	lik   [][][]float64 // by regime and slope: the likelihood of the regime's limit, over the grid, its greatest 1; nil likewise
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
		b.ratio, b.near = append(b.ratio, row), append(b.near, counting(row))
	}
	b.free = make([]float64, len(b.slopes))
	for i, s := range b.slopes {
		b.free[i] = bell(math.Log(s/slope), chip)
	}
	normalise(b.free)
	spread := math.Sqrt(p.ChipSD*p.ChipSD + p.ClusterSD*p.ClusterSD + p.CoreSD*p.CoreSD + p.RegimeSD*p.RegimeSD)
	if s.Beside != nil {
		spread = math.Hypot(spread, s.Beside.SD)
	}
	low, high := p.LimitMean-4*spread-6, p.LimitMean+4*spread+outlierMean+3
	b.step = math.Max(math.Min(limitStep, slope/2), (high-low)/mostLimits)
	for x := low; x <= high; x += b.step {
		b.limits = append(b.limits, x)
	}
	b.reach = int(math.Ceil(commonReach * p.RegimeSD / b.step))
	b.gather()
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
		b.support = append(b.support, counting(row))
	}
	b.seen = make([][]exposures, len(s.Cores))
	for c := range b.seen {
		b.seen[c] = make([]exposures, len(b.regimes))
		for r := range b.seen[c] {
			b.seen[c][r].sum = make([]float64, len(b.slopes))
		}
	}
	b.core = make([]coreBelief, len(s.Cores))
	for c := range b.core {
		for _, regime := range b.regimes {
			b.lifts, b.gains = append(b.lifts, s.Cores[c].Lift[regime]), append(b.gains, s.Cores[c].gain(regime))
		}
		b.terms = append(b.terms, s.terms(c))
		k := &b.core[c]
		k.known, k.lik, k.about = make([]exposures, len(b.regimes)), make([][][]float64, len(b.regimes)), make([][][]float64, len(b.regimes))
	}
	b.reached = b.usual()
	return b
}

// gather finds the cores of each cluster, and which regimes hang together.
func (b *belief) gather() {
	at := map[int]int{}
	for c, core := range b.setup.Cores {
		i, known := at[core.Cluster]
		if !known {
			i = len(b.clusters)
			at[core.Cluster], b.clusters = i, append(b.clusters, nil)
		}
		b.clusters[i], b.cluster = append(b.clusters[i], c), append(b.cluster, i)
	}
	for g := range b.setup.Regimes {
		b.hangs = append(b.hangs, g)
	}
	b.hangs = append(b.hangs, slices.Index(b.setup.Regimes, load.RegimeLight))
}

// counting returns the places of probabilities, from one to before another, that are not negligible.
func counting(p []float64) [2]int {
	from, to := 0, len(p)
	for p[from] < negligible {
		from++
	}
	for p[to-1] < negligible {
		to--
	}
	return [2]int{from, to}
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

// limitSD is how far the limits of a cluster's cores stray from its mean.
func (b *belief) limitSD(cluster int) float64 {
	if b.setup.isBeside(b.clusters[cluster][0]) {
		return b.setup.Beside.SD
	}
	return b.coreSD()
}

// coreSD is how far the limits of cores stray from their cluster's, and tilt by how much the mean of these differs from that of the
// limits that govern: the shallowest of several regimes does.
func (b *belief) coreSD() float64 { return own * b.setup.Prior.CoreSD }
func (b *belief) tilt() float64 {
	return -1.03 * math.Hypot(b.setup.Prior.apart(), b.setup.Prior.RegimeSD)
}

// place keeps a place within the grid of limits.
func (b *belief) place(i int) int { return min(len(b.limits)-1, max(0, i)) }

// lift is by how many steps more than is set reaches a core in a regime, and gain the share of a setting that does. What is believed of
// limits on the grids is of what reaches cores; of worlds it is of that less the lift, and orders and results are of what is set.
func (b *belief) lift(core, regime int) float64 { return b.lifts[core*len(b.regimes)+regime] }
func (b *belief) gain(core, regime int) float64 { return b.gains[core*len(b.regimes)+regime] }

// origin is what settings and limits are counted from inside exponentials.
func (b *belief) origin() float64 { return b.setup.Prior.LimitMean }
