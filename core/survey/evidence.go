package survey

import (
	"math"
	"math/rand/v2"
	"slices"

	"zerokeel/core/load"
	"zerokeel/core/verdict"
)

// exposures are what a core went through in a regime: of every setting the minutes, by slope of the grid as Σ T·exp(−x/s), and the
// faults, as shares where it is not known which core failed.
type exposures struct {
	sum    []float64 // by slope
	faults float64
	at     float64 // Σ of the settings of the faults
	quick  []quick
}

// quick is a fault so soon after a leg began that when tells nothing more: a machine takes its time to fail and to be found out.
type quick struct {
	offset  float64
	minutes float64 // that the core ran of these
	share   float64
}

// quickMin is how soon, in minutes, unless a setup says otherwise.
const quickMin = 0.05

func (s *Setup) quick() float64 {
	if s.QuickMin > 0 {
		return s.QuickMin
	}
	return quickMin
}

// cell is where a fault may have been: a core in a regime, and what it felt of the setting there.
type cell struct {
	core, regime int
	felt         float64
}

// fault is a fault, and how it is shared out between the cells that it may have been of.
type fault struct {
	cells []cell
	named int       // place of the cell whose core was named; -1 where none was
	quick float64   // minutes that each core ran of the first quickMin; 0 where it came later
	share []float64 // by cell
	count float64   // that there were alike
}

func (e *exposures) same(as *exposures) bool {
	return e.faults == as.faults && e.at == as.at && slices.Equal(e.sum, as.sum) && slices.Equal(e.quick, as.quick)
}

func (e *exposures) clone() exposures {
	return exposures{slices.Clone(e.sum), e.faults, e.at, slices.Clone(e.quick)}
}

// expose notes that a core held or ran at a setting for some minutes.
func (b *belief) expose(at cell, minutes float64) {
	e := &b.seen[at.core][at.regime]
	for i, s := range b.slopes {
		e.sum[i] += minutes * math.Exp(-(b.reaching(at)-b.origin())/s)
	}
}

// reaching is what reaches the core of a cell.
func (b *belief) reaching(at cell) float64 { return at.felt + b.lift(at.core, at.regime) }

// see takes an outcome in, of settings that stood a shift shallower; settle then tells what follows.
func (b *belief) see(o *Order, out *Outcome, shift Shift) {
	start := &fault{named: -1, count: 1}
	for c, x := range o.Offsets {
		at := cell{c, b.starts, b.gain(c, b.starts)*float64(x) + b.shifted(c, shift.Of(c, ""))}
		b.expose(at, postMin)
		start.cells = append(start.cells, at)
	}
	if !out.Posted {
		b.faults = append(b.faults, start)
		return
	}
	for i, l := range out.Legs {
		leg := &o.Legs[i]
		regime := slices.Index(b.regimes, leg.Load.Regime())
		if l.Verdict == NotRun || regime < 0 {
			continue
		}
		f := &fault{named: -1, count: 1}
		felt := b.setup.felt(o.Offsets, leg)
		for _, c := range b.ran(leg) {
			reached := b.gain(c, regime) * float64(felt[c])
			f.cells = append(f.cells, cell{c, regime, reached + b.shifted(c, shift.Of(c, leg.Load.Regime())+leg.Shift)})
		}
		if l.Verdict != verdict.Held && l.Minutes < b.setup.quick() {
			f.quick = b.setup.quick() * b.share(leg, 0)
		}
		for _, at := range f.cells {
			if f.quick == 0 {
				b.expose(at, b.share(leg, at.core)*l.Minutes)
			}
		}
		if l.Verdict == verdict.Held {
			continue
		}
		if l.Core != nil && (l.Verdict == verdict.Miscalculated || l.Verdict == verdict.CoreDropped) {
			f.named = slices.IndexFunc(f.cells, func(at cell) bool { return at.core == *l.Core })
		}
		b.faults = append(b.faults, f)
	}
}

// use takes daily use in: an even mixture of the regimes, of which nobody knows which one it was when a fault came.
func (b *belief) use(u *Use) {
	n := len(b.setup.Cores)
	all := make([]int, n)
	for c := range all {
		all[c] = c
	}
	var cells []cell
	for r, regime := range b.setup.Regimes {
		leg := &Leg{Load: loads[regime], Cores: all}
		felt := b.setup.felt(u.Offsets, leg)
		for c := range n {
			at := cell{c, r, b.gain(c, r)*float64(felt[c]) + b.shifted(c, u.Shift.Of(c, regime)) - b.setup.Harsher[regime]}
			b.expose(at, u.Minutes*b.share(leg, c)/b.setup.parts())
			cells = append(cells, at)
		}
	}
	if u.Faults > 0 {
		b.faults = append(b.faults, &fault{cells: cells, named: -1, count: float64(u.Faults)})
	}
}

