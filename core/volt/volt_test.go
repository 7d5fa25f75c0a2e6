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

// TestFeedsAgainstBisection holds the droop of several feeds behind one load line against a slow oracle, with the load
// line outdone by the processor's own (negative resistance) as well.
func TestFeedsAgainstBisection(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 3))
	for range 400 {
		feeds := make([]volt.Feed, 1+r.IntN(3))
		for i := range feeds {
			feeds[i] = volt.Feed{RequestV: 0.7 + 0.7*r.Float64(), Draw: volt.Draw{G: 80 * r.Float64(), L: 10 * r.Float64(), Alpha: 4 * r.Float64(),
				V0: 1.1}}
		}
		ohms := -0.5e-3 + 2e-3*r.Float64()
		droop, amps, err := volt.DeliverAll(feeds, ohms)
		if err != nil {
			t.Fatal(err)
		}
		excess := func(d float64) float64 {
			sum := 0.0
			for _, f := range feeds {
				a, _ := f.Draw.At(f.RequestV - d)
				sum += a
			}
			return d - ohms*sum
		}
		low, high := -0.5, 1.0
		for range 200 {
			if mid := (low + high) / 2; excess(mid) > 0 {
				high = mid
			} else {
				low = mid
			}
		}
		if math.Abs(droop-low) > 1e-4 || math.Abs(droop-ohms*amps) > 1e-6 {
			t.Fatalf("%d feeds, %.2f mΩ: droop %.6f V, bisection %.6f V", len(feeds), 1000*ohms, droop, low)
		}
	}
}

func TestBandsAndCorridorHaveNoJumps(t *testing.T) {
	b := volt.Bands{ColdC: 40, HotC: 80, At: []volt.Band{{MHz: 1000, ColdV: 0.02, HotV: 0.01}, {MHz: 3000, ColdV: -0.05, HotV: -0.03},
		{MHz: 5000, ColdV: 0, HotV: -0.01}}}
	c := volt.Corridor{On: true, Floor: volt.Edge{ColdC: 30, HotC: 80, Cold: 0.8, Hot: 0.7},
		Ceiling: volt.Edge{ColdC: 50, HotC: 70, Cold: 1.3, Hot: 1.2}, Reach: 0.05}
	last, lastHot := b.ColdHot(0)
	for mhz := 10.0; mhz < 6000; mhz += 10 {
		cold, hot := b.ColdHot(mhz)
		if math.Abs(cold-last) > 0.0005 || math.Abs(hot-lastHot) > 0.0005 {
			t.Fatalf("the bands jump at %g MHz", mhz)
		}
		last, lastHot = cold, hot
	}
	before := c.Hold(0.5, 50)
	for v := 0.501; v < 1.6; v += 0.001 {
		held := c.Hold(v, 50)
		if math.Abs(held-v) > c.Reach+1e-12 || held < before-1e-12 || held-before > 0.0021 {
			t.Fatalf("at %.3f V the corridor gives %.4f V after %.4f V", v, held, before)
		}
		before = held
	}
	if floor, ceiling := c.Bounds(55); math.Abs(floor-0.75) > 1e-12 || math.Abs(ceiling-1.275) > 1e-12 {
		t.Errorf("halfway: %.3f to %.3f V", floor, ceiling)
	}
	if v := volt.Adapt(1.3, 5400, 5400, 1.3, 5600, 1.4); v != 1.3 {
		t.Errorf("at the highest fused clock: %.3f V", v)
	}
	if v := volt.Adapt(1.38, 5500, 5400, 1.3, 5600, 1.4); math.Abs(v-1.35) > 1e-12 {
		t.Errorf("halfway above it: %.3f V", v)
	}
}
