package sounding

import (
	"fmt"
	"math"

	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/survey"
	"zerokeel/core/trim"
)

// level is by how many volts what reaches a core lies above what its fuses ask for at its clock: while all work, while it works alone, as
// it wakes to its highest clock, and as it starts.
type level struct{ together, alone, wakes, starts float64 }

// less returns by how much a level lies above another.
func (l level) less(o level) level {
	return level{l.together - o.together, l.alone - o.alone, l.wakes - o.wakes, l.starts - o.starts}
}

// droop is what a level lies below the fused curve; one above counts as there.
func (l level) droop() level {
	return level{math.Min(0, l.together), math.Min(0, l.alone), math.Min(0, l.wakes), math.Min(0, l.starts)}
}

// of is a level by regime, in steps of so many volts; "" is starting.
func (l level) of(stepV float64) map[load.Regime]float64 {
	return map[load.Regime]float64{load.RegimeHeavy: l.together / stepV, load.RegimeTransition: l.together / stepV,
		load.RegimeLight: l.alone / stepV, load.RegimeIdle: l.wakes / stepV, "": l.starts / stepV}
}

// levels are those of some cores, and the highest clock that they have alone, on average.
type levels struct {
	cores  []level
	topMHz float64
}

// mean is the level of all of them.
func (l levels) mean() (out level) {
	n := float64(len(l.cores))
	for _, c := range l.cores {
		out = level{out.together + c.together/n, out.alone + c.alone/n, out.wakes + c.wakes/n, out.starts + c.starts/n}
	}
	return out
}

// shift is by how much levels lie above others of the same cores, in steps of so many volts.
func (l levels) shift(base levels, stepV float64) survey.Shift {
	mean := l.mean().less(base.mean())
	out := survey.Shift{All: mean.of(stepV)}
	const apart = 1e-6
	for i, c := range l.cores {
		d := c.less(base.cores[i]).less(mean)
		far := math.Max(math.Max(math.Abs(d.together), math.Abs(d.alone)), math.Max(math.Abs(d.wakes), math.Abs(d.starts)))
		if far > apart && out.Cores == nil {
			out.Cores = make([]map[load.Regime]float64, len(l.cores))
		}
	}
	for i := range out.Cores {
		out.Cores[i] = l.cores[i].less(base.cores[i]).less(mean).of(stepV)
	}
	return out
}

// usualC is the temperature at which requests are compared.
const usualC = 60.0

// levelsOf works out the levels of some cores of a model.
func levelsOf(m *machine.Model, cores []int, ambientC float64) (levels, error) {
	heavy, err := m.Steady(load.Heavy, nil, ambientC)
	if err != nil {
		return levels{}, err
	}
	out, droops := levels{}, map[int]float64{}
	p := m.Set().Processor
	for _, c := range cores {
		cluster, top := p.ClusterOf(c), m.AloneMHz(c)
		droop, known := droops[cluster]
		if !known { // what comes between what a core asks for alone and what it gets
			light, err := m.Steady(load.Light, []int{c}, ambientC)
			if err != nil {
				return levels{}, err
			}
			droop = light.Cores[c].DeliveredV - m.AskedV(c, light.Cores[c].RequestMHz, light.Cores[c].TemperatureC)
			droops[cluster] = droop
		}
		asked := func(mhz float64) float64 { return m.AskedV(c, mhz, usualC) - m.FusedV(c, mhz) }
		out.cores = append(out.cores, level{gets(m, &heavy, c), asked(top) + droop, asked(top) + m.Tuning().LightLiftV, asked(p.BaseMHz)})
		out.topMHz += top / float64(len(cores))
	}
	return out, nil
}

// gets is by how many volts what reaches a core in a state lies above what its fuses ask for.
func gets(m *machine.Model, s *machine.State, core int) float64 {
	return s.Cores[core].DeliveredV - m.FusedV(core, s.Cores[core].RequestMHz)
}

// levelsBy works levels out, each once.
type levelsBy struct {
	model    func(trim.Settings) (*machine.Model, error)
	cores    []int
	ambientC float64
	kept     map[string]levels
	few      map[fewKey]float64
}

type fewKey struct{ settings, cores string }

// of returns the levels under some settings; false where the board does not take them.
func (b *levelsBy) of(s trim.Settings) (levels, bool) {
	return b.at(s, s.Fingerprint(), func(m *machine.Model) *machine.Model { return m })
}

// unlimited returns the levels at the clocks that are set, whatever limits would hold them down.
func (b *levelsBy) unlimited(s trim.Settings) (levels, bool) {
	return b.at(s, "unlimited "+s.Fingerprint(), (*machine.Model).Unlimited)
}

func (b *levelsBy) at(s trim.Settings, key string, as func(*machine.Model) *machine.Model) (levels, bool) {
	if kept, ok := b.kept[key]; ok {
		return kept, true
	}
	m, err := b.model(s)
	if err != nil {
		return levels{}, false
	}
	m = as(m)
	out, err := levelsOf(m, b.cores, b.ambientC)
	if err != nil {
		return levels{}, false
	}
	b.kept[key] = out
	return out, true
}

// fewer returns by how many steps, of so many volts, some of the cores stand higher under heavy load than they do while all of them work.
func (b *levelsBy) fewer(s trim.Settings, few []int, stepV float64) (steps float64, ok bool) {
	key := fewKey{s.Fingerprint(), fmt.Sprint(few)}
	if kept, ok := b.few[key]; ok {
		return kept, true
	}
	all, ok := b.of(s)
	m, err := b.model(s)
	if !ok || err != nil {
		return 0, false
	}
	work := make([]int, len(few))
	for i, c := range few {
		work[i] = b.cores[c]
	}
	heavy, err := m.Steady(load.Heavy, work, b.ambientC)
	if err != nil {
		return 0, false
	}
	for _, c := range few {
		steps += (gets(m, &heavy, b.cores[c]) - all.cores[c].together) / stepV / float64(len(few))
	}
	b.few[key] = steps
	return steps, true
}

// nearMHz is how far apart the clocks of two trims at a fixed voltage may lie so that what one of them held or failed tells of the other:
// floors run about along the fused curve.
const nearMHz = 300.0

// near reports whether clocks lie so close to each other that one tells of the other.
func (l levels) near(other levels) bool { return math.Abs(l.topMHz-other.topMHz) <= nearMHz }