// shifted is by how many steps a core stood shallower where cores did: what lies beside them has its own clock, and stood as it was set.
func (b *belief) shifted(core int, shift float64) float64 {
	if b.setup.isBeside(core) {
		return 0
	}
	return shift
}

// ran lists the cores that a leg exposes.
func (b *belief) ran(l *Leg) []int {
	if l.Load == load.Idle {
		all := make([]int, len(b.setup.Cores))
		for c := range all {
			all[c] = c
		}
		return all
	}
	if b.setup.Beside != nil {
		return append(append([]int(nil), l.Cores...), b.setup.asked())
	}
	return l.Cores
}

// share is of a leg's minutes, for which a core of it runs.
func (b *belief) share(l *Leg, core int) float64 {
	if l.Load.OneCore() && len(l.Cores) > 0 && !b.setup.isBeside(core) {
		return 1 / float64(len(l.Cores))
	}
	return 1
}

// misnamed is the share of faults that name a wrong core.
const misnamed = 0.05

// leastShare is the least share of a fault that is told of a core.
const leastShare = 0.003

// nameless is how often a core's fault names none, by regime. It is told higher than it is on most machines: on some none does.
var nameless = map[load.Regime]float64{load.RegimeHeavy: 0.4, load.RegimeLight: 0.4, load.RegimeTransition: 0.7}

// unnamed weighs a cell among those that a fault without a name may have been of: a core's would have named it more often than not.
func (b *belief) unnamed(f *fault, at cell) float64 {
	if b.setup.Beside == nil || f.named >= 0 || b.setup.isBeside(at.core) {
		return 1
	}
	if share, known := nameless[b.regimes[at.regime]]; known {
		return share
	}
	return 1
}

// settle shares the faults out and infers, by turns: whose a fault was hangs on what is believed of the cores, and the other way round.
func (b *belief) settle() {
	const turns, sampled, damping, settled = 3, 60, 0.6, 0.03
	b.infer()
	b.rest()
	for turn, moved := 0, 1.0; turn < turns && moved > settled; turn++ {
		moved = 0
		worlds := b.sample(sampled, rand.New(rand.NewPCG(b.setup.Seed, uint64(len(b.faults)))))
		for _, f := range b.faults {
			fresh := make([]float64, len(f.cells))
			for w := range worlds {
				sum := 0.0
				rates := make([]float64, len(f.cells))
				for i, at := range f.cells {
					rates[i] = worlds[w].reached(at.core, at.regime, at.felt) * b.unnamed(f, at)
					sum += rates[i]
				}
				for i := range rates {
					fresh[i] += rates[i] / sum / float64(len(worlds))
				}
			}
			if f.named >= 0 {
				for i := range fresh {
					fresh[i] *= misnamed
				}
				fresh[f.named] += 1 - misnamed
			}
			if f.share == nil {
				f.share, moved = fresh, 1
				continue
			}
			for i := range fresh {
				change := damping * (fresh[i] - f.share[i])
				if math.Abs(change) > settled/3 {
					f.share[i] += change
					moved = math.Max(moved, math.Abs(change))
				}
			}
		}
		for c := range b.seen {
			for r := range b.seen[c] {
				b.seen[c][r].faults, b.seen[c][r].at, b.seen[c][r].quick = 0, 0, nil
			}
		}
		for _, f := range b.faults {
			for i, at := range f.cells {
				e := &b.seen[at.core][at.regime]
				if f.share[i] < leastShare {
					continue
				}
				if f.quick > 0 {
					e.quick = append(e.quick, quick{b.reaching(at), f.quick, f.share[i]})
					continue
				}
				e.faults += f.count * f.share[i]
				e.at += f.count * f.share[i] * (b.reaching(at) - b.origin())
			}
		}
		if len(b.faults) == 0 {
			return
		}
		b.infer()
		b.rest()
	}
}

// rest lets a chain forget where it began, and keeps where it came to.
func (b *belief) rest() {
	const sweeps = 100
	c := b.chain(b.reached, rand.New(rand.NewPCG(b.setup.Seed, 1<<33+uint64(len(b.faults)))))
	for range sweeps {
		c.sweep()
	}
	b.reached = c.now
}
