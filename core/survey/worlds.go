package survey

import (
	"math"
	"math/rand/v2"
)

// world is a chip as it may be.
type world struct {
	regimes int
	slopes  []float64 // by core
	limits  []float64 // by core and regime
	daily   []float64 // by core: the setting with one fault a day of mixed use, as far as it feels its own
	rail    []float64 // likewise, as far as it feels what its rail stands at
	asks    []float64 // by core: how much more than cores do on average it asks for at the same setting, in steps; nil without rails
}

// rate returns faults a minute.
func (w *world) rate(core, regime int, offset float64) float64 {
	return math.Min(mostRate, usualRate*math.Exp((w.limits[core*w.regimes+regime]-offset)/w.slopes[core]))
}

// mostRate bounds the rate of faults a minute: a core far below its limit fails at once.
const mostRate = 240.0

// perDay returns the faults of a core in a day of mixed use at a setting of its own, and of its rail.
func (w *world) perDay(core int, offset, rail float64) float64 {
	return w.ownDay(core, offset) + w.railDay(core, rail)
}

func (w *world) ownDay(core int, offset float64) float64 {
	return math.Exp((w.daily[core] - offset) / w.slopes[core])
}

func (w *world) railDay(core int, rail float64) float64 {
	return math.Exp((w.rail[core] - rail) / w.slopes[core])
}

const minutesADay = 1440.0

// drawer draws chips; what it has beside a belief and chance spares room.
type drawer struct {
	*belief
	random          *rand.Rand
	density, slopes []float64
	kept            []map[int][]float64 // by core, and by slope, limit and regime: the sums by which the regime's limit is drawn
}

// sample draws chips as they may be.
func (b *belief) sample(n int, r *rand.Rand) []world {
	d := drawer{b, r, make([]float64, len(b.limits)), make([]float64, len(b.slopes)), make([]map[int][]float64, len(b.core))}
	for c := range d.kept {
		d.kept[c] = map[int][]float64{}
	}
	out := make([]world, n)
	joint := cumulated(b.joint)
	weights, reach := b.clusters()
	means := make([]int, len(b.group))
	for w := range out {
		at := pick(joint, r)
		chip, mean := at/len(b.means), at%len(b.means)
		for g := range b.group {
			means[g] = mean
			if reach > 0 {
				means[g] = b.drawCluster(g, chip, mean, weights, reach, r)
			}
		}
		out[w] = world{len(b.regimes), make([]float64, len(b.core)), make([]float64, len(b.core)*len(b.regimes)),
			make([]float64, len(b.core)), make([]float64, len(b.core)), b.setup.drawAsks(r)}
		day := 0.0
		if b.setup.DaySD > 0 {
			day = b.setup.DaySD * r.NormFloat64()
		}
		for c := range b.core {
			d.core(&out[w], c, chip, day, b.means[means[b.setup.Cores[c].Cluster]]+b.tilt()+(r.Float64()-0.5)*b.step*meansStep)
		}
	}
	return out
}

// core draws a core of a chip, whose cores' limits have a mean, and whose days differ from those of its trials by some steps.
func (d *drawer) core(x *world, c, chip int, day, mean float64) {
	b, r := d.belief, d.random
	k := &b.core[c]
	s := d.slope(c, chip, mean)
	low, about := b.about(mean, b.coreSD())
	sum := 0.0
	for i, p := range about {
		sum += p * k.all[s][low+i]
		d.density[i] = sum
	}
	i := low + pick(d.density[:len(about)], r)
	x.slopes[c] = b.slopes[s] * math.Exp(math.Log(b.slopes[1]/b.slopes[0])*(r.Float64()-0.5))
	own, rail := 0.0, 0.0
	for g := range b.regimes {
		key := (s*len(b.limits)+i)*len(b.regimes) + g
		sums, known := d.kept[c][key]
		if !known {
			sums = d.regime(k, s, i, g)
			d.kept[c][key] = sums
		}
		l := b.limits[i] + (float64(pick(sums, r)+b.low)+r.Float64()-0.5)*b.step
		x.limits[c*x.regimes+g] = l
		switch faults := math.Exp((l + day + b.setup.Harsher[b.regimes[g]] - b.origin()) / x.slopes[c]); {
		case g == b.starts:
		case b.setup.together(b.regimes[g]):
			rail += faults
		default:
			own += faults * b.setup.turn(b.regimes[g])
		}
	}
	perDay := usualRate * minutesADay / float64(len(b.setup.Regimes))
	x.daily[c] = b.origin() + x.slopes[c]*math.Log(perDay*own)
	x.rail[c] = b.origin() + x.slopes[c]*math.Log(perDay*rail)
}

