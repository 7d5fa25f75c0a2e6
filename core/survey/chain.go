package survey

import (
	"math"
	"math/rand/v2"
)

// chip is a chip as it may be, but for what its cores do in single regimes.
type chip struct {
	slope  int       // as its place among those that a chip's slope may have
	mean   float64   // of its clusters
	means  []float64 // by cluster
	common [][]int   // by cluster and regime of the setup: what its cores have in common there, in grid steps
	slopes []int     // by core, as places in the grid
	limits []int     // by core, likewise
}

func (k *chip) clone() *chip {
	out := *k
	out.means, out.slopes, out.limits = append([]float64(nil), k.means...), append([]int(nil), k.slopes...), append([]int(nil), k.limits...)
	out.common = nil
	for _, row := range k.common {
		out.common = append(out.common, append([]int(nil), row...))
	}
	return &out
}

// usual returns the chip that is expected before anything was seen.
func (b *belief) usual() *chip {
	p := b.setup.Prior
	k := &chip{slope: len(b.chips) / 2, mean: p.LimitMean}
	for range b.clusters {
		k.means, k.common = append(k.means, p.LimitMean), append(k.common, make([]int, len(b.setup.Regimes)))
	}
	for range b.setup.Cores {
		k.slopes = append(k.slopes, b.chips[k.slope])
		k.limits = append(k.limits, b.place(int(math.Round((p.LimitMean+b.tilt()-b.limits[0])/b.step))))
	}
	return k
}

// chain draws chips as they may be, each from the one before: part after part, beside what the others are (Gibbs sampling; Geman and
// Geman, 1984).
type chain struct {
	*belief
	now    *chip
	random *rand.Rand
	logs   []float64 // room for what is drawn from
	cores  [][]float64
}

func (b *belief) chain(at *chip, r *rand.Rand) *chain {
	c := &chain{belief: b, now: at.clone(), random: r, logs: make([]float64, max(len(b.limits), 2*b.reach+1, len(b.slopes)))}
	for range b.core {
		c.cores = append(c.cores, make([]float64, len(b.slopes)))
	}
	return c
}

// sweep draws every part once.
func (c *chain) sweep() {
	for k := range c.clusters {
		for g := range c.setup.Regimes {
			c.drawCommon(k, g)
		}
	}
	c.drawSlopes()
	for core := range c.belief.core {
		c.drawLimit(core)
	}
	c.drawMeans()
	c.shift()
}

// at returns the place about which a core's limit in a regime lies, where the core's own has a place.
func (c *chain) about(core, regime, own int) int {
	if g := c.hangs[regime]; g >= 0 {
		own += c.now.common[c.cluster[core]][g]
	}
	return own
}

// drawCommon draws what the cores of a cluster have in common in a regime.
func (c *chain) drawCommon(k, g int) {
	if c.reach == 0 {
		return
	}
	p := c.logs[:2*c.reach+1]
	sd := c.setup.Prior.RegimeSD / c.step
	for j := range p {
		z := float64(j-c.reach) / sd
		p[j] = -z * z / 2
	}
	for regime, hangs := range c.hangs {
		if hangs != g {
			continue
		}
		for _, core := range c.clusters[k] {
			if about := c.core[core].about[regime]; about != nil {
				row, own := about[c.now.slopes[core]], c.now.limits[core]-c.reach
				for j := range p {
					p[j] += row[c.place(own+j)]
				}
			}
		}
	}
	c.now.common[k][g] = pickLog(p, c.random) - c.reach
}

// drawSlopes draws the slopes of the chip and its cores.
func (c *chain) drawSlopes() {
	const small = 1e-100 // below which a product is put into its logarithm, before it underflows
	p := c.logs[:len(c.chips)]
	product := make([]float64, len(p))
	for i := range p {
		p[i], product[i] = 0, c.chipP[i]
	}
	for core := range c.core {
		likely, tried := c.cores[core], false
		clear(likely)
		for g, row := range c.core[core].about {
			if row == nil {
				continue
			}
			x := c.place(c.about(core, g, c.now.limits[core]))
			for s := range likely {
				likely[s] += row[s][x]
			}
			tried = true
		}
		exponentials(likely)
		if !tried || c.setup.isBeside(core) {
			continue
		}
		for i, near := range c.near {
			sum := 0.0
			for s := near[0]; s < near[1]; s++ {
				sum += c.ratio[i][s] * likely[s]
			}
			if product[i] *= sum + 1e-150; product[i] < small {
				p[i] += math.Log(product[i])
				product[i] = 1
			}
		}
	}
	for i, x := range product {
		p[i] += math.Log(x)
	}
	c.now.slope = pickLog(p, c.random)
	near := c.near[c.now.slope]
	p = c.logs[:near[1]-near[0]]
	for core, likely := range c.cores {
		sum := 0.0
		if c.setup.isBeside(core) {
			all := c.logs[:len(c.free)]
			for i, prior := range c.free {
				sum += prior*likely[i] + 1e-300
				all[i] = sum
			}
			c.now.slopes[core] = pick(all, c.random)
			continue
		}
		for i := range p {
			sum += c.ratio[c.now.slope][near[0]+i]*likely[near[0]+i] + 1e-300
			p[i] = sum
		}
		c.now.slopes[core] = near[0] + pick(p, c.random)
	}
}

