package identify

import (
	"errors"
	"math"
	"slices"
	"strings"

	"gonum.org/v1/gonum/mat"

	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/silicon"
	"zerokeel/core/trim"
)

// Phase is a leg as it went: the temperature of the hottest core each second from its beginning. A reading that is missing is NaN.
type Phase struct {
	Load     load.Kind
	RestS    float64 // for how long the machine rested since the phase before
	TurnS    float64 // on each core, of a load that goes from core to core
	HottestC []float64
}

// capacities are the figures that tell how fast a machine warms, with what they are believed to be. Those of die and base are alike on all
// processors, and only their product with a resistance shows that nothing tells apart: their priors are narrow. Coolers differ.
var capacities = []unknown{
	{part.KindProcessor, "heat.dieJPerK", "J/K", 8, 0.2, true, func(s *part.Set, x float64) { s.Processor.Heat.DieJPerK = max(0.5, min(200, x)) }},
	{part.KindProcessor, "heat.baseJPerK", "J/K", 115, 0.12, true, func(s *part.Set, x float64) {
		s.Processor.Heat.BaseJPerK = max(5, min(2000, x))
	}},
	{part.KindCooler, "coolantJPerK", "J/K", 900, 0.9, true, func(s *part.Set, x float64) { s.Cooler.CoolantJPerK = max(20, min(20000, x)) }},
}

// How a machine's warming is followed: the step that it is moved by, the seconds between two temperatures that are held against it, by how
// much a temperature may stray that others near it stray with, what a phase settles at may be off, and work before may have left.
const (
	timeStepS  = 0.2
	betweenS   = 5
	sigmaWarmC = 2.0
	timeRounds = 8
	settledC   = 1.5
	beforeK    = 6.0
)

// ErrNoCourse reports phases that tell nothing of how fast a machine warms.
var ErrNoCourse = errors.New("too little was seen of how the machine warms: a minute of load after a rest at least")

// Times finds how fast the machine warms, from phases that followed one another, under the settings of all of them, and by the way how its
// resistances lie along the path of heat: what it settles at tells their sum. Figures and sheets become what is believed after both.
func (r *Result) Times(settings trim.Settings, ambientC float64, phases []Phase) error {
	seconds := 0
	for _, p := range phases {
		if p.Load != load.Idle {
			seconds += len(p.HottestC)
		}
	}
	if seconds < 60 {
		return ErrNoCourse
	}
	c := &course{r, settings, ambientC, phases}
	n := c.offsets() + len(phases)
	z := make([]float64, n)
	copy(z, r.z)
	now, err := c.strays(z)
	if err != nil {
		return err
	}
	normal := mat.NewSymDense(n, nil)
	damping := firstDamping
	for range timeRounds {
		right, err := c.linearize(z, now, normal)
		if err != nil {
			return err
		}
		largest := 0.0
		for damping < mostDamping {
			if next, ok := step(normal, right, z, damping); ok {
				if other, err := c.strays(next); err == nil && c.cost(other, next) < c.cost(now, z) {
					for j := range z {
						largest = math.Max(largest, math.Abs(next[j]-z[j]))
					}
					z, now = next, other
					damping = math.Max(leastDamping, damping/8)
					break
				}
			}
			damping *= 4
		}
		if largest < 0.02 {
			break
		}
	}
	if _, err := c.linearize(z, now, normal); err != nil {
		return err
	}
	cov, err := inverse(normal)
	if err != nil {
		return err
	}
	off, err := residuals(r.sketch, r.list, z[:len(r.list)], r.used)
	if err != nil {
		return err
	}
	r.finish(z[:len(r.list)], cov, off)
	for i := range capacities {
		at := len(r.list) + i
		capacities[i].put(r.Set, capacities[i].of(z[at]))
		r.Figures = append(r.Figures, found(&capacities[i], z[at], math.Sqrt(cov.At(at, at))))
	}
	return nil
}

// course is a machine's warming, and what may explain it, each in standard deviations of what it is believed to be: the figures that
// records told, the capacities, what was left of work before, and by how much what each phase settles at is off.
type course struct {
	*Result
	settings trim.Settings
	ambientC float64
	phases   []Phase
}

// before is the place of what was left of work before.
func (c *course) before() int { return len(c.list) + len(capacities) }

// offsets is the place of the first phase's.
func (c *course) offsets() int { return c.before() + 1 }

