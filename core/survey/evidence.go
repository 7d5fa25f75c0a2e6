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

// quickMin is how soon, in minutes.
const quickMin = 0.05

// fault is a fault, and how it is shared out between the cores that it may have been of.
type fault struct {
	regime  int
	named   int   // core; -1 where none was
	ran     []int // cores
	offsets []int
	quick   float64   // minutes that each core ran of the first quickMin; 0 where it came later
	share   []float64 // by place in ran
}

func (e *exposures) same(as *exposures) bool {
	return e.faults == as.faults && e.at == as.at && slices.Equal(e.sum, as.sum) && slices.Equal(e.quick, as.quick)
}

func (e *exposures) clone() exposures {
	return exposures{slices.Clone(e.sum), e.faults, e.at, slices.Clone(e.quick)}
}

// expose notes that a core held or ran a setting for some minutes.
func (b *belief) expose(core, regime, offset int, minutes float64) {
	e := &b.seen[core][regime]
	for i, s := range b.slopes {
		e.sum[i] += minutes * math.Exp(-(float64(offset)-b.origin())/s)
	}
}

// see takes an outcome in.
func (b *belief) see(o *Order, out *Outcome) {
	all := make([]int, len(b.setup.Cores))
	for c := range all {
		all[c] = c
		b.expose(c, b.starts, o.Offsets[c], postMin)
	}
	if !out.Posted {
		b.faults = append(b.faults, &fault{regime: b.starts, named: -1, ran: all, offsets: o.Offsets})
		b.settle()
		return
	}
	for i, l := range out.Legs {
		leg := &o.Legs[i]
		regime := slices.Index(b.regimes, leg.Load.Regime())
		if l.Verdict == NotRun || regime < 0 {
			continue
		}
		ran := b.ran(leg)
		f := &fault{regime: regime, named: -1, ran: ran, offsets: o.Offsets}
		if l.Verdict != verdict.Held && l.Minutes < quickMin {
			f.quick = quickMin * b.share(leg)
		}
		for _, c := range ran {
			if f.quick == 0 {
				b.expose(c, regime, o.Offsets[c], b.share(leg)*l.Minutes)
			}
		}
		if l.Verdict == verdict.Held {
			continue
		}
		if l.Core != nil && (l.Verdict == verdict.Miscalculated || l.Verdict == verdict.CoreDropped) {
			f.named = slices.Index(ran, *l.Core)
		}
		b.faults = append(b.faults, f)
	}
	b.settle()
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
	return l.Cores
}

// share is of a leg's minutes, for which each of its cores runs.
func (b *belief) share(l *Leg) float64 {
	if l.Load.OneCore() && len(l.Cores) > 0 {
		return 1 / float64(len(l.Cores))
	}
	return 1
}

// misnamed is the share of faults that name a wrong core.
const misnamed = 0.05

// leastShare is the least share of a fault that is told of a core.
const leastShare = 0.003

// settle shares the faults out and infers, by turns: whose a fault was hangs on what is believed of the cores, and the other way round.
func (b *belief) settle() {
	const turns, sampled, damping, settled = 3, 60, 0.6, 0.03
	for turn, moved := 0, 1.0; turn < turns && moved > settled; turn++ {
		moved = 0
		worlds := b.sample(sampled, rand.New(rand.NewPCG(b.setup.Seed, uint64(len(b.faults)))))
		for _, f := range b.faults {
			fresh := make([]float64, len(f.ran))
			for w := range worlds {
				sum := 0.0
				rates := make([]float64, len(f.ran))
				for i, c := range f.ran {
					rates[i] = worlds[w].rate(c, f.regime, float64(f.offsets[c]))
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
			for i, c := range f.ran {
				e := &b.seen[c][f.regime]
				if f.share[i] < leastShare {
					continue
				}
				if f.quick > 0 {
					e.quick = append(e.quick, quick{float64(f.offsets[c]), f.quick, f.share[i]})
					continue
				}
				e.faults += f.share[i]
				e.at += f.share[i] * (float64(f.offsets[c]) - b.origin())
			}
		}
		b.infer()
		if len(b.faults) == 0 {
			return
		}
	}
}
