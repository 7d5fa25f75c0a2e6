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
	gains   []float64 // likewise: the belief's
	own     [][]part  // by core: its faults in a day of mixed use, as far as it feels a setting of its own
	rail    []float64 // by core: the setting with one fault a day, as far as it feels what its rail stands at
	asks    []float64 // by core: how much more than cores do on average it asks for at the same setting, in steps; nil without rails
}

// rate returns faults a minute at a setting.
func (w *world) rate(core, regime int, offset float64) float64 {
	return w.reached(core, regime, w.gains[core*w.regimes+regime]*offset)
}

// reached returns faults a minute where so much of a setting reaches a core.
func (w *world) reached(core, regime int, felt float64) float64 {
	return math.Min(mostRate, usualRate*math.Exp((w.limits[core*w.regimes+regime]-felt)/w.slopes[core]))
}

// mostRate bounds the rate of faults a minute: a core far below its limit fails at once.
const mostRate = 240.0

// perDay returns the faults of a core in a day of mixed use at a setting of its own, and of its rail.
func (w *world) perDay(core int, offset, rail float64) float64 {
	return w.ownDay(core, offset) + w.railDay(core, rail)
}

func (w *world) railDay(core int, rail float64) float64 {
	return math.Exp((w.rail[core] - rail) / w.slopes[core])
}

const minutesADay = 1440.0

// How chips are drawn: by several chains, one for so many of them, each of which is left alone for some sweeps at first and between two
// that count.
const (
	ofChain = 100
	first   = 30
	apiece  = 2
)

// drawer makes worlds of chips; what it has beside a belief spares room.
type drawer struct {
	*belief
	random *rand.Rand
	kept   []map[place][]float64 // by core: the sums by which a regime's limit is drawn
}

// place is of a slope and a limit in their grids, and of a regime.
type place struct{ slope, limit, regime int }

// sample draws chips as they may be.
func (b *belief) sample(n int, r *rand.Rand) []world {
	d := drawer{b, r, make([]map[place][]float64, len(b.core))}
	for c := range d.kept {
		d.kept[c] = map[place][]float64{}
	}
	out := make([]world, 0, n)
	chains := max(2, n/ofChain)
	for i := range chains {
		c := b.chain(b.reached, r)
		for range first {
			c.sweep()
		}
		for len(out) < n*(i+1)/chains {
			for range apiece {
				c.sweep()
			}
			out = append(out, d.world(c))
		}
	}
	// those of a chain resemble each other: who looks at the first few looks at all chains
	r.Shuffle(n, func(i, j int) { out[i], out[j] = out[j], out[i] })
	return out
}

// world draws the rest of a chip.
func (d *drawer) world(k *chain) world {
	b := d.belief
	w := world{len(b.regimes), make([]float64, len(b.core)), make([]float64, len(b.core)*len(b.regimes)), b.gains,
		make([][]part, len(b.core)), make([]float64, len(b.core)), b.setup.drawAsks(d.random)}
	day := 0.0 // by how many steps its days differ from those of its trials
	if b.setup.DaySD > 0 {
		day = b.setup.DaySD * d.random.NormFloat64()
	}
	for c := range b.core {
		d.core(&w, k, c, day)
	}
	return w
}

// core draws a core of a chip.
func (d *drawer) core(w *world, k *chain, c int, day float64) {
	b, r := d.belief, d.random
	s := k.now.slopes[c]
	w.slopes[c] = b.slopes[s] * math.Exp(math.Log(b.slopes[1]/b.slopes[0])*(r.Float64()-0.5))
	rail, faults := 0.0, make([]float64, len(b.regimes))
	for g := range b.regimes {
		at := place{s, k.about(c, g, k.now.limits[c]), g}
		sums, known := d.kept[c][at]
		if !known {
			sums = d.regime(&b.core[c], at)
			d.kept[c][at] = sums
		}
		l := b.limits[0] + (float64(at.limit+pick(sums, r)+b.low)+r.Float64()-0.5)*b.step
		l -= b.lift(c, g)
		w.limits[c*w.regimes+g] = l
		faults[g] = math.Exp((l+day+b.setup.Harsher[b.regimes[g]]-b.origin())/w.slopes[c]) * b.setup.turn(b.regimes[g])
		if g != b.starts && b.setup.together(b.regimes[g]) {
			rail += faults[g]
		}
	}
	perDay := usualRate * minutesADay / b.setup.parts()
	for _, t := range b.terms[c] {
		own := 0.0
		for _, g := range t.regimes {
			own += faults[g]
		}
		w.own[c] = append(w.own[c], part{t.gain, b.origin() + w.slopes[c]*math.Log(perDay*own)})
	}
	w.rail[c] = b.origin() + w.slopes[c]*math.Log(perDay*rail)
}

// regime returns the sums by which a core's limit in a regime is drawn, by their places in the kernel.
func (d *drawer) regime(k *coreBelief, at place) []float64 {
	b := d.belief
	sums := make([]float64, len(b.kernel[at.regime]))
	sum := 0.0
	for j, q := range b.kernel[at.regime] {
		if lik := k.lik[at.regime]; lik != nil {
			q *= lik[at.slope][b.place(at.limit+j+b.low)]
		}
		sum += q
		sums[j] = sum
	}
	return sums
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
