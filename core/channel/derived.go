package channel

import (
	"cmp"
	"math"
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
	{HighestClock, EffectiveClock, "Effective clock, highest core", awakeMHz, slices.Max[[]float64]},
	{MeanRate, Rate, "Rate, mean of the cores", 0, average},
}

func average(v []float64) float64 { return stat.Summarise(v).Mean }

// Cluster is a group of cores whose figures are told together, under a name such as "P-cores".
type Cluster struct {
	Name  string
	Cores []int
}

// Sources lists the patterns of the channels that a derived one is computed from; nil for one that is told.
func Sources(key string) []string {
	if key == AboveAmbient {
		return []string{Temperature, Ambient}
	}
	if Matches(ClusterClock, key) || key == ClusterClock {
		return []string{EffectiveClock}
	}
	if Matches(AloneVoltage, key) || key == AloneVoltage {
		return []string{RequestedVoltage, EffectiveClock}
	}
	for _, d := range derivations {
		if d.key == key {
			return []string{d.from}
		}
	}
	return nil
}

// Derived returns the channels that tell of several cores at once, and their samples: mean, lowest and highest effective clock of
// the cores that are awake, the mean of each of several clusters, and the mean rate of the cores that compute.
func Derived(channels []Channel, samples Samples, clusters []Cluster) ([]Channel, Samples) {
	var list []Channel
	out := Samples{}
	add := func(c Channel, d derivation, mine func(core int) bool) {
		var own [][]series.Sample
		for _, one := range ofCores(channels, d.from) {
			if len(samples[one.Key]) > 0 && mine(one.Core) {
				own = append(own, samples[one.Key])
			}
		}
		if len(own) > 0 {
			list = append(list, c)
			out[c.Key] = series.Across(own, d.awake)
		}
	}
	for _, d := range derivations {
		c := Of(d.key, 0)
		c.Label = d.label
		add(c, d, func(int) bool { return true })
	}
	for i, cluster := range clusters {
		add(clusterClock(i, cluster), derivation{from: EffectiveClock, atLeast: awakeMHz, fold: average},
			func(core int) bool { return slices.Contains(cluster.Cores, core) })
	}
	return list, out
}

func clusterClock(i int, of Cluster) Channel {
	c := Of(At(ClusterClock, i), 0)
	c.Label = "Effective clock, " + of.Name
	return c
}

// awake folds the values of the cores that are awake, of all where none is; a cluster that sleeps has no value.
func (d *derivation) awake(values []float64) float64 {
	awake := slices.DeleteFunc(slices.Clone(values), func(v float64) bool { return v < d.atLeast })
	switch {
	case len(awake) > 0:
		return d.fold(awake)
	case d.key == "":
		return math.NaN()
	}
	return d.fold(values)
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
