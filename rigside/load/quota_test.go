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
			if took := (d.To - d.From).Seconds(); math.Abs(took-want) > 0.05 || d.Work != q.Amount {
				t.Fatalf("turn %d took %.3f s for %g, want %.3f", i, took, d.Work, want)
			}
		}
		if turns && len(took) != places || !turns && len(took) != 1 {
			t.Fatalf("%d turns for %d places, in turns: %v", len(took), places, turns)
		}
	}
}

// TestQuotaIsTheWorkOfItsWindow: what workers of random speeds do in a window is counted as if work flowed evenly, whatever
// rounds straddle its ends, and none of it is missed.
func TestQuotaIsTheWorkOfItsWindow(t *testing.T) {
	r := rand.New(rand.NewPCG(6, 5))
	for range 200 {
		places := 1 + r.IntN(6)
		q := newQuota(Quota{Window: time.Duration(500+r.IntN(3000)) * time.Millisecond, Warm: time.Duration(r.IntN(3000)) * time.Millisecond},
			places)
		want := 0.0
		rate, at := make([]float64, places), make([]time.Duration, places)
		for i := range rate {
			rate[i] = 10 + 90*r.Float64()
			want += rate[i] * q.Window.Seconds()
		}
		for len(q.done) == 0 {
			place := r.IntN(places)
			begun := at[place]
			at[place] += time.Duration(1+r.IntN(400)) * time.Millisecond
			q.add(place, rate[place]*(at[place]-begun).Seconds(), begun, at[place])
		}
		if took := <-q.done; len(took) != 1 || math.Abs(took[0].Work-want) > 1e-6*want || took[0].To-took[0].From != q.Window {
			t.Fatalf("%+v, want %g in %v", took, want, q.Window)
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
