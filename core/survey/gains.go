package survey

import (
	"math"
	"slices"

	"zerokeel/core/load"
)

// term is a part of a core's faults in a day that rises with its setting at one pace: of the regimes that get the same share of a step.
type term struct {
	gain    float64
	regimes []int // places in the setup's
}

// gain is the share of a step that reaches a core in a regime.
func (c *Core) gain(r load.Regime) float64 {
	if x, known := c.Gain[r]; known {
		return x
	}
	return 1
}

// terms lists a core's own regimes, those in which it does not feel its rail, by the share of a step that reaches it there.
func (s *Setup) terms(core int) (out []term) {
	for g, r := range s.Regimes {
		if s.together(r) {
			continue
		}
		gain := s.Cores[core].gain(r)
		i := slices.IndexFunc(out, func(t term) bool { return t.gain == gain })
		if i < 0 {
			i, out = len(out), append(out, term{gain: gain})
		}
		out[i].regimes = append(out[i].regimes, g)
	}
	return out
}

// part is what a term comes to on a chip: with one fault a day of mixed use at log/gain.
type part struct{ gain, log float64 }

// ownDay returns the faults of a core in a day of mixed use, as far as it feels a setting of its own.
func (w *world) ownDay(core int, offset float64) float64 {
	sum := 0.0
	for _, p := range w.own[core] {
		sum += math.Exp((p.log - p.gain*offset) / w.slopes[core])
	}
	return sum
}

// deeperDay returns by how much these rise when the setting goes a step deeper.
func (w *world) deeperDay(core int, offset float64) float64 {
	sum := 0.0
	for _, p := range w.own[core] {
		sum += math.Exp((p.log-p.gain*offset)/w.slopes[core]) * math.Expm1(p.gain/w.slopes[core])
	}
	return sum
}

// need returns the setting at which a core takes a share of the faults, given as its logarithm.
func (s *Setup) need(w *world, core int, share float64) float64 {
	if own := w.own[core]; len(own) == 1 && own[0].gain == 1 {
		return own[0].log - w.slopes[core]*share
	}
	logs := make([]part, len(w.own[core]))
	for i, p := range w.own[core] {
		logs[i] = part{p.gain / w.slopes[core], p.log/w.slopes[core] - share}
	}
	x, _ := s.one(logs)
	return x
}

// leastGain is the share of a step from which a setting has a limit in a regime.
const leastGain = 0.1

// limit returns the setting at which a core is at its limit in a regime; far below anything where hardly any of a step reaches it.
func (w *world) limit(core, regime int) float64 {
	l, gain := w.limits[core*w.regimes+regime], w.gains[core*w.regimes+regime]
	if gain < leastGain {
		return -mostSteps
	}
	return math.Max(-mostSteps, math.Min(mostSteps, l/gain))
}

// parts is into how many parts a day of mixed use falls.
func (s *Setup) parts() float64 {
	if s.Mix > 0 {
		return float64(s.Mix)
	}
	return float64(len(s.Regimes))
}

// one solves Σ exp(log − gain·x) = 1 for the setting x, and returns how fast the sum's logarithm falls there. What would lie beyond what
// may be set lies just beyond it: where hardly anything of a setting reaches a core, none of them may be enough.
func (s *Setup) one(parts []part) (x, pace float64) {
	low, high := float64(s.MinSteps-1), float64(s.MaxSteps+1)
	at := func(x float64) (log, pace float64) {
		top := math.Inf(-1)
		for _, p := range parts {
			top = math.Max(top, p.log-p.gain*x)
		}
		sum := 0.0
		for _, p := range parts {
			e := math.Exp(p.log - p.gain*x - top)
			sum, pace = sum+e, pace+e*p.gain
		}
		return top + math.Log(sum), pace / sum
	}
	// The logarithm is convex and falls: from a place where it is above zero Newton's steps come to its root from one side.
	log, pace := at(low)
	if log <= 0 {
		return low, pace
	}
	x = low
	const enough, most = 0.01, 40
	for range most {
		step := log / pace
		if x += step; x >= high {
			return high, pace
		}
		if log, pace = at(x); step < enough {
			break
		}
	}
	return x, pace
}
