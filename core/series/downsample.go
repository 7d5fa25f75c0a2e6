package series

import "math"

// Bucket sums up the samples of one span of time.
type Bucket struct {
	T              int64 // start, ms
	Min, Mean, Max float64
	N              int
}

// Downsample gathers samples into equal buckets from one time up to, but not including, another. Buckets without
// a sample are left out, and gaps do not count. It panics when count is below one or the span is empty.
func Downsample(samples []Sample, from, to int64, count int) []Bucket {
	if count < 1 || to <= from {
		panic("series: Downsample needs a positive count and span")
	}
	width := float64(to-from) / float64(count)
	var out []Bucket
	place := -1
	for _, s := range samples {
		if s.T < from || s.T >= to || math.IsNaN(s.V) {
			continue
		}
		at := min(int(float64(s.T-from)/width), count-1)
		if len(out) == 0 || at != place {
			place = at
			out = append(out, Bucket{T: from + int64(float64(at)*width), Min: s.V, Max: s.V})
		}
		out[len(out)-1].take(s.V, s.V, s.V, 1)
	}
	return out
}
