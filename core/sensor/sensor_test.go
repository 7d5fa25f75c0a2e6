package sensor_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"zerokeel/core/sensor"
)

// TestDoubtFindsTwiceAndHalf: any load line, any sane voltage and noise says nothing; twice or half of it is noticed, and the
// correction brings it back.
func TestDoubtFindsTwiceAndHalf(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	for range 1000 {
		requested := 0.6 + 0.9*r.Float64()
		shown := requested * (0.85 + 0.2*r.Float64())
		if c, doubted := sensor.Doubt(requested, shown); doubted {
			t.Fatalf("%.3f V of %.3f V: %+v", shown, requested, c)
		}
		for _, by := range []float64{2, 0.5} {
			c, doubted := sensor.Doubt(requested, by*shown)
			if !doubted || math.Abs(c.Apply(by*shown)-shown) > 1e-9 {
				t.Fatalf("%.3f V shown as %.3f V: %+v, %v", shown, by*shown, c, doubted)
			}
		}
	}
	for _, pair := range [][2]float64{{0, 1}, {1, 0}, {math.NaN(), 1}, {1, math.NaN()}} {
		if _, doubted := sensor.Doubt(pair[0], pair[1]); doubted {
			t.Errorf("%v is doubted", pair)
		}
	}
}
