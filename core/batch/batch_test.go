package batch_test

import (
	"math/rand/v2"
	"testing"

	"zerokeel/core/batch"
)

// TestFuseHolds: whatever machines of whatever draw begin whenever they may and end at random, at no moment do they draw more than
// the ceiling, and each gets its turn.
func TestFuseHolds(t *testing.T) {
	for seed := range uint64(500) {
		r := rand.New(rand.NewPCG(seed, 8))
		n := 1 + r.IntN(12)
		all, names := make([]batch.Draw, n), make([]string, n)
		for i := range all {
			rests := 20 + 60*r.Float64()
			all[i], names[i] = batch.Draw{Works: rests + 300*r.Float64(), Rests: rests}, "rig"
		}
		ceiling := 200 + 1500*r.Float64()
		if f := batch.Check(ceiling, all, names); len(f) > 0 {
			continue
		}
		going, done := make([]bool, n), make([]bool, n)
		for turns := 0; ; turns++ {
			left := 0
			for i := range all {
				switch {
				case done[i]:
				case going[i] && r.IntN(4) == 0:
					going[i], done[i] = false, true
				case !going[i] && batch.Fits(ceiling, all, going, i):
					going[i] = true
				}
				if !done[i] {
					left++
				}
				drawn := 0.0
				for k, d := range all {
					if going[k] {
						drawn += d.Works
					} else {
						drawn += d.Rests
					}
				}
				if drawn > ceiling {
					t.Fatalf("%d: %.1f W are drawn, %.1f are allowed", seed, drawn, ceiling)
				}
			}
			if left == 0 {
				break
			}
			if turns > 1000 {
				t.Fatalf("%d: %d machines never get their turn", seed, left)
			}
		}
	}
	all := []batch.Draw{{Works: 300, Rests: 50}, {Works: 100, Rests: 40}}
	f := batch.Check(320, all, []string{"Petrel", "Tern 1"})
	if len(f) != 1 || f[0].Field != "mostW" || f[0].Remedy != "give 340 W or more, or leave Petrel out" {
		t.Errorf("%v", f)
	}
	first := []bool{true, false}
	if !batch.Fits(0, all, first, 1) || batch.Fits(390, all, first, 1) || !batch.Fits(400, all, first, 1) {
		t.Error("a ceiling of none, or just below or at what is drawn")
	}
}
