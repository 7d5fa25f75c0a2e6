package workshop

import (
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"zerokeel/core/channel"
	"zerokeel/core/compare"
	"zerokeel/core/load"
	"zerokeel/core/trim"
	"zerokeel/store"
)

// warmed is a leg under heavy load that settled so far above its room.
func warmed(kind load.Kind, kelvin, sd float64) compare.Leg {
	return compare.Leg{Load: kind, Figures: []channel.Figure{{Key: channel.AboveAmbient, Label: "Hottest core above ambient", Mean: kelvin,
		Settled: &channel.Settled{Value: kelvin, SD: sd}}}}
}

// TestWarmerThanItWas: a machine whose days differ by a kelvin or so is hardly ever said to be warmer than it was, one whose cooler gave
// way by 8 K nearly always, and other loads say nothing of it.
func TestWarmerThanItWas(t *testing.T) {
	r := rand.New(rand.NewPCG(14, 5))
	said := func(more float64) (n int) {
		for range 1000 {
			var legs []compare.Leg
			for range 1 + r.IntN(3) {
				legs = append(legs, warmed(load.Heavy, 50+0.7*r.NormFloat64()+0.5*r.NormFloat64(), 0.5), warmed(load.Idle, 10, 0.2))
			}
			legs = append(legs, warmed(load.Heavy, 50+more+0.7*r.NormFloat64()+0.5*r.NormFloat64(), 0.5))
			if words := warmer(legs); words != "" {
				n++
				if !strings.HasSuffix(words, "K warmer than it was") {
					t.Fatal(words)
				}
			}
		}
		return n
	}
	if same, cooler, given := said(0), said(-8), said(8); same > 10 || cooler > 0 || given < 950 {
		t.Errorf("of 1000 each: %d as they were, %d cooler and %d that gave way are said to be warmer", same, cooler, given)
	}
	if words := warmer([]compare.Leg{warmed(load.Idle, 10, 0.1), warmed(load.Idle, 30, 0.1), warmed(load.Heavy, 60, 0.1)}); words != "" {
		t.Errorf("one heavy leg, and %s", words)
	}
}

// TestReadingsAreDraws: what was typed of a meter counts for a load by its mean, more surely the more legs it was read in; what settles by
// itself is none of these.
func TestReadingsAreDraws(t *testing.T) {
	read := func(watts float64) compare.Leg {
		return compare.Leg{Load: load.Heavy, Figures: []channel.Figure{{Key: channel.WallPower, Mean: watts}}}
	}
	settled := read(900)
	settled.Figures[0].Settled = &channel.Settled{Value: 900}
	one, two := readOf(load.Heavy, []compare.Leg{read(200)}), readOf(load.Heavy, []compare.Leg{read(200), settled, read(220)})
	if one.Legs != 1 || one.Value != 200 || two.Legs != 2 || two.Value != 210 || !(two.SD < one.SD) || !(two.SD > 0) {
		t.Errorf("read once: %+v; twice: %+v", one, two)
	}
	if none := readOf(load.Idle, []compare.Leg{read(200)}); none.Legs != 0 {
		t.Errorf("nothing was read at rest: %+v", none)
	}
}

// TestReasonsGoBackAlongTheCourse: a setting has the reason of the trim that changed it last on the way to the one that is handed over, not
// that of a branch, nor of a trim that changed something else.
func TestReasonsGoBackAlongTheCourse(t *testing.T) {
	made := func(id, parent int64, reason string, keys ...string) Trim {
		one := Trim{Trim: store.Trim{ID: id, Reason: reason}}
		one.ParentID.Int64, one.ParentID.Valid = parent, parent != 0
		for _, key := range keys {
			one.Changes = append(one.Changes, trim.Change{Key: key})
		}
		return one
	}
	course := []Trim{made(1, 0, ""), made(2, 1, "first", "limit.ppt", "curve.all"), made(3, 2, "branch", "limit.ppt"),
		made(4, 2, "again", "curve.all"), made(5, 4, "fans", "fan.start")}
	for key, want := range map[string]string{"limit.ppt": "first", "curve.all": "again", "fan.start": "fans", "memory.rate": ""} {
		if got := why(course, &course[4], key); got != want {
			t.Errorf("%s was changed because %q, want %q", key, got, want)
		}
	}
	if low, high := lower(math.NaN(), 23), -lower(-math.NaN(), -23.0); low != 23 || high != 23 {
		t.Errorf("one room, from %g to %g", low, high)
	}
	if got := lower(21, math.NaN()); got != 21 {
		t.Errorf("a room that was not measured makes it %g", got)
	}
}
