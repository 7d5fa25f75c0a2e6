package survey

import (
	"cmp"
	"math"
	"math/rand/v2"
	"slices"

	"zerokeel/core/load"
)

// Bounds of a survey, and what a choice is made by.
const (
	mostOrders = 200
	looked     = 400 // chips as they may be
	firstLook  = 6   // outcomes of each order that are supposed,
	secondLook = 30  // and of those that looked best at first
	shortList  = 14

	leastMin = 1.0     // of legs in an order
	mostMin  = 24 * 60 // of a survey that stops by itself,

	// which it does when an hour more would make the doubt of a core, a standard deviation, smaller by less than leastHour steps.
	// One look at that is uncertain, so those before count, fading.
	leastHour = 0.25
	fading    = 0.25
)

// Next returns the next order; none when time is up, or when more would buy too little.
func (s *Survey) Next() (Order, bool) {
	costs := s.setup.Costs
	left := s.setup.BudgetMin - s.spent
	if s.setup.BudgetMin == 0 {
		left = mostMin - s.spent
	}
	if s.orders >= mostOrders || left < costs.RestartMin+leastMin {
		return Order{}, false
	}
	r := rand.New(rand.NewPCG(s.setup.Seed, uint64(s.orders)+1))
	best := newChooser(s, left, r).choose()
	s.hour += fading * (60*best.worth()/float64(len(s.setup.groups)) - s.hour)
	if s.setup.BudgetMin == 0 && s.hour < leastHour {
		return Order{}, false
	}
	s.orders++
	s.last = &best
	out := best.order
	out.Offsets = out.Offsets[:s.setup.asked()]
	return out, true
}

// HourBuys is by how many steps an hour more would make the doubt of a core smaller, a standard deviation, as the orders so far tell.
func (s *Survey) HourBuys() float64 { return s.hour }

// chooser looks for the order that tells most for its time: that makes the doubt of what every core needs fall most, for each minute
// that it is expected to take.
type chooser struct {
	setup  *Setup
	belief *belief
	worlds []world
	random *rand.Rand
	left   float64 // minutes

	needs   [][]float64          // by group of cores, then by rail, and chip: the setting that takes its share of the allowed risk
	origin  [][]float64          // by place of core and regime, and chip: the rate at the origin
	powers  map[power][]float64  // what a setting makes of these
	rates   map[[3]int][]float64 // by core, regime and setting: of every chip
	weights []float64
	before  float64
}

func newChooser(s *Survey, left float64, r *rand.Rand) *chooser {
	c := &chooser{setup: &s.setup, belief: s.belief, worlds: s.belief.sample(looked, r), random: r, left: left,
		rates: map[[3]int][]float64{}, powers: map[power][]float64{}}
	own, rail := s.setup.shares(s.setup.Risk24h)
	for _, cores := range s.setup.groups {
		need := make([]float64, len(c.worlds))
		for i := range c.worlds {
			w := &c.worlds[i]
			need[i] = math.Inf(-1)
			for _, k := range cores {
				need[i] = math.Max(need[i], s.setup.need(w, k, own))
			}
		}
		c.needs = append(c.needs, need)
	}
	for _, cores := range s.setup.rails {
		need := make([]float64, len(c.worlds))
		for i := range c.worlds {
			need[i] = s.setup.railNeed(&c.worlds[i], cores, rail)
		}
		c.needs = append(c.needs, need)
	}
	for k := range s.setup.Cores {
		for g := range s.belief.regimes {
			rates := make([]float64, len(c.worlds))
			for i := range c.worlds {
				w := &c.worlds[i]
				rates[i] = usualRate * math.Exp((w.limits[k*w.regimes+g]-s.belief.origin())/w.slopes[k])
			}
			c.origin = append(c.origin, rates)
		}
	}
	c.weights = make([]float64, len(c.worlds))
	for i := range c.weights {
		c.weights[i] = 1
	}
	c.before = c.doubt()
	return c
}

// choose returns the order that is worth most.
func (c *chooser) choose() candidate {
	list := c.candidates()
	for i := range list {
		c.suppose(&list[i], firstLook)
	}
	list = c.sparing(list)
	slices.SortStableFunc(list, func(a, b candidate) int { return cmp.Compare(b.worth(), a.worth()) })
	list = list[:min(shortList, len(list))]
	for i := range list {
		c.suppose(&list[i], secondLook)
	}
	return slices.MaxFunc(list, func(a, b candidate) int { return cmp.Compare(a.worth(), b.worth()) })
}

// usualMin is about what an order takes, in minutes; leastNoPost is the chance of a start that fails that an order may always take.
const (
	usualMin    = 8.0
	leastNoPost = 0.01
	spent       = 0.3 // of those that may fail a survey is meant to spend
)

// sparing leaves the orders that take no more than their share of the starts that may fail; of none the one that takes least.
func (c *chooser) sparing(list []candidate) []candidate {
	left := c.setup.ClearsLeft
	if left == nil {
		return list
	}
	most := math.Max(leastNoPost, spent*float64(*left)/math.Max(1, c.left/usualMin))
	spare := slices.DeleteFunc(slices.Clone(list), func(k candidate) bool { return k.noPost > most })
	if len(spare) == 0 {
		spare = append(spare, slices.MinFunc(list, func(a, b candidate) int { return cmp.Compare(a.noPost, b.noPost) }))
	}
	return spare
}

