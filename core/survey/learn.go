package survey

import (
	"fmt"
	"math"
	"math/rand/v2"

	"zerokeel/core/invalid"
	"zerokeel/core/load"
)

// Past is a trial that the survey did not order: one made by hand, or earlier.
type Past struct {
	Order   Order
	Outcome Outcome
	Shift   Shift
}

// Shift is by how many steps shallower settings stood than they would in the survey, since something else was set then that moves
// voltages.
type Shift struct {
	All   map[load.Regime]float64   // of every core, by regime; "" is starting, which goes by the light one where it is not told
	Cores []map[load.Regime]float64 // beyond that, by core; nil for nothing
}

// Of returns it of a core in a regime.
func (s *Shift) Of(core int, r load.Regime) float64 {
	x, told := s.All[r]
	if !told && r == "" {
		x = s.All[load.RegimeLight]
	}
	if core < len(s.Cores) {
		x += s.Cores[core][r]
	}
	return x
}

// Alike returns the setting at which as much would reach a core in the survey as did of one that it felt while a leg of a past trial
// worked.
func (s *Survey) Alike(core, felt int, l *Leg, shift *Shift) int {
	regime := l.Load.Regime()
	gain := s.setup.Cores[core].gain(regime)
	if gain < leastGain {
		return felt
	}
	return int(math.Round(float64(felt) + (l.Shift+shift.Of(core, regime))/gain))
}

func (s *Survey) checkShift(shift *Shift) invalid.List {
	f := checkSteps("shift", shift.All)
	if n := len(shift.Cores); n > 0 && n != s.setup.asked() {
		f.Add("shift.cores", "tell it of every core, or of none", "%d for %d cores", n, s.setup.asked())
	}
	for i, one := range shift.Cores {
		f = append(f, checkSteps("shift", one).Under(fmt.Sprintf("cores[%d]", i))...)
	}
	return f
}

// Use is daily use: for how long a setting was in mixed use, and how many faults came.
type Use struct {
	Offsets []int
	Minutes float64
	Faults  int
	Shift   Shift // as of a Past
	// Vouched tells that nobody saw it: a maker vouches for it. What was seen may speak against that.
	Vouched bool
}

// Learn tells the survey of what it did not order. It takes nothing of the bench time. The error lists every fault of what is told,
// and nothing is learnt then.
func (s *Survey) Learn(trials []Past, uses []Use) error {
	var f invalid.List
	for i := range trials {
		f = append(f, s.checkPast(&trials[i]).Under(fmt.Sprintf("trials[%d]", i))...)
	}
	for i := range uses {
		u := &uses[i]
		at := fmt.Sprintf("uses[%d]", i)
		f = append(f, append(s.checkOffsets(u.Offsets), s.checkShift(&u.Shift)...).Under(at)...)
		if !(u.Minutes >= 0 && u.Minutes <= 1e8) {
			f.Add(at+".minutes", "give how long it was used", "%g", u.Minutes)
		}
		if u.Faults < 0 || u.Faults > 1000 {
			f.Add(at+".faults", "give 0 to 1000", "%d", u.Faults)
		}
	}
	if err := f.Err(); err != nil {
		return err
	}
	for i := range trials {
		o := trials[i].Order
		o.Offsets = s.setup.whole(o.Offsets)
		s.belief.see(&o, &trials[i].Outcome, trials[i].Shift)
	}
	var vouched []Use
	for i := range uses {
		u := uses[i]
		u.Offsets = s.setup.whole(u.Offsets)
		if u.Vouched && len(s.belief.faults) > 0 {
			vouched = append(vouched, u)
			continue
		}
		s.belief.use(&u)
	}
	s.belief.settle()
	if len(vouched) > 0 {
		before := newBelief(&s.setup)
		for i := range vouched {
			vouched[i].Minutes *= s.believes(before, &vouched[i])
			s.belief.use(&vouched[i])
		}
		s.belief.settle()
	}
	s.worlds = nil
	return nil
}

// dishonest is the share of machines that do not stand what their maker vouches for.
const dishonest = 0.03

// believes is the chance that a machine stands what its maker vouches for, by what was seen of it: how likely it is to pass the time
// without a fault by that, against how likely others of its kind are.
func (s *Survey) believes(before *belief, u *Use) float64 {
	const looked = 400 // chips
	passes := func(b *belief) float64 {
		sum := 0.0
		for _, w := range b.sample(looked, rand.New(rand.NewPCG(s.setup.Seed, 1<<34))) {
			sum += math.Exp(-u.Minutes / minutesADay * s.setup.faults(&w, u.Offsets))
		}
		return math.Min(1-1.0/looked, math.Max(1.0/looked, sum/looked))
	}
	odds := func(p float64) float64 { return p / (1 - p) }
	x := odds(1-dishonest) * odds(passes(s.belief)) / odds(passes(before))
	return x / (1 + x)
}

func (s *Survey) checkOffsets(offsets []int) (f invalid.List) {
	if len(offsets) != s.setup.asked() {
		f.Add("offsets", "give one for each core", "%d for %d cores", len(offsets), s.setup.asked())
	}
	for i, x := range offsets {
		if x < -mostSteps || x > mostSteps {
			f.Add(fmt.Sprintf("offsets[%d]", i), fmt.Sprintf("give steps within ±%d", mostSteps), "%d", x)
		}
	}
	return f
}

func checkSteps(name string, shift map[load.Regime]float64) (f invalid.List) {
	for regime, x := range shift {
		if math.IsNaN(x) || math.Abs(x) > mostSteps {
			f.Add(name+"."+string(regime), fmt.Sprintf("give steps within ±%d", mostSteps), "%g", x)
		}
	}
	return f
}

func (s *Survey) checkPast(p *Past) invalid.List {
	f := s.checkOffsets(p.Order.Offsets)
	for i, l := range p.Order.Legs {
		at := fmt.Sprintf("legs[%d]", i)
		if !l.Load.Valid() {
			f.Add(at+".load", "give the kind of a load", "%.40q", l.Load)
		}
		if len(l.Cores) == 0 && l.Load != load.Idle {
			f.Add(at+".cores", "name the cores that it ran on", "none")
		}
		for _, c := range l.Cores {
			if c < 0 || c >= s.setup.asked() {
				f.Add(at+".cores", fmt.Sprintf("give 0 to %d", s.setup.asked()-1), "%d", c)
			}
		}
	}
	f = append(f, s.checkShift(&p.Shift)...)
	return append(f, s.check(&p.Order, &p.Outcome)...)
}
