package compare_test

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"zerokeel/core/channel"
	"zerokeel/core/compare"
	"zerokeel/core/yardstick"
)

func yard(t testing.TB, id string) yardstick.Yardstick {
	y, ok := yardstick.Of(id)
	if !ok {
		t.Fatalf("there is no yardstick %s", id)
	}
	return y
}

// session is some runs of one sitting, each so much of itself above the mean.
func session(name string, score, watts, hottest, ambient float64, spread ...float64) []compare.Run {
	var out []compare.Run
	for _, d := range spread {
		out = append(out, compare.Run{Session: name, Score: score * (1 + d), Figures: []channel.Figure{
			{Key: channel.PackagePower, Mean: watts * (1 + d)}, {Key: channel.Temperature, Mean: hottest + 10*d, Peak: hottest + 2},
			{Key: channel.Ambient, Mean: ambient}, {Key: channel.StartOfRun, Mean: ambient + 10}}})
	}
	return out
}

// TestTable: each row says what it compares, which way is better, and claims a gain only where the difference is shown.
func TestTable(t *testing.T) {
	base, other := session("1", 20000, 200, 80, 22, -0.002, 0, 0.002), session("2", 21000, 160, 70, 24, -0.002, 0, 0.002)
	want := map[string]struct {
		difference float64
		shown      bool
		gain       bool
	}{
		"score":              {1000, true, true},
		"perWatt":            {21000./160 - 100, true, true},
		channel.PackagePower: {-40, true, true},
		channel.Temperature:  {-10, false, false}, // a run of seconds: heat is not judged
		"temperature.peak":   {-10, false, false},
		channel.AboveAmbient: {-12, false, false},
	}
	burst := yard(t, yardstick.Burst)
	for _, r := range compare.Of(burst, base, other).Rows {
		w, ok := want[r.Key]
		p := r.Pairs[0]
		if !ok || !p.Both || p.Shown != w.shown || p.Gain != w.gain || math.Abs(p.Absolute-w.difference) > 0.01 {
			t.Errorf("%s: %+v, want %+v", r.Key, p.Difference, w)
		}
		if math.IsNaN(p.Percent) != (r.Unit == "°C") {
			t.Errorf("%s: %g %% of %s", r.Key, p.Percent, r.Unit)
		}
		delete(want, r.Key)
	}
	if len(want) > 0 {
		t.Errorf("rows are missing: %v", want)
	}
	for _, r := range compare.Of(burst, other, base).Rows {
		if r.Pairs[0].Gain {
			t.Errorf("%s: worse the other way, and yet a gain", r.Key)
		}
	}
	same := session("2", 20000, 160, 70, 24, -0.002, 0.0005, 0.002)
	for _, r := range compare.Of(burst, base, same).Rows {
		p := r.Pairs[0]
		if p.Shown || p.Gain || p.Judged != (r.Key == "score") {
			t.Errorf("%s: no difference of the score, and yet it is judged %t, shown %t", r.Key, p.Judged, p.Shown)
		}
		if r.Key == "score" && !(p.Visible > p.Half && p.Visible < 0.03*20000) {
			t.Errorf("%g pt would have been seen, the interval is ±%g", p.Visible, p.Half)
		}
	}
	for _, r := range compare.Of(burst, base[:1], other[:1]).Rows {
		if r.Pairs[0].Shown || r.Pairs[0].Gain || !math.IsInf(r.Pairs[0].Visible, 1) {
			t.Errorf("%s: one run a side shows a difference", r.Key)
		}
	}
	if rows := compare.Of(burst, base, nil).Rows; len(rows) == 0 || rows[0].Pairs[0].Both || rows[0].Pairs[0].Shown {
		t.Errorf("one side alone: %+v", rows)
	}
}

