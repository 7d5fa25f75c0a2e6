package series

import "math"

// Across folds channels that were sampled together into one: at each moment fold gets the values that the channels
// have then, gaps left out. Moments without a value are gaps. Channels of other lengths than the first are left out.
func Across(channels [][]Sample, fold func(values []float64) float64) []Sample {
	if len(channels) == 0 {
		return nil
	}
	out := make([]Sample, len(channels[0]))
	values := make([]float64, 0, len(channels))
	for i, first := range channels[0] {
		values = values[:0]
		for _, c := range channels {
			if len(c) == len(out) && !math.IsNaN(c[i].V) {
				values = append(values, c[i].V)
			}
		}
		out[i] = Sample{T: first.T, V: math.NaN()}
		if len(values) > 0 {
			out[i].V = fold(values)
		}
	}
	return out
}