func (c *chooser) regime(l *Leg) int { return slices.Index(c.belief.regimes, l.Load.Regime()) }

// doubt is the sum over the groups of cores of the standard deviation of what they need.
func (c *chooser) doubt() float64 {
	sum := 0.0
	for g := range c.needs {
		sum += c.spread(g)
	}
	return sum
}

// spread is the standard deviation of what a group of cores needs.
func (c *chooser) spread(group int) float64 {
	var total, sum, squares float64
	for i, p := range c.weights {
		x := c.needs[group][i]
		total, sum, squares = total+p, sum+p*x, squares+p*x*x
	}
	mean := sum / total
	return math.Sqrt(math.Max(0, squares/total-mean*mean))
}

// rate returns the faults a minute of a core in a regime at a setting, of every chip.
func (c *chooser) rate(core, regime, x int) []float64 {
	key := [3]int{core, regime, x}
	out, ok := c.rates[key]
	if !ok {
		out = make([]float64, len(c.worlds))
		at, power := c.origin[core*len(c.belief.regimes)+regime], c.power(core, c.belief.gain(core, regime)*float64(x))
		for i := range out {
			out[i] = min(mostRate, at[i]*power[i])
		}
		c.rates[key] = out
	}
	return out
}

// power is a core, and what reaches it of a setting.
type power struct {
	core int
	felt float64
}

func (c *chooser) power(core int, felt float64) []float64 {
	key := power{core, felt}
	out, ok := c.powers[key]
	if !ok {
		out = make([]float64, len(c.worlds))
		for i := range out {
			out[i] = math.Exp((c.belief.origin() - felt) / c.worlds[i].slopes[core])
		}
		c.powers[key] = out
	}
	return out
}

// naming is how often a fault is supposed to name its core.
var naming = map[load.Regime]float64{load.RegimeHeavy: 0.8, load.RegimeLight: 0.8, load.RegimeTransition: 0.4}

// suppose looks at so many outcomes of an order.
func (c *chooser) suppose(k *candidate, outcomes int) {
	n, o := len(c.worlds), &k.order
	starts := make([]float64, n)
	sums := make([][]float64, len(o.Legs))
	for l := range sums {
		sums[l] = make([]float64, n)
	}
	for core, x := range o.Offsets {
		for i, r := range c.rate(core, c.belief.starts, x) {
			starts[i] += postMin * r
		}
	}
	k.noPost = 0
	for _, s := range starts {
		k.noPost -= math.Expm1(-s) / float64(n)
	}
	for l := range o.Legs {
		felt := c.setup.felt(o.Offsets, &o.Legs[l])
		for _, core := range c.belief.ran(&o.Legs[l]) {
			share := c.belief.share(&o.Legs[l], core)
			for i, r := range c.rate(core, c.regime(&o.Legs[l]), felt[core]) {
				sums[l][i] += share * r
			}
		}
	}
	for range outcomes {
		k.supposed++
		c.outcome(k, (k.supposed*997)%n, starts, sums)
	}
}

// outcome supposes that chip j is the true one, lets it run the order, and adds what that would tell and cost.
func (c *chooser) outcome(k *candidate, j int, starts []float64, sums [][]float64) {
	o, costs := &k.order, &c.setup.Costs
	defer func() { k.gain += c.before - c.doubt() }()
	k.cost += costs.RestartMin
	if c.random.ExpFloat64() < starts[j] {
		k.cost += costs.ClearMin
		for i, s := range starts {
			c.weights[i] = -math.Expm1(-s)
		}
		return
	}
	copy(c.weights, starts)
	for l := range o.Legs {
		sum, minutes := sums[l], o.Legs[l].Minutes
		at := c.random.ExpFloat64() / sum[j]
		if at >= minutes {
			k.cost += minutes
			for i, s := range sum {
				c.weights[i] += s * minutes
			}
			continue
		}
		k.cost += at
		quick := c.setup.quick()
		at = math.Max(at, quick) // sooner is not told apart
		density := func(s float64) float64 { return s * math.Exp(-s*at) }
		if at == quick {
			density = func(s float64) float64 { return -math.Expm1(-s * quick) }
		}
		g := c.regime(&o.Legs[l])
		named, x, felt := 0, c.random.Float64()*sum[j], c.setup.felt(o.Offsets, &o.Legs[l])
		for _, core := range c.belief.ran(&o.Legs[l]) {
			named = core
			if x -= c.belief.share(&o.Legs[l], core) * c.rate(core, g, felt[core])[j]; x < 0 {
				break
			}
		}
		if c.setup.isBeside(named) || c.random.Float64() >= naming[c.belief.regimes[g]] {
			k.cost += costs.CrashMin
			for i, s := range sum {
				c.weights[i] = density(s) * math.Exp(-c.weights[i])
			}
			return
		}
		ran := float64(len(c.belief.ran(&o.Legs[l])))
		own := c.rate(named, g, felt[named])
		for i, s := range sum {
			named := (1-misnamed)*c.belief.share(&o.Legs[l], named)*own[i]/s + misnamed/ran
			c.weights[i] = named * density(s) * math.Exp(-c.weights[i])
		}
		return
	}
	for i := range c.weights {
		c.weights[i] = math.Exp(-c.weights[i])
	}
}
