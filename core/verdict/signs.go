package verdict

import (
	"fmt"
	"math"
	"slices"

	"zerokeel/core/channel"
	"zerokeel/core/govern"
	"zerokeel/core/load"
)

// Point is a figure at a time since the leg's start.
type Point struct{ AtS, V float64 }

// Traces are the figures of a leg that a verdict looks at, without gaps' NaNs, in the order of time. What a rig does not
// tell is nil.
type Traces struct {
	Temperature []Point // of the processor
	Core        []Core  // per core of the leg, in its order
}

// Core are the traces of a core.
type Core struct {
	Temperature          []Point
	Requested, Effective []Point // clock, MHz
}

// Pointer is a piece of evidence: what was seen, when, and in which channel.
type Pointer struct {
	AtS     float64 `json:"atS"`
	UntilS  float64 `json:"untilS"`
	Core    int     `json:"core"` // −1 for none
	Channel string  `json:"channel"`
	Text    string  `json:"text"`
}

// steady reports whether a load keeps all its cores busy all the time.
func steady(kind load.Kind) bool {
	return !kind.OneCore() && kind != load.Idle && kind != load.Transition
}

// A core counts as cooled down to idle when it lies this far below the others, for this long: more than half of what
// they rose above where they began, and by some degrees (°C) at least, for so many seconds that sensors of different speed
// have followed.
const (
	cooledShare = 0.5
	cooledC     = 6.0
	cooledS     = 6.0
)

// cooled looks for a core whose temperature falls to idle level while the others stay where the load brought them: a
// sign that it stopped working, even if its counter does not say so. It returns its place in the leg.
func cooled(e *Evidence) (place int, at float64, found bool) {
	cores := e.Traces.Core
	if !steady(e.Load) || len(cores) < 3 {
		return -1, 0, false
	}
	n := len(cores[0].Temperature)
	for _, c := range cores {
		n = min(n, len(c.Temperature))
	}
	if n < 10 {
		return -1, 0, false
	}
	since := make([]float64, len(cores))
	usual := make([]float64, len(cores)) // how far each lies from the others as a rule
	warm := 0
	for i := range cores {
		since[i] = -1
	}
	column := make([]float64, len(cores))
	start := math.Inf(1)
	for k := range n {
		now := cores[0].Temperature[k].AtS
		for i, c := range cores {
			column[i] = c.Temperature[k].V
		}
		middle := median(column)
		start = min(start, middle)
		rise := middle - start
		if rise < 2*cooledC {
			continue // not yet under load
		}
		for i, t := range column {
			below := middle - t
			if warm < 5 {
				usual[i] += below / 5
				continue
			}
			if below-usual[i] < max(cooledC, cooledShare*rise) {
				since[i] = -1
				continue
			}
			if since[i] < 0 {
				since[i] = now
			}
			if now-since[i] >= cooledS {
				return i, since[i], true
			}
		}
		warm++
	}
	return -1, 0, false
}

// Longest time without a figure: some seconds (more than an agent takes to link anew), and a share of a long leg.
const (
	gapS     = 20.0
	gapShare = 0.05
)

// gap looks for a time without any temperature in what the leg ran.
func gap(e *Evidence) (Pointer, bool) {
	t := e.Traces.Temperature
	if len(t) == 0 {
		return Pointer{}, false
	}
	most := max(gapS, gapShare*e.RanS)
	before := 0.0
	for _, p := range append(slices.Clone(t), Point{AtS: e.RanS}) {
		if p.AtS-before > most {
			return Pointer{before, p.AtS, -1, channel.Temperature, "no temperature from " + clock(before) + " to " + clock(p.AtS)}, true
		}
		before = p.AtS
	}
	return Pointer{}, false
}

// stuckS is for how long, in s, the temperature under load must not change at all before its sensor counts as stuck: a heatsink
// warms for longer.
const stuckS = 120.0

// stuck looks for a temperature that never changes although the load began: real ones move by their last digit.
func stuck(e *Evidence) (Pointer, bool) {
	t := e.Traces.Temperature
	if e.Load == load.Idle || len(t) < 60 || t[len(t)-1].AtS-t[0].AtS < stuckS {
		return Pointer{}, false
	}
	for _, p := range t {
		if p.V != t[0].V {
			return Pointer{}, false
		}
	}
	return Pointer{t[0].AtS, t[len(t)-1].AtS, -1, channel.Temperature, fmt.Sprintf("the temperature shows %.1f °C all the time", t[0].V)},
		true
}

// leastClock is the share of the requested clock below which a leg did not reach its clocks, when no limit explains it. Below
// it the voltage is another one, and the leg proves another point of the curve.
const leastClock = 0.6

// short looks for cores that were asked for a clock and stayed far below it although nothing held them down: something
// else does, and the leg proves nothing at the clocks in question.
func short(e *Evidence) (Pointer, bool) {
	if !steady(e.Load) || e.TargetC > 0 { // a load that is held back rests, at the lowest clock
		return Pointer{}, false
	}
	held := 0.0
	for l, share := range shares(e.Limiters) {
		if l != govern.None && l != govern.Ratio {
			held += share
		}
	}
	if held > 0.1 {
		return Pointer{}, false
	}
	for i, c := range e.Traces.Core {
		asked, got := late(c.Requested), late(c.Effective)
		if asked > 0 && got > 0 && got < leastClock*asked {
			return Pointer{e.RanS / 2, e.RanS, e.Cores[i], channel.At(channel.EffectiveClock, e.Cores[i]),
				fmt.Sprintf("core %d ran at %.0f MHz of %.0f asked for", e.Cores[i], got, asked)}, true
		}
	}
	return Pointer{}, false
}

// late returns the median over the later half of a trace, 0 for too short a one.
func late(t []Point) float64 {
	if len(t) < 10 {
		return 0
	}
	var values []float64
	for _, p := range t[len(t)/2:] {
		values = append(values, p.V)
	}
	return median(values)
}

func median(values []float64) float64 {
	sorted := slices.Sorted(slices.Values(values))
	return sorted[len(sorted)/2]
}

// Exposure returns for how many seconds each core of a leg was exposed to its load, in the order of the cores: a load on
// one core at a time, for turnS each, exposes them one after the other.
func Exposure(kind load.Kind, cores int, ranS, turnS float64) []float64 {
	out := make([]float64, cores)
	if !kind.OneCore() || turnS <= 0 {
		for i := range out {
			out[i] = ranS
		}
		return out
	}
	cycle := turnS * float64(cores)
	whole, rest := math.Floor(ranS/cycle), math.Mod(ranS, cycle)
	for i := range out {
		out[i] = whole*turnS + min(turnS, max(0, rest-float64(i)*turnS))
	}
	return out
}
