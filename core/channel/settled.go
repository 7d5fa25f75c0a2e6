package channel

import (
	"maps"
	"math"
	"slices"
	"strings"

	"zerokeel/core/series"
	"zerokeel/core/settle"
)

// Settled is the value that a figure approached in a leg, with its standard deviation.
type Settled struct {
	Value float64 `json:"value"`
	SD    float64 `json:"sd"`
}

// Half returns half the width of its 90 % interval.
func (s Settled) Half() float64 { return settle.Estimate{SD: s.SD}.Half() }

// What half an interval may be for a figure to count as settled: in kelvin, and of others as a share of the figure.
const (
	nearK     = 4.0
	nearShare = 0.03
)

// HasSettled reports whether a figure's settled value is known well enough to be told without its doubt.
func (f Figure) HasSettled() bool {
	if f.Settled == nil {
		return false
	}
	half := f.Settled.Half()
	if f.Unit == "°C" || f.Unit == "K" {
		return half <= nearK
	}
	return half <= nearShare*math.Abs(f.Settled.Value)
}

// Standard deviations of the room's temperature, in °C: measured, and as somebody entered it for the rig.
const (
	measuredRoomC = 0.3
	enteredRoomC  = 1.5
)

// Above a limit of its window by this share of it, power is that of the boost window, and nothing has settled.
const overLimit = 0.1

// mostHeatedS is how long a leg, in seconds, needs the path of its heat to be known: after that it has settled without.
const mostHeatedS = 3600.0

// settled returns what a channel approached; nil where nothing can be told.
func (l Leg) settled(c Channel, samples Samples) *Settled {
	own := samples[c.Key]
	if len(own) == 0 || l.boosts(samples[PackagePower]) {
		return nil
	}
	if l.Load.OneCore() && (c.Quantity != temperature || c.Key == Temperature) {
		return l.inTurn(c, samples)
	}
	most, held := l.Most[c.Key]
	if !held {
		most = math.Inf(1)
	}
	var e settle.Estimate
	if c.Quantity == temperature && c.Key != Ambient && own[len(own)-1].T-own[0].T < mostHeatedS*1000 {
		e = settle.Heated(own, c.Quantum, most, l.heating(samples))
	} else {
		e = settle.Of(own, c.Quantum, most)
	}
	if math.IsInf(e.SD, 1) || math.IsNaN(e.Value) {
		return nil
	}
	return &Settled{e.Value, e.SD}
}

// What leakage makes of a one-core load's power, as a share of it for each kelvin: a tenth to a third of it is leakage, which
// grows by one to two percent; and the standard deviation of that.
const (
	leaksPerK   = 0.004
	leaksPerKSD = 0.002
)

// inTurn returns what a channel approached under a load that goes from core to core. Each core shows figures of its own, so it is
// the mean over all turns that counts; the processor's temperature moved meanwhile as that of the coolest core did, which stands
// by and warms with what they share, and its power with that.
func (l Leg) inTurn(c Channel, samples Samples) *Settled {
	own := samples[c.Key]
	if float64(own[len(own)-1].T-own[0].T) < settle.LeastS*1000 {
		return nil
	}
	mean := average(present(own))
	switch c.Key {
	case Temperature, PackagePower, WallPower:
	default:
		return &Settled{Value: mean}
	}
	cools, ok := l.standingBy(samples)
	switch {
	case !ok && c.Key == Temperature:
		return nil
	case !ok:
		return &Settled{Value: mean, SD: leaksPerK * mean * enteredRoomC}
	case c.Key == Temperature:
		return &Settled{Value: mean + cools.Value, SD: cools.SD}
	}
	return &Settled{Value: mean * (1 + leaksPerK*cools.Value), SD: mean * math.Hypot(leaksPerKSD*cools.Value, leaksPerK*cools.SD)}
}

// standingBy tells by how much the coolest core ends up warmer than it was on average over a leg.
func (l Leg) standingBy(samples Samples) (Settled, bool) {
	var cores [][]series.Sample
	for _, key := range slices.Sorted(maps.Keys(samples)) {
		if list := samples[key]; Matches(CoreTemperature, key) && len(list) > 0 {
			cores = append(cores, list)
		}
	}
	if len(cores) < 2 {
		return Settled{}, false
	}
	coolest := series.Across(cores, slices.Min[[]float64])
	e := settle.Turning(coolest, 0, l.heating(samples))
	if math.IsInf(e.SD, 1) {
		e = settle.Of(coolest, 0, math.Inf(1))
	}
	if math.IsInf(e.SD, 1) {
		return Settled{}, false
	}
	return Settled{Value: e.Value - average(present(coolest)), SD: e.SD}, true
}

// heating gathers what drives the temperatures of a leg.
func (l Leg) heating(samples Samples) settle.Heating {
	h := settle.Heating{Power: samples[PackagePower], AmbientC: l.AmbientC, AmbientSD: enteredRoomC}
	if values := present(samples[Ambient]); len(values) > 0 {
		h.AmbientC, h.AmbientSD = average(values), measuredRoomC
	}
	speeds := map[string]float64{}
	for key, list := range samples {
		if values := present(list); len(values) > 0 && strings.HasPrefix(key, speedOf) {
			speeds[key] = average(values)
		}
	}
	h.Fan = samples[l.coolersFan(speeds)]
	return h
}

// speedOf is what the keys of channels begin with that tell a speed, whatever a rig calls them.
const speedOf = "speed."

// coolersFan returns which of some speeds is that of the cooler's fan: the one that is known to be, else the board's first fan, else
// the one that turned fastest.
func (l Leg) coolersFan(speeds map[string]float64) (key string) {
	for _, known := range []string{l.Fan, At(FanSpeed, 1)} {
		if _, told := speeds[known]; told {
			return known
		}
	}
	for one, rpm := range speeds {
		if Matches(FanSpeed, one) && rpm > 0 && (key == "" || rpm > speeds[key]) {
			key = one
		}
	}
	return key
}

// boosts reports whether power stood above its sustained limit when the leg ended.
func (l Leg) boosts(power []series.Sample) bool {
	limit, held := l.Most[PackagePower]
	if !held || len(power) == 0 {
		return false
	}
	const lastMS = 10_000
	end := power[len(power)-1].T
	from, _ := slices.BinarySearchFunc(power, end-lastMS, func(s series.Sample, t int64) int { return int(s.T - t) })
	values := present(power[from:])
	return len(values) > 0 && average(values) > limit*(1+overLimit)
}

// boostFigure is the time from the start of a leg for which power stood above its sustained limit; none where that limit is not
// known, or power never did.
func (l Leg) boostFigure(samples Samples) []Figure {
	limit, held := l.Most[PackagePower]
	own := samples[PackagePower]
	if !held || l.Load.OneCore() || len(own) == 0 {
		return nil
	}
	const startsMS, pausesMS = 10_000, 3_000 // a boost begins soon, and a moment below does not end it
	first := own[0].T
	last := first
	for _, s := range own {
		above := s.V > limit*(1+overLimit)
		if above && (last > first || s.T-first <= startsMS) {
			last = s.T
		} else if s.T-max(last, first+startsMS) > pausesMS {
			break
		}
	}
	if last == first {
		return nil
	}
	c, length := Of(BoostWindow, 0), float64(last-first)/1000
	return []Figure{{Key: c.Key, Label: c.Label, Unit: c.Unit, Mean: length, Low: &length, Peak: length}}
}
