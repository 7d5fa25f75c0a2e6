package watch_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"zerokeel/core/watch"
)

// TestWatchFollowsTheFigures: seconds and figures, and what the watch does at each: + raised, - all clear.
func TestWatchFollowsTheFigures(t *testing.T) {
	nan := math.NaN()
	for _, row := range []struct {
		name    string
		rule    watch.Rule
		figures []float64 // one a second
		want    string
	}{
		{"at once", watch.Rule{When: watch.Above, Threshold: 90}, []float64{80, 91, 92, 90, 89}, ".+.-."},
		{"after a delay", watch.Rule{When: watch.Above, Threshold: 90, DelayS: 2}, []float64{91, 91, 91, 89, 89, 89, 89}, "..+..-."},
		{"a spike says nothing", watch.Rule{When: watch.Above, Threshold: 90, DelayS: 2}, []float64{91, 91, 80, 91, 91, 80}, "......"},
		{"all clear with a margin", watch.Rule{When: watch.Above, Threshold: 90, Margin: 5}, []float64{91, 88, 86, 85, 80}, "+..-."},
		{"below", watch.Rule{When: watch.Below, Threshold: 600, Margin: 100}, []float64{900, 500, 650, 700, 800}, ".+.-."},
		{"gaps do not count", watch.Rule{When: watch.Above, Threshold: 90, DelayS: 3}, []float64{91, nan, nan, 91, nan}, "...+."},
	} {
		var s watch.State
		got := ""
		for i, x := range row.figures {
			var changed bool
			s, changed = row.rule.Step(s, int64(1000+1000*i), x)
			switch {
			case !changed:
				got += "."
			case s.Raised:
				got += "+"
			default:
				got += "-"
			}
		}
		if got != row.want {
			t.Errorf("%s: %s, want %s", row.name, got, row.want)
		}
	}
}

// TestWatchNeverFlutters: whatever the figures, two changes are a delay apart, and raised and clear alternate.
func TestWatchNeverFlutters(t *testing.T) {
	r := rand.New(rand.NewPCG(6, 6))
	for range 200 {
		rule := watch.Rule{When: []watch.When{watch.Above, watch.Below}[r.IntN(2)], Threshold: 50, Margin: 10 * r.Float64(),
			DelayS: float64(r.IntN(8))}
		var s watch.State
		last := int64(-1)
		for at := int64(1000); at < 500_000; at += 200 + r.Int64N(2000) {
			before := s
			var changed bool
			s, changed = rule.Step(s, at, 100*r.Float64())
			if changed == (s.Raised == before.Raised) {
				t.Fatal("a change that is none, or none told")
			}
			if changed {
				if last >= 0 && float64(at-last) < rule.DelayS*1000 {
					t.Fatalf("two changes %d ms apart with a delay of %g s", at-last, rule.DelayS)
				}
				last = at
			}
		}
	}
}

func TestBadRulesAreRefused(t *testing.T) {
	good := watch.Rule{Channel: "temperature.package", When: watch.Above, Threshold: 90, DelayS: 5, Message: "too warm"}
	if f := good.Validate(); len(f) > 0 {
		t.Errorf("%v", f)
	}
	bad := watch.Rule{When: "near", Threshold: math.NaN(), Margin: -1, DelayS: 1e9, Message: " "}
	if f := bad.Validate(); len(f) != 6 {
		t.Errorf("%d faults of six: %v", len(f), f)
	}
}
