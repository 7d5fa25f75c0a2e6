package channel

import (
	"cmp"
	"slices"

	"zerokeel/core/series"
	"zerokeel/core/stat"
)

// derivation makes one channel of those of several cores: at each moment fold gets the values of the cores that show
// atLeast so much, or of all where none does.
type derivation struct {
	key, from, label string
	atLeast          float64
	fold             func([]float64) float64
}

var derivations = []derivation{
	{MeanClock, EffectiveClock, "Effective clock, cores awake", awakeMHz, average},
	{LowestClock, EffectiveClock, "Effective clock, lowest core awake", awakeMHz, slices.Min[[]float64]},
	{MeanRate, Rate, "Rate, mean of the cores", 0, average},
}

func average(v []float64) float64 { return stat.Summarise(v).Mean }

// Sources lists the patterns of the channels that a derived one is computed from; nil for one that is told.
func Sources(key string) []string {
	if key == AboveAmbient {
		return []string{Temperature, Ambient}
	}
	for _, d := range derivations {
		if d.key == key {
			return []string{d.from}
		}
	}
	return nil
}

// Derived returns the channels that tell of several cores at once, and their samples: mean and lowest effective clock of
// the cores that are awake, and the mean rate of the cores that compute.
func Derived(channels []Channel, samples Samples) ([]Channel, Samples) {
	var list []Channel
	out := Samples{}
	for _, d := range derivations {
		var own [][]series.Sample
		for _, c := range ofCores(channels, d.from) {
			if len(samples[c.Key]) > 0 {
				own = append(own, samples[c.Key])
			}
		}
		if len(own) == 0 {
			continue
		}
		c := Of(d.key, 0)
		c.Label = d.label
		list = append(list, c)
		out[d.key] = series.Across(own, func(values []float64) float64 {
			awake := slices.DeleteFunc(slices.Clone(values), func(v float64) bool { return v < d.atLeast })
			if len(awake) == 0 {
				awake = values
			}
			return d.fold(awake)
		})
	}
	return list, out
}

// Above returns the processor's temperature above ambient, in K: above what was measured last, or, where it was never
// measured, above ambientC.
func Above(buckets map[string][]series.Bucket, ambientC float64) []series.Bucket {
	byTime := func(a, b series.Bucket) int { return cmp.Compare(a.T, b.T) }
	room := slices.Clone(buckets[Ambient])
	slices.SortStableFunc(room, byTime)
	if len(room) > 0 {
		ambientC = room[0].Mean // until the first measurement, nothing better is known
	}
	hot := slices.Clone(buckets[Temperature])
	slices.SortStableFunc(hot, byTime)
	var out []series.Bucket
	for _, b := range hot {
		for len(room) > 0 && room[0].T <= b.T {
			ambientC, room = room[0].Mean, room[1:]
		}
		out = append(out, series.Bucket{T: b.T, Min: b.Min - ambientC, Mean: b.Mean - ambientC, Max: b.Max - ambientC, N: b.N})
	}
	return out
}
