package compare

import (
	"math"
	"slices"

	"gonum.org/v1/gonum/stat/distuv"

	"zerokeel/core/channel"
	"zerokeel/core/load"
	"zerokeel/core/stat"
)

// Leg is what a leg of a trial came to.
type Leg struct {
	Load    load.Kind
	Figures []channel.Figure
}

// Level is where legs under one trim settled: their mean with its standard deviation.
type Level struct {
	Legs      int
	Value, SD float64
}

// Half returns half the width of the 95 % interval.
func (l Level) Half() float64 { return z95 * l.SD }

// z95 is the half width of a 95 % interval in standard deviations.
var z95 = distuv.UnitNormal.Quantile(0.5 + stat.Confidence/2)

// SettledRow is what a figure settles at under a load on both sides. Difference is of Other less Base; it is zero where a side
// has no leg that tells.
type SettledRow struct {
	Load             load.Kind
	Key, Label, Unit string
	Better           Better
	Base, Other      Level
	Difference
	Judged bool // whether Shown says anything
	Gain   bool // the difference is shown, and for the better
}

// Both reports whether both sides tell of a row.
func (r *SettledRow) Both() bool { return r.Base.Legs > 0 && r.Other.Legs > 0 }

// settles is a figure by which trims are compared once settled. One that only explains another is shown beside it, and no
// difference of it is claimed: each claim more would ask more of all of them.
type settles struct {
	key    string
	better Better
}

var settling = []settles{
	{channel.AboveAmbient, Lower},
	{channel.CoresAbove, Unjudged},
	{channel.Temperature, Unjudged},
	{channel.Coolant, Unjudged},
	{channel.VRM, Unjudged},
	{channel.PackagePower, Lower},
	{channel.WallPower, Lower},
	{channel.MeanClock, Higher},
	{channel.ClusterClock, Unjudged},
	{channel.HighestClock, Unjudged},
	{channel.LowestClock, Unjudged},
	{channel.DeliveredVoltage, Neither},
	{channel.RequestedVoltage, Unjudged},
	{channel.FanSpeed, Lower},
	{channel.Noise, Unjudged},
}

// compared lists the loads under which trims are compared, and in this order.
var compared = []load.Kind{load.Heavy, load.Mixed, load.Light, load.Idle}

// Settled compares where two trims settle, load by load. A difference is shown where it is so by Holm's step-down over all rows
// that are judged, so that of all comparisons of equals one in twenty shows any.
func Settled(base, other []Leg) []SettledRow {
	var out []SettledRow
	for _, kind := range compared {
		for _, key := range keysOf(kind, base, other) {
			out = append(out, settledRow(kind, key, base, other))
		}
	}
	stepDown(out, 1-stat.Confidence, func(r *SettledRow) (*Difference, bool) { return &r.Difference, r.Judged && r.Both() })
	for i := range out {
		out[i].Gain = out[i].Better.gains(&out[i].Difference)
	}
	return out
}

// keysOf lists the figures of a load that both sides tell of, or one where the other tells nothing of it, in the order of
// settling.
func keysOf(kind load.Kind, sides ...[]Leg) []string {
	var out []string
	for _, s := range settling {
		var keys []string
		for _, legs := range sides {
			for i := range legs {
				for _, f := range legs[i].Figures {
					if legs[i].Load == kind && f.Settled != nil && channel.Matches(s.key, f.Key) && !slices.Contains(keys, f.Key) {
						keys = append(keys, f.Key)
					}
				}
			}
		}
		slices.Sort(keys)
		out = append(out, keys...)
	}
	return out
}

func settledRow(kind load.Kind, key string, base, other []Leg) SettledRow {
	s := settling[slices.IndexFunc(settling, func(s settles) bool { return channel.Matches(s.key, key) })]
	def := channel.Of(key, 0)
	r := SettledRow{Load: kind, Key: key, Label: labelOf(key, base, other), Unit: def.Unit, Better: s.better, Judged: s.better != Unjudged,
		Base: level(kind, key, base), Other: level(kind, key, other)}
	if !r.Both() {
		return r
	}
	day := days[s.key].of((r.Base.Value + r.Other.Value) / 2)
	sd := math.Hypot(math.Hypot(r.Base.SD, r.Other.SD), day*math.Sqrt(1/float64(r.Base.Legs)+1/float64(r.Other.Legs)))
	r.Difference = Difference{Absolute: r.Other.Value - r.Base.Value, Half: z95 * sd, Percent: math.NaN(), P: 1}
	if sd > 0 {
		r.P = 2 * distuv.UnitNormal.Survival(math.Abs(r.Absolute)/sd)
	}
	if r.Base.Value != 0 && def.Unit != "°C" && def.Unit != "dB(A)" {
		r.Percent = 100 * r.Absolute / math.Abs(r.Base.Value)
	}
	return r
}

// labelOf is how the legs call a figure: clusters have names.
func labelOf(key string, sides ...[]Leg) string {
	for _, legs := range sides {
		for i := range legs {
			for _, f := range legs[i].Figures {
				if f.Key == key && f.Label != "" {
					return f.Label
				}
			}
		}
	}
	return channel.Of(key, 0).Label
}

// level sums up the legs of a load: each counts by how surely it settled, and the doubt of the mean is no less than what the
// legs differ by.
func level(kind load.Kind, key string, legs []Leg) Level {
	var values, weights []float64
	for i := range legs {
		for _, f := range legs[i].Figures {
			if legs[i].Load == kind && f.Key == key && f.Settled != nil {
				values = append(values, f.Settled.Value)
				weights = append(weights, 1/math.Max(1e-12, f.Settled.SD*f.Settled.SD))
			}
		}
	}
	n := len(values)
	if n == 0 {
		return Level{Value: math.NaN(), SD: math.Inf(1)}
	}
	sum, mean := 0.0, 0.0
	for i, w := range weights {
		sum += w
		mean += w * values[i]
	}
	mean /= sum
	sd := math.Sqrt(1 / sum)
	if n > 1 {
		sd = math.Max(sd, stat.Summarise(values).SD/math.Sqrt(float64(n)))
	}
	return Level{Legs: n, Value: mean, SD: sd}
}
