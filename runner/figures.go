package runner

import (
	"cmp"
	"math"
	"slices"
	"strings"

	"zerokeel/core/load"
	"zerokeel/core/series"
	"zerokeel/core/stat"
	"zerokeel/core/verdict"
	"zerokeel/link"
	"zerokeel/store"
)

type samplesByKey = map[string][]series.Sample

// figures sums up a leg: the mean over its steady part and the peak of every channel that belongs to the machine as a
// whole, and the mean and lowest effective clock of its cores. A load that visits one core after the other is steady
// only over all its turns, since each core asks for a voltage of its own.
func figures(kind load.Kind, channels []link.Channel, samples samplesByKey) []store.Figure {
	list := []store.Figure{}
	for _, c := range channels {
		if c.Core >= 0 || c.Quantity == "limiter" {
			continue
		}
		if f, ok := Figure(kind, c, samples[c.Key]); ok {
			list = append(list, f)
		}
	}
	return append(list, clockFigures(kind, channels, samples)...)
}

// Figure sums up a channel over a leg with a kind of load: its mean over the steady part, and its peak.
func Figure(kind load.Kind, c link.Channel, samples []series.Sample) (store.Figure, bool) {
	values := present(samples)
	if len(values) == 0 {
		return store.Figure{}, false
	}
	steady := values
	if !kind.OneCore() {
		steady = values[stat.SteadyFrom(values):]
	}
	return store.Figure{Key: c.Key, Label: c.Label, Unit: c.Unit, Mean: stat.Summarise(steady).Mean, Peak: slices.Max(values)}, true
}

// Keys of the figures that are derived from the cores' clocks. The peak of the lowest core's is its lowest second.
const (
	FigureMeanClock   = "clock.effective.mean"
	FigureLowestClock = "clock.effective.lowest"
)

func clockFigures(kind load.Kind, channels []link.Channel, samples samplesByKey) []store.Figure {
	if kind.OneCore() {
		return turnFigures(channels, samples)
	}
	var means []float64
	for _, c := range channels {
		if c.Core < 0 || !strings.HasPrefix(c.Key, "clock.effective.core.") {
			continue
		}
		if values := present(samples[c.Key]); len(values) > 0 {
			means = append(means, stat.Summarise(values[stat.SteadyFrom(values):]).Mean)
		}
	}
	// Cores that sat out the leg say nothing of its clock.
	busy := means[:0]
	for _, m := range means {
		if m > idleClockMHz {
			busy = append(busy, m)
		}
	}
	if len(busy) == 0 {
		return nil
	}
	s := stat.Summarise(busy)
	return []store.Figure{
		{Key: FigureMeanClock, Label: "Effective clock", Unit: "MHz", Mean: s.Mean, Peak: s.Highest},
		{Key: FigureLowestClock, Label: "Effective clock, lowest core", Unit: "MHz", Mean: s.Lowest, Peak: s.Lowest},
	}
}

// turnFigures sums up the clocks of a load that visits one core after the other: at each moment the core that is awake
// counts, and over the turns the slowest of them.
func turnFigures(channels []link.Channel, samples samplesByKey) []store.Figure {
	var own [][]series.Sample
	lowest := math.Inf(1)
	for _, c := range channels {
		if c.Core < 0 || !strings.HasPrefix(c.Key, "clock.effective.core.") {
			continue
		}
		awake := slices.DeleteFunc(present(samples[c.Key]), func(v float64) bool { return v < idleClockMHz })
		if len(awake) == 0 {
			continue
		}
		own = append(own, samples[c.Key])
		lowest = math.Min(lowest, stat.Summarise(awake).Mean)
	}
	if len(own) == 0 {
		return nil
	}
	s := stat.Summarise(present(series.Across(own, slices.Max[[]float64])))
	return []store.Figure{
		{Key: FigureMeanClock, Label: "Effective clock", Unit: "MHz", Mean: s.Mean, Peak: s.Highest},
		{Key: FigureLowestClock, Label: "Effective clock, lowest core", Unit: "MHz", Mean: lowest, Peak: lowest},
	}
}

