package yardstick_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"zerokeel/core/yardstick"
)

// TestScoresFollowFromTime: the score of a time is the time of the score, and more speed is always better.
func TestScoresFollowFromTime(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 3))
	ids := map[string]bool{}
	for _, y := range yardstick.List() {
		if got, ok := yardstick.Of(y.ID); !ok || got.Name != y.Name || ids[y.ID] || !y.Load.Valid() || y.Unit == "" || y.Runs < 2 {
			t.Errorf("%s: %+v", y.ID, got)
		}
		ids[y.ID] = true
		if y.Measure == yardstick.Waits || y.Measure == yardstick.Rest {
			continue
		}
		if (y.Work > 0) == (y.WindowS > 0) || y.WarmS+y.WindowS > yardstick.MostS {
			t.Errorf("%s: of work and window one is given, and it ends: %+v", y.ID, y)
		}
		for range 50 {
			cores, seconds := 1+r.IntN(32), 0.5+100*r.Float64()
			amount := y.Amount(cores)
			if y.WindowS > 0 {
				amount = 1e13 * r.Float64()
			}
			score := y.Score(amount, seconds)
			if back := y.Seconds(amount, score); math.Abs(back-seconds) > 1e-9*seconds {
				t.Errorf("%s: %g s make %g %s, and those %g s", y.ID, seconds, score, y.Unit, back)
			}
			if faster := y.Score(amount, seconds/2); (faster > score) != (y.Better == yardstick.Higher) {
				t.Errorf("%s: half the time makes %g of %g %s, where %s is better", y.ID, faster, score, y.Unit, y.Better)
			}
		}
	}
	if _, ok := yardstick.Of("none"); ok {
		t.Error("a yardstick that does not exist is found")
	}
	y, _ := yardstick.Of("response")
	late := make([]float64, 1000)
	for i := range late {
		late[i] = float64(999-i) / 1000
	}
	if got := y.Late(late); got != 990 {
		t.Errorf("the 99th of a hundred is %g ms late", got)
	}
	if got := y.Late([]float64{0.5}); got != 500 {
		t.Errorf("one wait counts as %g ms", got)
	}
}