// TestSessions: a day's own difference is no gain, however often it was measured that day, but is one where both trims had the
// same days; another look at the same trims needs more; and a spread of zero still has the step of what was read.
func TestSessions(t *testing.T) {
	burst := yard(t, yardstick.Burst)
	spread := []float64{-0.0004, 0, 0.0004, 0.0002, -0.0002}
	of := func(name string, score float64) []compare.Run { return session(name, score, 200, 80, 22, spread...) }
	both := func(name string, a, b float64) (base, other []compare.Run) { return of(name, a), of(name, b) }
	type sides struct{ base, other []compare.Run }
	pair := func(base, other []compare.Run) sides { return sides{base, other} }
	for _, row := range []struct {
		name        string
		of          sides
		sessions    int
		interleaved bool
		shown       bool
	}{
		{"0.8 % between two days", pair(of("1", 20000), of("2", 20160)), 2, false, false},
		{"0.8 % in one session", pair(both("1", 20000, 20160)), 1, true, true},
		{"3 % between two days", pair(of("1", 20000), of("2", 20600)), 2, false, true},
		{"equal", pair(both("1", 20000, 20000)), 1, true, false},
		{"days that differ more than usual", pair(append(of("1", 20000), of("2", 20800)...), append(of("3", 20900), of("4", 21000)...)),
			4, false, false},
	} {
		got := compare.Of(burst, row.of.base, row.of.other)
		if got.Sessions != row.sessions || got.Interleaved != row.interleaved || got.Rows[0].Pairs[0].Shown != row.shown {
			t.Errorf("%s: %d sessions, interleaved %t, %+v", row.name, got.Sessions, got.Interleaved, got.Rows[0].Pairs[0].Difference)
		}
	}
	typed := func(session string, values ...float64) []compare.Run {
		var out []compare.Run
		for _, v := range values {
			out = append(out, compare.Run{Session: session, Score: v})
		}
		return out
	}
	other := yardstick.Yardstick{ID: "render", Name: "Render", Unit: "s", Better: yardstick.Lower}
	for _, row := range []struct {
		b     float64
		shown bool
	}{{88.1, false}, {80, true}} {
		r := compare.Of(other, typed("1", 88, 88, 88), typed("1", row.b, row.b, row.b)).Rows[0]
		if r.Pairs[0].Shown != row.shown || !(r.Pairs[0].Half > 0) {
			t.Errorf("88 s three times against %g s: %+v", row.b, r.Pairs[0].Difference)
		}
	}
}

// TestAlike: runs that began elsewhere, or lay in another part of the boost window, are left out and say so.
func TestAlike(t *testing.T) {
	with := func(list []compare.Run, start, boost float64, at ...int) []compare.Run {
		for _, i := range at {
			list[i].Figures = append(list[i].Figures[:3:3], channel.Figure{Key: channel.StartOfRun, Mean: start},
				channel.Figure{Key: channel.BoostWindow, Mean: boost})
		}
		return list
	}
	three := func(name string) []compare.Run { return session(name, 20000, 200, 80, 22, -0.002, 0, 0.002) }
	all := []int{0, 1, 2}
	for _, row := range []struct {
		name        string
		yardstick   string
		base, other []compare.Run
		left        int
		why         string
	}{
		{"alike", yardstick.Burst, three("1"), three("2"), 0, ""},
		{"one began warm", yardstick.Burst, with(three("1"), 51, 0, 1), three("2"), 1,
			"it began at 29 K above the room, those that count at 10 K above the room"},
		{"one trim began warm", yardstick.Burst, with(three("1"), 51, 0, all...), three("2"), 3, "29 K"},
		{"that does not matter after a warm-up", yardstick.Sustained, with(three("1"), 51, 0, all...), three("2"), 0, ""},
		{"in another part of the boost window", yardstick.Burst, with(with(three("1"), 32, 22, 0, 1), 32, 9, 2), three("2"), 1,
			"its boost window lasted 9 s, of those that count 22 s"},
		{"another trim has another window", yardstick.Burst, with(three("1"), 32, 22, all...), with(three("2"), 32, 9, all...), 0, ""},
	} {
		t.Run(row.name, func(t *testing.T) {
			got := compare.Of(yard(t, row.yardstick), row.base, row.other)
			if len(got.Left) != row.left || row.left > 0 && !strings.Contains(got.Left[0].Left, row.why) {
				t.Errorf("left out: %+v", got.Left)
			}
			if got.Rows[0].Sides[0].N+got.Rows[0].Sides[1].N != 6-row.left {
				t.Errorf("%d and %d runs count", got.Rows[0].Sides[0].N, got.Rows[0].Sides[1].N)
			}
		})
	}
}

// TestMeasures: a yardstick of memory has its score alone, one at rest neither points per watt nor a clock.
func TestMeasures(t *testing.T) {
	some := session("1", 20, 30, 40, 22, 0, 0.01)
	some[0].Figures = append(some[0].Figures, channel.Figure{Key: channel.MeanClock, Mean: 500})
	for id, keys := range map[string]string{
		"memory-latency": "[score]",
		"idle":           "[score temperature.peak temperature.package temperature.above]",
	} {
		var got []string
		for _, r := range compare.Of(yard(t, id), some, some).Rows {
			got = append(got, r.Key)
		}
		if fmt.Sprint(got) != keys {
			t.Errorf("%s: %v, want %s", id, got, keys)
		}
	}
}

func ExampleOf() {
	y, _ := yardstick.Of("single-core")
	evening := func(scores ...float64) (runs []compare.Run) {
		for _, x := range scores {
			runs = append(runs, compare.Run{Session: "evening", Score: x})
		}
		return runs
	}
	t := compare.Of(y, evening(1000.3, 1004.1, 1001.8), evening(1051.2, 1048.4, 1049.9))
	r := t.Rows[0]
	fmt.Printf("%s: %+.1f %%, shown: %t, interleaved: %t\n", r.Label, r.Pairs[0].Percent, r.Pairs[0].Shown, t.Interleaved)
	// Output:
	// Single-core throughput: +4.8 %, shown: true, interleaved: true
}
