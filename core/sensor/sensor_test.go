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

// TestEstimateFindsAnyError: of sensors that are off by any factor or shift the correction brings readings back within their doubt, and
// right ones are left alone, whatever the load line droops.
func TestEstimateFindsAnyError(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 9))
	found, wrong := 0, 0
	for range 2000 {
		s := sensor.Sensor{Scale: 1, Noise: 0.001}
		right := r.IntN(2) == 0
		if !right {
			switch r.IntN(3) {
			case 0:
				s.Scale = []float64{0.5, 2, 1.08, 0.9, 1.5}[r.IntN(5)]
			case 1:
				s.Shift = []float64{-0.08, 0.05, 0.12}[r.IntN(3)]
			default:
				s.Scale, s.Shift = 1.3, -0.1
			}
		}
		const sd = 0.006
		var pairs []sensor.Pair
		for _, v := range []float64{0.66, 0.95 + 0.1*r.Float64(), 1.1 + 0.1*r.Float64(), 1.3} {
			pairs = append(pairs, sensor.Pair{Shown: s.Read(v+sd*r.NormFloat64(), r), Expected: v, SD: sd})
		}
		g, off := sensor.Estimate(pairs)
		switch {
		case right && off:
			wrong++
		case !right && off:
			found++
			for _, v := range []float64{0.7, 1.3} {
				if back := g.Apply(v*s.Scale + s.Shift); math.Abs(back-v) > 0.035 {
					t.Errorf("%+v: %+v brings %.2f V back as %.3f V", s, g, v, back)
				}
			}
		}
	}
	if wrong > 10 || found < 900 {
		t.Errorf("of 2000 sensors %d right ones are doubted, and %d of about 1000 wrong ones found", wrong, found)
	}
	if _, off := sensor.Estimate([]sensor.Pair{{2.2, 1.1, 0.01}, {2.2, 1.1, 0.01}, {2.21, 1.1, 0.01}}); off {
		t.Error("one load tells a factor from a shift")
	}
}
