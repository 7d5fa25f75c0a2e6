package trim_test

import (
	"math/rand/v2"
	"slices"
	"testing"

	"zerokeel/core/part"
	"zerokeel/core/part/parttest"
	"zerokeel/core/trim"
)

// TestBlame: of a course that was changed step by step until one change broke it, that change is among what is blamed, nothing is blamed
// that some trim that held has as well alone, and the set is no larger than the difference from any trim that held.
func TestBlame(t *testing.T) {
	r := rand.New(rand.NewPCG(14, 4))
	set := parttest.Petrel(t)
	for range 300 {
		at, held := trim.Settings{}, []trim.Settings{}
		for range 1 + r.IntN(6) {
			held = append(held, at)
			next := at.With(nil)
			for range 1 + r.IntN(2) {
				next[trim.At("curve.core.*", r.IntN(8))] = part.Number(float64(-1 - r.IntN(20)))
			}
			if r.IntN(3) == 0 {
				next["limit.ppt"] = part.Number(float64(80 + r.IntN(60)))
			}
			at = next
		}
		culprit := trim.At("curve.core.*", r.IntN(8))
		bad := held[r.IntN(len(held))].With(trim.Settings{culprit: part.Number(-30)})
		nearest, keys := trim.Blame(set, bad, held)
		if nearest < 0 || !slices.Contains(keys, culprit) {
			t.Fatalf("%v broke by %s, and %v is blamed", bad, culprit, keys)
		}
		stock := trim.Stock(set.Processor, set.Board)
		for _, h := range held {
			if n := len(trim.Diff(stock.With(h), stock.With(bad))); n < len(keys) {
				t.Fatalf("%d are blamed, and %v differs by %d", len(keys), h, n)
			}
		}
	}
	limits := trim.Settings{"limit.ppt": part.Number(142)}
	bad := limits.With(trim.Settings{"curve.all": part.Number(-20)})
	if nearest, keys := trim.Blame(set, bad, []trim.Settings{{}, limits}); nearest != 1 || !slices.Equal(keys, []string{"curve.all"}) {
		t.Errorf("%v is blamed, against %d", keys, nearest)
	}
	if nearest, keys := trim.Blame(set, bad, nil); nearest != -1 || len(keys) > 0 {
		t.Errorf("nothing held, and %d is the nearest", nearest)
	}
}
