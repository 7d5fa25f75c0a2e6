package channel

import (
	"math"
	"slices"

	"zerokeel/core/load"
	"zerokeel/core/series"
	"zerokeel/core/stat"
)

// Figure sums up a channel over a leg: its mean over the steady part, and its peak.
type Figure struct {
	Key   string  `json:"key"`
	Label string  `json:"label"`
	Unit  string  `json:"unit"`
	Mean  float64 `json:"mean"`
	Peak  float64 `json:"peak"`
}

// Samples are the samples of channels by key, each sorted by time.
type Samples = map[string][]series.Sample

// Figures sums up a leg under a kind of load: the figure of every channel that belongs to the machine as a whole, and the
// mean and lowest effective clock of its cores. Categories have shares, not figures.
func Figures(kind load.Kind, channels []Channel, samples Samples) []Figure {
	list := []Figure{}
	for _, c := range channels {
		if c.Core >= 0 || c.Define().Sum != SumMean {
			continue
		}
		if f, ok := c.Figure(kind, samples[c.Key]); ok {
			list = append(list, f)
		}
	}
	return append(list, clockFigures(kind, channels, samples)...)
}

// Figure sums up a channel over a leg with a kind of load; false where it has no value. A load that visits one core after
// the other is steady only over all its turns, since each core asks for a voltage of its own.
func (c Channel) Figure(kind load.Kind, samples []series.Sample) (Figure, bool) {
	values := present(samples)
	if len(values) == 0 {
		return Figure{}, false
	}
	steady := values
	if !kind.OneCore() {
		steady = values[stat.SteadyFrom(values):]
	}
	return Figure{Key: c.Key, Label: c.Label, Unit: c.Unit, Mean: stat.Summarise(steady).Mean, Peak: slices.Max(values)}, true
}

// awakeMHz, in MHz, is below every clock that a loaded core runs at and above what one that sleeps shows on average.
const awakeMHz = 300.0

// clockFigures sums up the effective clocks. The peak of the lowest core's is its lowest second.
func clockFigures(kind load.Kind, channels []Channel, samples Samples) []Figure {
	if kind.OneCore() {
		return turnFigures(channels, samples)
	}
	var means []float64
	for _, c := range ofCores(channels, EffectiveClock) {
		if values := present(samples[c.Key]); len(values) > 0 {
			means = append(means, stat.Summarise(values[stat.SteadyFrom(values):]).Mean)
		}
	}
	// Cores that sat out the leg say nothing of its clock.
	busy := slices.DeleteFunc(means, func(mhz float64) bool { return !(mhz > awakeMHz) })
	if len(busy) == 0 {
		return nil
	}
	s := stat.Summarise(busy)
	return clockPair(s.Mean, s.Highest, s.Lowest)
}

// turnFigures sums up the clocks of a load that visits one core after the other: at each moment the core that is awake
// counts, and over the turns the slowest of them.
func turnFigures(channels []Channel, samples Samples) []Figure {
	var own [][]series.Sample
	lowest := math.Inf(1)
	for _, c := range ofCores(channels, EffectiveClock) {
		awake := slices.DeleteFunc(present(samples[c.Key]), func(v float64) bool { return v < awakeMHz })
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
	return clockPair(s.Mean, s.Highest, lowest)
}

func clockPair(mean, highest, lowest float64) []Figure {
	m, l := Of(MeanClock, 0), Of(LowestClock, 0)
	return []Figure{
		{Key: m.Key, Label: m.Label, Unit: m.Unit, Mean: mean, Peak: highest},
		{Key: l.Key, Label: l.Label, Unit: l.Unit, Mean: lowest, Peak: lowest},
	}
}

// ofCores returns the channels of cores that fit a pattern.
func ofCores(channels []Channel, pattern string) []Channel {
	var out []Channel
	for _, c := range channels {
		if c.Core >= 0 && Matches(pattern, c.Key) {
			out = append(out, c)
		}
	}
	return out
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
