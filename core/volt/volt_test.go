package volt_test

import (
	"errors"
	"math"
	"math/rand/v2"
	"testing"

	"zerokeel/core/part"
	"zerokeel/core/volt"
)

func TestCurveIsMonotoneAndMeetsItsPoints(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 1))
	for range 200 {
		points := make([]part.VFPoint, 3+r.IntN(8))
		mhz, v := 500+500*r.Float64(), 0.5+0.3*r.Float64()
		for i := range points {
			points[i] = part.VFPoint{MHz: mhz, V: v}
			mhz += 50 + 800*r.Float64()
			v += 0.15 * r.Float64() * float64(r.IntN(3))
		}
		c, err := volt.NewCurve(points)
		if err != nil {
			t.Fatal(err)
		}
		for _, p := range points {
			if got := c.At(p.MHz); math.Abs(got-p.V) > 1e-12 {
				t.Fatalf("at %.0f MHz: got %.6f, want %.6f", p.MHz, got, p.V)
			}
		}
		last := c.At(0)
		for f := 10.0; f < mhz+1000; f += 10 {
			now := c.At(f)
			if now < last-1e-12 {
				t.Fatalf("the curve falls at %.0f MHz", f)
			}
			last = now
		}
	}
}

func TestNewCurveRefuses(t *testing.T) {
	rows := map[string][]part.VFPoint{
		"two points":    {{MHz: 1, V: 1}, {MHz: 2, V: 1}},
		"clock repeats": {{MHz: 1, V: 1}, {MHz: 1, V: 1}, {MHz: 2, V: 1}},
		"voltage falls": {{MHz: 1, V: 1}, {MHz: 2, V: 0.9}, {MHz: 3, V: 1}},
		"not a number":  {{MHz: 1, V: 1}, {MHz: 2, V: math.NaN()}, {MHz: 3, V: 1}},
	}
	for name, points := range rows {
		if _, err := volt.NewCurve(points); err == nil {
			t.Errorf("%s: no error", name)
		}
	}
}

// TestDeliverAgainstBisection holds Newton's method against a slow oracle.
func TestDeliverAgainstBisection(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 3))
	for range 500 {
		d := volt.Draw{G: 150 * r.Float64(), L: 20 * r.Float64(), Alpha: 4 * r.Float64(), V0: 1.1}
		request, ohms := 0.6+0.9*r.Float64(), 2e-3*r.Float64()
		got, amps, err := volt.Deliver(request, ohms, d)
		if err != nil {
			t.Fatal(err)
		}
		low, high := 0.0, request
		for range 200 {
			mid := (low + high) / 2
			if i, _ := d.At(mid); mid > request-ohms*i {
				high = mid
			} else {
				low = mid
			}
		}
		if math.Abs(got-low) > 1e-5 || math.Abs(request-ohms*amps-got) > 1e-5 {
			t.Fatalf("request %.3f V, %.2f mΩ: got %.6f V, bisection %.6f V", request, 1000*ohms, got, low)
		}
	}
	if _, _, err := volt.Deliver(0.3, 50e-3, volt.Draw{G: 900, L: 30, Alpha: 3, V0: 1}); !errors.Is(err, volt.ErrCollapse) {
		t.Errorf("a load line that eats the voltage: got %v, want ErrCollapse", err)
	}
}

// TestLoadLineHasABestLevel: over the levels of a board, the lowest transient voltage is best in between, neither at
// the droopiest nor at the flattest level.
func TestLoadLineHasABestLevel(t *testing.T) {
	ohms := []float64{0.65e-3, 0.45e-3, 0.28e-3, 0.20e-3, 0.12e-3, 0.05e-3}
	step := []float64{0.20e-3, 0.25e-3, 0.34e-3, 0.42e-3, 0.55e-3, 0.75e-3}
	best, at := 0.0, -1
	for i := range ohms {
		dip, over := volt.Transient(1.25, ohms[i], step[i], 10, 150)
		if dip >= 1.25 || over <= dip {
			t.Errorf("level %d: dip %.3f V, overshoot %.3f V", i, dip, over)
		}
		if dip > best {
			best, at = dip, i
		}
	}
	if at == 0 || at == len(ohms)-1 {
		t.Errorf("the best level is %d, an end", at)
	}
}
