package identify

import (
	"math"

	"zerokeel/core/load"
	"zerokeel/core/part"
	"zerokeel/core/trim"
)

// Step is a part of measuring a machine up: what is set, and the legs that run under it.
type Step struct {
	Settings trim.Settings
	Legs     []Leg
}

// Leg is a load on all cores, and how long it runs.
type Leg struct {
	Load    load.Kind
	Seconds float64
}

// How long a load runs until its figures can be told from how they approach: by load.
const (
	heavyS = 210.0
	mixedS = 180.0
	lightS = 300.0 // from core to core
	idleS  = 180.0
)

// The clocks at which loads are tried, as shares of the highest; 1 is as delivered.
var heavyAt = []float64{1, 0.85, 0.7, 0.55, 0.4}

// Steps plans the trial that measures a machine up, of an hour at most: loads at several clocks, with performance cores alone where there
// are two kinds, with one thread a core, and at two speeds of the fan, as far as its board lets them be set.
func Steps(sketch *part.Set) []Step {
	p, b := sketch.Processor, sketch.Board
	top := p.HighestMHz()
	_, capped := b.Lookup("system.ceiling")
	ratio, byRatio := b.Lookup("clock.ratio.all")
	byRatio = byRatio && !p.Locks("clock.ratio.all")
	at := func(share float64) trim.Settings {
		s := trim.Settings{}
		switch {
		case share >= 1:
		case capped:
			s["system.ceiling"] = part.Number(math.Round(share * top))
		case byRatio:
			s["clock.ratio.all"] = part.Number(ratio.Nearest(share * top / p.BaseClockMHz))
		}
		return s
	}
	slower := capped || byRatio
	out := []Step{{trim.Settings{}, []Leg{{load.Idle, idleS}, {load.Light, lightS}, {load.Mixed, mixedS}, {load.Heavy, heavyS}}}}
	if slower {
		for _, share := range heavyAt[1:] {
			s := Step{at(share), []Leg{{load.Heavy, heavyS}}}
			if share == 0.7 {
				s.Legs = append(s.Legs, Leg{load.Light, lightS}, Leg{load.Mixed, mixedS})
			}
			out = append(out, s)
		}
	}
	small := trim.Settings{}
	if p.HasKind(part.KindEfficiency) && p.HasKind(part.KindPerformance) && b.Entry("clock.coreOn.*") != nil {
		for c := range p.Cores() {
			if p.Clusters[p.ClusterOf(c)].Kind == part.KindEfficiency {
				small[trim.At("clock.coreOn.*", c)] = part.Switch(false)
			}
		}
		out = append(out, Step{small, []Leg{{load.Heavy, heavyS}}})
		if slower {
			out = append(out, Step{small.With(at(0.7)), []Leg{{load.Heavy, heavyS}}})
		}
	}
	if _, has := b.Lookup("platform.smt"); has && p.ThreadsPerCore > 1 {
		out = append(out, Step{at(0.7).With(trim.Settings{"platform.smt": part.Switch(false)}), []Leg{{load.Heavy, heavyS}}})
	}
	if b.Entry("fan.point.*.duty") != nil && slower {
		for _, duty := range []float64{100, 40} {
			s := at(0.7)
			for i := range b.Fan.Points {
				s[trim.At("fan.point.*.duty", i+1)] = part.Number(duty)
			}
			out = append(out, Step{s, []Leg{{load.Heavy, heavyS}}})
		}
	}
	return out
}