// regime returns the sums by which a regime's limit is drawn, of a core with a slope and a limit, by their places.
func (d *drawer) regime(k *coreBelief, s, i, g int) []float64 {
	b := d.belief
	sums := make([]float64, len(b.kernel[g]))
	sum := 0.0
	for j, q := range b.kernel[g] {
		if k.lik[g] != nil {
			q *= k.lik[g][s][b.place(i+j+b.low)]
		}
		sum += q
		sums[j] = sum
	}
	return sums
}

// slope draws the slope of a core, as its place in the grid.
func (d *drawer) slope(c, chip int, mean float64) int {
	b, p := d.belief, d.slopes
	k := &b.core[c]
	low, about := b.about(mean, b.coreSD())
	top := math.Inf(-1)
	for s, w := range b.ratio[chip] {
		p[s] = math.Inf(-1)
		if w <= 1e-6 {
			continue
		}
		sum := 0.0
		for i := 0; i < len(about); i += 2 {
			sum += about[i] * k.all[s][low+i]
		}
		p[s] = k.log[s] + math.Log(w*sum+1e-300)
		top = math.Max(top, p[s])
	}
	sum := 0.0
	for s := range p {
		sum += math.Exp(p[s] - top)
		p[s] = sum
	}
	return pick(p, d.random)
}

// drawCluster draws the mean of a cluster, as its place in the grid.
func (b *belief) drawCluster(g, chip, mean int, weights []float64, reach int, r *rand.Rand) int {
	logs := b.group[g][chip]
	p := make([]float64, len(weights))
	top := math.Inf(-1)
	for j := range weights {
		p[j] = logs[min(len(logs)-1, max(0, mean+j-reach))]
		top = math.Max(top, p[j])
	}
	sum := 0.0
	for j, w := range weights {
		sum += w * math.Exp(p[j]-top)
		p[j] = sum
	}
	return min(len(logs)-1, max(0, mean+pick(p, r)-reach))
}

// about returns the prior of a core's limit about a mean, on the grid from a place on.
func (b *belief) about(mean, sd float64) (low int, p []float64) {
	const reach = 3.5
	low = min(len(b.limits)-1, max(0, int((mean-reach*sd-b.limits[0])/b.step)))
	high := min(len(b.limits)-1, max(low, int((mean+reach*sd-b.limits[0])/b.step)+1))
	// exp(−z²/2) from place to place by what it is multiplied with
	z, step := (b.limits[low]-mean)/sd, b.step/sd
	x, by, more := math.Exp(-z*z/2), math.Exp(-z*step-step*step/2), math.Exp(-step*step)
	p = b.scratch[:high-low+1]
	for i := range p {
		p[i] = x
		x, by = x*by, by*more
	}
	return low, p
}

func cumulated(p []float64) []float64 {
	out := make([]float64, len(p))
	sum := 0.0
	for i, x := range p {
		sum += x
		out[i] = sum
	}
	return out
}

// pick draws a place of sums of weights.
func pick(sums []float64, r *rand.Rand) int {
	x := r.Float64() * sums[len(sums)-1]
	low, high := 0, len(sums)-1
	for low < high {
		mid := (low + high) / 2
		if sums[mid] > x {
			high = mid
		} else {
			low = mid + 1
		}
	}
	return low
}
