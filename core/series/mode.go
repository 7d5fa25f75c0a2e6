package series

import "math"

// Modes gathers samples of a categorical channel into equal buckets from one time up to, but not including, another. A
// bucket's mean is the category that most of its samples show, of two the one seen first, and N their number: a mean
// of categories would be a category that never was. Buckets without a sample are left out. It panics when count is below
// one or the span is empty.
func Modes(samples []Sample, from, to int64, count int) []Bucket {
	if count < 1 || to <= from {
		panic("series: Modes needs a positive count and span")
	}
	width := float64(to-from) / float64(count)
	var out []Bucket
	seen, place := map[float64]int{}, -1
	for _, s := range samples {
		if s.T < from || s.T >= to || math.IsNaN(s.V) {
			continue
		}
		if at := min(int(float64(s.T-from)/width), count-1); len(out) == 0 || at != place {
			place = at
			clear(seen)
			out = append(out, Bucket{T: from + int64(float64(at)*width)})
		}
		b := &out[len(out)-1]
		seen[s.V]++
		if seen[s.V] > b.N {
			b.Min, b.Mean, b.Max, b.N = s.V, s.V, s.V, seen[s.V]
		}
	}
	return out
}