// strays steps the models through the phases.
func (c *course) strays(z []float64) ([]stray, error) {
	set := made(c.sketch, c.list, z[:len(c.list)])
	for i := range capacities {
		capacities[i].put(set, capacities[i].of(z[len(c.list)+i]))
	}
	out, err := strays(set, c.settings, c.ambientC, beforeK*z[c.before()], c.phases)
	for i := range out {
		out[i].c -= settledC * z[c.offsets()+out[i].phase]
	}
	return out, err
}

// warms says of a figure whether it lies on the path of heat.
func (u *unknown) warms() bool {
	return u.kind == part.KindCooler || strings.HasPrefix(u.path, "heat.")
}

// cost is the sum of squares that is made least.
func (c *course) cost(now []stray, z []float64) (sum float64) {
	for _, s := range now {
		sum += s.c * s.c / (sigmaWarmC * sigmaWarmC)
	}
	for _, x := range z[len(c.list):] {
		sum += x * x
	}
	moved := c.moved(z)
	return sum + mat.Inner(moved, c.normal, moved)
}

// moved is by how much figures are away from what records told of them.
func (c *course) moved(z []float64) *mat.VecDense {
	out := mat.NewVecDense(len(c.list), nil)
	for j := range c.z {
		out.SetVec(j, z[j]-c.z[j])
	}
	return out
}

// linearize fills the normal equations at z, and returns their right side.
func (c *course) linearize(z []float64, now []stray, normal *mat.SymDense) (*mat.VecDense, error) {
	const h = 0.5 // far to both sides: a clock that goes by bins makes edges that a short step takes for slopes
	n, told := len(z), len(c.list)
	slopes, left := mat.NewDense(max(1, len(now)), n, nil), mat.NewVecDense(max(1, len(now)), nil)
	for j := range c.offsets() {
		if j < told && !c.list[j].warms() { // moves with the others, as records told of them together
			continue
		}
		var sides [2][]stray
		for k, by := range []float64{-h, h} {
			moved := slices.Clone(z)
			moved[j] += by
			var err error
			if sides[k], err = c.strays(moved); err != nil {
				return nil, err
			}
		}
		for i := range now {
			slopes.Set(i, j, (sides[0][i].c-sides[1][i].c)/(2*h*sigmaWarmC))
		}
	}
	for i, s := range now {
		slopes.Set(i, c.offsets()+s.phase, settledC/sigmaWarmC)
		left.SetVec(i, s.c/sigmaWarmC)
	}
	normal.SymOuterK(1, slopes.T())
	right := mat.NewVecDense(n, nil)
	right.MulVec(slopes.T(), left)
	var pull mat.VecDense
	pull.MulVec(c.normal, c.moved(z))
	for j := range n {
		if j >= told {
			normal.SetSym(j, j, normal.At(j, j)+1)
			right.SetVec(j, right.AtVec(j)-z[j])
			continue
		}
		right.SetVec(j, right.AtVec(j)-pull.AtVec(j))
		for k := j; k < told; k++ {
			normal.SetSym(j, k, normal.At(j, k)+c.normal.At(j, k))
		}
	}
	return right, nil
}

// stray is by how many kelvin what was seen at a moment of a phase is above what the models say.
type stray struct {
	phase int
	c     float64
}

// strays steps the models through the phases, from a rest that left them so many kelvin warmer than it does for good.
func strays(set *part.Set, settings trim.Settings, ambientC, leftK float64, phases []Phase) (out []stray, err error) {
	tuning, err := machine.Tune(set, settings)
	if err != nil {
		return nil, err
	}
	model, err := machine.NewModel(set, tuning, silicon.Typical(set.Processor))
	if err != nil {
		return nil, err
	}
	m := machine.New(model, ambientC)
	m.Warm(leftK)
	for i, p := range phases {
		if p.RestS > 0 {
			m.SetLoad(load.Idle, nil, 0)
			for range int(p.RestS / timeStepS) {
				m.Step(timeStepS)
			}
		}
		m.SetLoad(p.Load, nil, p.TurnS)
		for at, c := range p.HottestC {
			for range int(1 / timeStepS) {
				m.Step(timeStepS)
			}
			if at%betweenS == betweenS-1 && !math.IsNaN(c) && !p.Load.OneCore() { // from core to core each has a temperature of its own
				out = append(out, stray{i, c - m.State().HottestC})
			}
		}
	}
	return out, nil
}