// KeyAbove is the key of the channel that holds the processor's temperature above ambient.
const KeyAbove = "temperature.above"

// AboveAmbient returns the processor's temperature above ambient: above what was measured last, or, where it was never
// measured, above what was given.
func AboveAmbient(buckets map[string][]series.Bucket, ambientC float64) []series.Bucket {
	room := slices.Clone(buckets["temperature.ambient"])
	slices.SortStableFunc(room, func(a, b series.Bucket) int { return cmp.Compare(a.T, b.T) })
	if len(room) > 0 {
		ambientC = room[0].Mean // until the first measurement, nothing better is known
	}
	hot := slices.Clone(buckets[keyTemperature])
	slices.SortStableFunc(hot, func(a, b series.Bucket) int { return cmp.Compare(a.T, b.T) })
	var out []series.Bucket
	for _, b := range hot {
		for len(room) > 0 && room[0].T <= b.T {
			ambientC, room = room[0].Mean, room[1:]
		}
		out = append(out, series.Bucket{T: b.T, Min: b.Min - ambientC, Mean: b.Mean - ambientC, Max: b.Max - ambientC, N: b.N})
	}
	return out
}

// DerivedFrom lists the keys of the derived channels, each with the prefix of the channels that it is derived from.
var DerivedFrom = [][2]string{{FigureMeanClock, "clock.effective.core."}, {FigureLowestClock, "clock.effective.core."}, {"rate.mean", "rate.core."},
	{KeyAbove, keyTemperature}, {KeyAbove, "temperature.ambient"}}

// idleClockMHz is below every clock that a loaded core runs at.
const idleClockMHz = 300.0

// Derived returns channels that tell of several cores at once: mean and lowest effective clock of the cores that are
// awake, and the mean rate of the cores that compute.
func Derived(channels []link.Channel, samples samplesByKey) ([]link.Channel, samplesByKey) {
	var list []link.Channel
	out := samplesByKey{}
	add := func(prefix, key, label string, atLeast float64, fold func([]float64) float64) {
		var own [][]series.Sample
		var like link.Channel
		for _, c := range channels {
			if c.Core >= 0 && strings.HasPrefix(c.Key, prefix) && len(samples[c.Key]) > 0 {
				own, like = append(own, samples[c.Key]), c
			}
		}
		if len(own) == 0 {
			return
		}
		like.Key, like.Label, like.Core = key, label, -1
		list = append(list, like)
		out[key] = series.Across(own, func(values []float64) float64 {
			awake := slices.DeleteFunc(slices.Clone(values), func(v float64) bool { return v < atLeast })
			if len(awake) == 0 {
				awake = values
			}
			return fold(awake)
		})
	}
	average := func(v []float64) float64 { return stat.Summarise(v).Mean }
	add("clock.effective.core.", FigureMeanClock, "Effective clock, cores awake", idleClockMHz, average)
	add("clock.effective.core.", FigureLowestClock, "Effective clock, lowest core awake", idleClockMHz, slices.Min[[]float64])
	add("rate.core.", "rate.mean", "Rate, mean of the cores", 0, average)
	return list, out
}

func present(samples []series.Sample) []float64 {
	values := make([]float64, 0, len(samples))
	for _, s := range samples {
		if !math.IsNaN(s.V) {
			values = append(values, s.V)
		}
	}
	return values
}

// progress returns the work counts of a leg's cores, moment by moment.
func progress(l *store.Leg, samples samplesByKey) []verdict.Progress {
	if !l.StartedMS.Valid || len(l.Cores.V) == 0 {
		return nil
	}
	first := samples[store.WorkChannel(l.Cores.V[0])]
	list := make([]verdict.Progress, 0, len(first))
	for i, s := range first {
		p := verdict.Progress{AtS: float64(s.T-l.StartedMS.Int64) / 1000, Count: make([]float64, len(l.Cores.V))}
		for j, core := range l.Cores.V {
			column := samples[store.WorkChannel(core)]
			if i >= len(column) {
				return list
			}
			p.Count[j] = column[i].V
		}
		list = append(list, p)
	}
	return list
}
