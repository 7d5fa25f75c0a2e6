package load

import (
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"zerokeel/core/load"
	"zerokeel/core/yardstick"
)

// TestQuotaIsTheTimeOfItsWork: workers of random speeds, whose rounds straddle the end of the warm-up and of the amount,
// are timed as if work flowed evenly.
func TestQuotaIsTheTimeOfItsWork(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 5))
	for range 200 {
		places := 1 + r.IntN(6)
		turns := r.IntN(2) == 0
		rate := make([]float64, places) // work per second
		at := make([]time.Duration, places)
		total := 0.0
		for i := range rate {
			rate[i] = 10 + 90*r.Float64()
			total += rate[i]
		}
		q := newQuota(Quota{Amount: 500, Warm: time.Duration(r.IntN(3000)) * time.Millisecond, Turns: turns}, places)
		turn := 0
		for len(q.done) == 0 {
			place := turn
			if !turns {
				for i := range at { // the one that is furthest behind
					if at[i] < at[place%places] || place >= places {
						place = i
					}
				}
			}
			round := time.Duration(1+r.IntN(40)) * time.Millisecond
			begun := at[place]
			at[place] += round
			turn = q.add(place, rate[place]*round.Seconds(), begun, at[place])
			if turns && turn != place { // the next one begins where this one ended
				at[turn] = at[place]
			}
			if !turns {
				turn = 0
			}
		}
		took := <-q.done
		for i, d := range took {
			want := q.Amount / total
			if turns {
				want = q.Amount / rate[i]
			}
			// Together, the last one's round hides at most what the others did in theirs.
			if math.Abs(d.Seconds()-want) > 0.05 {
				t.Fatalf("turn %d of %d took %.3f s, want %.3f", i, len(took), d.Seconds(), want)
			}
		}
		if turns && len(took) != places || !turns && len(took) != 1 {
			t.Fatalf("%d turns for %d places, in turns: %v", len(took), places, turns)
		}
	}
}

// TestYardsticksOfMemoryCheckWhatTheyRead: right as long as nobody disturbs them, and wrong soon after a bit is flipped.
func TestYardsticksOfMemoryCheckWhatTheyRead(t *testing.T) {
	for _, measure := range []yardstick.Measure{yardstick.Rate, yardstick.Each} {
		one, err := newTask(load.Memory, setting{memoryBytes: 4 << 20, measure: measure, seed: 6})
		if err != nil {
			t.Fatal(err)
		}
		defer closeTask(one)
		for i := range 200 {
			if n, right := one.round(nil); !right || n <= 0 {
				t.Fatalf("%s: round %d: right %v after %g", measure, i, right, n)
			}
		}
		for i := range 40 {
			d := &disturbance{random: rand.New(rand.NewPCG(uint64(i), 2))}
			if measure == yardstick.Rate {
				if _, right := one.round(d); right {
					t.Errorf("%s: flip %d was missed", measure, i)
				}
				if one, err = newTask(load.Memory, setting{memoryBytes: 1 << 20, measure: measure}); err != nil {
					t.Fatal(err)
				}
				defer closeTask(one)
				continue
			}
			_, right := one.round(d)
			for range 20 {
				if !right {
					break
				}
				_, right = one.round(nil)
			}
			if right {
				t.Errorf("%s: flip %d was missed", measure, i)
			}
			if one, err = newTask(load.Memory, setting{memoryBytes: 1 << 20, measure: measure, seed: uint64(i)}); err != nil {
				t.Fatal(err)
			}
			defer closeTask(one)
		}
	}
}

func TestWaitsTellHowLateTheyWere(t *testing.T) {
	late, err := Waits(t.Context(), []int{0}, time.Millisecond, 20)
	if err != nil || len(late) != 20 {
		t.Fatalf("%d waits, %v", len(late), err)
	}
	for _, s := range late {
		if s < 0 || s > 30 {
			t.Errorf("one was %g s late", s)
		}
	}
}