// drawLimit draws the limit of a core.
func (c *chain) drawLimit(core int) {
	mean, sd := c.now.means[c.cluster[core]]+c.tilt(), c.limitSD(c.cluster[core])
	low := c.place(int((mean - limitReach*sd - c.limits[0]) / c.step))
	high := c.place(int((mean+limitReach*sd-c.limits[0])/c.step) + 1)
	p := c.logs[:high-low+1]
	for i := range p {
		z := (c.limits[low+i] - mean) / sd
		p[i] = -z * z / 2
	}
	for g, about := range c.core[core].about {
		if about == nil {
			continue
		}
		row, from := about[c.now.slopes[core]], c.about(core, g, low)
		for i := range p {
			p[i] += row[c.place(from+i)]
		}
	}
	c.now.limits[core] = low + pickLog(p, c.random)
}

// limitReach is how far a core's limit strays from its cluster's mean at most, in standard deviations.
const limitReach = 3.5

// drawMeans draws the means of the clusters, and of the chip.
func (c *chain) drawMeans() {
	p := &c.setup.Prior
	for k, cores := range c.clusters {
		sum, own := 0.0, 1/(c.limitSD(k)*c.limitSD(k))
		for _, core := range cores {
			// within a place of the grid all are alike
			sum += c.limits[c.now.limits[core]] + (c.random.Float64()-0.5)*c.step - c.tilt()
		}
		mean, sd := c.before(k)
		precision := 1/(sd*sd) + own*float64(len(cores))
		c.now.means[k] = (mean/(sd*sd)+own*sum)/precision + c.random.NormFloat64()/math.Sqrt(precision)
	}
	if len(c.clusters) == 1 {
		return
	}
	_, sd := c.before(0)
	sum := 0.0
	for _, x := range c.now.means {
		sum += x
	}
	precision := 1/(p.ChipSD*p.ChipSD) + float64(len(c.now.means))/(sd*sd)
	c.now.mean = (p.LimitMean/(p.ChipSD*p.ChipSD)+sum/(sd*sd))/precision + c.random.NormFloat64()/math.Sqrt(precision)
}

// before returns what is known of a cluster's mean where its cores are not looked at. Of one alone the mean is the chip's.
func (c *chain) before(int) (mean, sd float64) {
	p := &c.setup.Prior
	if len(c.clusters) == 1 {
		return p.LimitMean, math.Hypot(p.ChipSD, p.ClusterSD)
	}
	return c.now.mean, math.Max(p.ClusterSD, c.step/4)
}

// shift moves the limits of a cluster's cores, or of all, against what they have in common in every regime: what was seen cannot tell
// these apart.
func (c *chain) shift() {
	if c.reach == 0 {
		return
	}
	for k := range c.clusters {
		mean, sd := c.before(k)
		c.move([]int{k}, c.now.means[k]-mean, sd)
	}
	if n := len(c.clusters); n > 1 {
		all := make([]int, n)
		for k := range all {
			all[k] = k
		}
		p := &c.setup.Prior
		c.now.mean += float64(c.move(all, c.now.mean-p.LimitMean, p.ChipSD)) * c.step
	}
}

// move moves some clusters, whose mean lies so far from what is expected, and returns by how many grid steps.
func (c *chain) move(clusters []int, off, sd float64) int {
	low, high := -c.reach, c.reach
	for _, k := range clusters {
		for _, x := range c.now.common[k] {
			low, high = max(low, x-c.reach), min(high, x+c.reach)
		}
		for _, core := range c.clusters[k] {
			low, high = max(low, -c.now.limits[core]), min(high, len(c.limits)-1-c.now.limits[core])
		}
	}
	if high <= low {
		return 0
	}
	p := c.logs[:high-low+1]
	stray := c.setup.Prior.RegimeSD / c.step
	for i := range p {
		j := low + i
		z := (off + float64(j)*c.step) / sd
		p[i] = -z * z / 2
		for _, k := range clusters {
			for _, x := range c.now.common[k] {
				z := float64(x-j) / stray
				p[i] -= z * z / 2
			}
		}
	}
	j := low + pickLog(p, c.random)
	for _, k := range clusters {
		c.now.means[k] += float64(j) * c.step
		for g := range c.now.common[k] {
			c.now.common[k][g] -= j
		}
		for _, core := range c.clusters[k] {
			c.now.limits[core] += j
		}
	}
	return j
}

// exponentials turns logarithms into shares of the greatest; what is next to nothing becomes nothing.
func exponentials(p []float64) {
	const nothing = -36 // e to that is less than one digit of the greatest
	top := math.Inf(-1)
	for _, x := range p {
		if x > top {
			top = x
		}
	}
	for i, x := range p {
		if x -= top; x < nothing {
			p[i] = 0
			continue
		}
		p[i] = math.Exp(p[i] - top)
	}
}

// pickLog draws a place of logarithms of weights, and overwrites them.
func pickLog(p []float64, r *rand.Rand) int {
	exponentials(p)
	sum := 0.0
	for i, x := range p {
		sum += x
		p[i] = sum
	}
	return pick(p, r)
}
