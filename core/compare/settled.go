package compare

import (
	"cmp"
	"math"
	"slices"

	"gonum.org/v1/gonum/stat/distuv"

	"zerokeel/core/channel"
	"zerokeel/core/govern"
	"zerokeel/core/load"
	"zerokeel/core/stat"
)

// Leg is what a leg of a trial came to.
type Leg struct {
	Load     load.Kind
	Figures  []channel.Figure
	Limiters map[govern.Limiter]float64 // seconds for which each held the clock, as far as that was told
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

// SettledRow is what a figure settles at under a load on every side, and what each two of them differ by, in the order of PairsOf.
type SettledRow struct {
	Load             load.Kind
	Key, Label, Unit string
	Better           Better
	Sides            []Level
	Pairs            []Pair
}

// Explains reports whether the figure only explains another, so that no difference of it is claimed.
func (r *SettledRow) Explains() bool { return r.Better == Unjudged }

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
	{channel.Noise, Lower},
}

// compared lists the loads under which trims are compared, and in this order.
var compared = []load.Kind{load.Heavy, load.Mixed, load.Light, load.Idle}

// Under is what is known of a machine under one configuration: the legs that tell where it settles, and what it is made of. Figures
// of unlike processors or coolers stand side by side, but of some neither is better: a clock tells nothing of another model's, nor a
// fan's speed of another's noise.
type Under struct {
	Legs              []Leg
	Processor, Cooler string
}

// Settled compares where two or more configurations settle, load by load. A difference is shown where it is so by Holm's step-down
// over all rows and pairs that are judged, so that of all comparisons of equals one in twenty shows any.
func Settled(sides ...Under) []SettledRow {
	var out []SettledRow
	for _, kind := range compared {
		for _, f := range told(kind, sides) {
			out = append(out, settledRow(kind, f, sides))
		}
	}
	heard := quiet(out)
	var all []*Pair
	for i := range out {
		r := &out[i]
		for k := range r.Pairs {
			p := &r.Pairs[k]
			p.Judged = p.Both && r.Better != Unjudged && like(r.Key, &sides[p.Base], &sides[p.Other]) &&
				!(channel.Matches(channel.FanSpeed, r.Key) && heard[heardAs{r.Load, k}])
			all = append(all, p)
		}
	}
	stepDownAll(all)
	judged := 0
	for _, p := range all {
		if p.Judged {
			judged++
		}
	}
	z := distuv.UnitNormal.Quantile(1-(1-stat.Confidence)/2/math.Max(1, float64(judged))) + distuv.UnitNormal.Quantile(power)
	for i := range out {
		for k := range out[i].Pairs {
			p := &out[i].Pairs[k]
			p.Gain = out[i].Better.gains(&p.Difference)
			if p.Both {
				p.Visible = z * p.sd
			}
		}
	}
	return out
}

// heardAs is a pair under a load.
type heardAs struct {
	load load.Kind
	pair int
}

// quiet tells for which pairs under a load the noise is known on both sides: it is judged then, and not the speeds that make it.
func quiet(rows []SettledRow) map[heardAs]bool {
	out := map[heardAs]bool{}
	for i := range rows {
		for k := range rows[i].Pairs {
			if rows[i].Key == channel.Noise && rows[i].Pairs[k].Both {
				out[heardAs{rows[i].Load, k}] = true
			}
		}
	}
	return out
}

// like reports whether one of two machines' figures can be the better one.
func like(key string, a, b *Under) bool {
	switch {
	case channel.Matches(channel.FanSpeed, key):
		return a.Cooler == b.Cooler
	case key == channel.MeanClock, key == channel.DeliveredVoltage:
		return a.Processor == b.Processor
	}
	return true
}

// figure is one that a row is made of. Clusters of unlike processors are told apart by their names.
type figure struct{ key, label string }

// told lists the figures of a load that any side tells of, in the order of settling.
func told(kind load.Kind, sides []Under) []figure {
	var out []figure
	for _, s := range settling {
		var own []figure
		for i := range sides {
			for _, l := range sides[i].Legs {
				for _, f := range l.Figures {
					if l.Load != kind || f.Settled == nil || !channel.Matches(s.key, f.Key) {
						continue
					}
					one := figure{f.Key, cmp.Or(f.Label, channel.Of(f.Key, 0).Label)}
					if !slices.ContainsFunc(own, one.same) {
						own = append(own, one)
					}
				}
			}
		}
		slices.SortStableFunc(own, func(a, b figure) int { return cmp.Compare(a.key, b.key) })
		out = append(out, own...)
	}
	return out
}

// same reports whether two figures stand in one row.
func (f figure) same(other figure) bool {
	return f.key == other.key && (f.label == other.label || !channel.Matches(channel.ClusterClock, f.key))
}

func settledRow(kind load.Kind, of figure, sides []Under) SettledRow {
	s := settling[slices.IndexFunc(settling, func(s settles) bool { return channel.Matches(s.key, of.key) })]
	def := channel.Of(of.key, 0)
	r := SettledRow{Load: kind, Key: of.key, Label: of.label, Unit: def.Unit, Better: s.better}
	for i := range sides {
		r.Sides = append(r.Sides, level(kind, of, sides[i].Legs))
	}
	r.Pairs = pairs(len(sides), func(i int) bool { return r.Sides[i].Legs > 0 })
	for k, several := range together(r.Pairs) {
		p := &r.Pairs[k]
		if !p.Both {
			continue
		}
		base, other := &r.Sides[p.Base], &r.Sides[p.Other]
		day := days[s.key].of((base.Value + other.Value) / 2)
		p.sd = math.Hypot(math.Hypot(base.SD, other.SD), day*math.Sqrt(1/float64(base.Legs)+1/float64(other.Legs)))
		p.Absolute, p.Half = other.Value-base.Value, p.sd*distuv.UnitNormal.Quantile(1-(1-stat.Confidence)/2/float64(several))
		if p.sd > 0 {
			p.P = 2 * distuv.UnitNormal.Survival(math.Abs(p.Absolute)/p.sd)
		}
		if base.Value != 0 && def.Unit != "°C" && def.Unit != "dB(A)" {
			p.Percent = 100 * p.Absolute / math.Abs(base.Value)
		}
	}
	return r
}

// LevelOf is where a figure settled under a load, by some legs; Legs is 0 where none tells.
func LevelOf(kind load.Kind, key string, legs []Leg) Level {
	return level(kind, figure{key, channel.Of(key, 0).Label}, legs)
}

// level sums up the legs of a load: each counts by how surely it settled, and the doubt of the mean is no less than what the
// legs differ by.
func level(kind load.Kind, of figure, legs []Leg) Level {
	var values, weights []float64
	for i := range legs {
		for _, f := range legs[i].Figures {
			if legs[i].Load == kind && f.Settled != nil && of.same(figure{f.Key, cmp.Or(f.Label, of.label)}) {
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
