package workshop

import (
	"zerokeel/core/sounding"
	"zerokeel/core/trim"
	"zerokeel/core/verdict"
)

// Plane is the clock and the voltage of a machine whose voltage is fixed, and what was tried there.
type Plane struct {
	*sounding.Plane
	Chances []float64 // by depth from the deepest on: of a fault in a day of mixed use, counted from what is delivered at each clock
	Tried   []TriedAt
}

// TriedAt is a trial at a clock and a voltage.
type TriedAt struct {
	MHz, Volts  float64
	Minutes     float64 // that it held, all legs together
	Verdict     verdict.Verdict
	Trial, Trim int64
}

// planeOf looks at the plane about some settings; nil where there is none.
func (x *surveyed) planeOf(k *rigKnowledge, rest trim.Settings, ambientC float64) *Plane {
	at := x.axis.Plane(k.set, rest, k.fit.Model, ambientC)
	if at == nil {
		return nil
	}
	out := &Plane{Plane: at, Chances: x.survey.Together()}
	trims := map[int64]trim.Settings{}
	for i := range k.trims {
		trims[k.trims[i].ID] = k.trims[i].Settings.V
	}
	for i := range x.told.Trials {
		p, from := &x.told.Trials[i], x.told.From[i]
		mhz, told := sounding.ClockOf(k.set, trims[from.Trim])
		if !told {
			continue
		}
		one := TriedAt{MHz: mhz, Volts: x.axis.At(p.Order.Offsets[0]), Verdict: verdict.Held, Trial: from.Trial, Trim: from.Trim}
		if !p.Outcome.Posted {
			one.Verdict = verdict.NoPost
		}
		for _, l := range p.Outcome.Legs {
			if l.Verdict == verdict.Held {
				one.Minutes += l.Minutes
			} else {
				one.Verdict = l.Verdict
			}
		}
		out.Tried = append(out.Tried, one)
	}
	return out
}
