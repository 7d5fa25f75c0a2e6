package compare_test

import (
	"fmt"
	"math"
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

func runs(score, watts, hottest, ambient float64, spread ...float64) []compare.Run {
	var out []compare.Run
	for _, d := range spread {
		out = append(out, compare.Run{Score: score * (1 + d), Figures: []channel.Figure{
			{Key: channel.PackagePower, Mean: watts * (1 + d)}, {Key: channel.Temperature, Mean: hottest + 10*d, Peak: hottest + 2},
			{Key: channel.Ambient, Mean: ambient}}})
	}
	return out
}

// TestTable: each row says what it compares, which way is better, and claims a gain only where the difference is shown.
func TestTable(t *testing.T) {
	base, other := runs(20000, 200, 80, 22, -0.002, 0, 0.002), runs(21000, 160, 70, 24, -0.002, 0, 0.002)
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
	rows := compare.Table(yard(t, "all-core"), base, other)
	for _, r := range rows {
		w, ok := want[r.Key]
		if !ok || !r.Both() || r.Shown != w.shown || r.Gain != w.gain || r.Absolute < w.difference-0.01 || r.Absolute > w.difference+0.01 {
			t.Errorf("%s: %+v, want %+v", r.Key, r.Difference, w)
		}
		if math.IsNaN(r.Percent) != (r.Unit == "°C") {
			t.Errorf("%s: %g %% of %s", r.Key, r.Percent, r.Unit)
		}
		delete(want, r.Key)
	}
	if len(want) > 0 {
		t.Errorf("rows are missing: %v", want)
	}
	for _, r := range compare.Table(yard(t, "all-core"), other, base) {
		if r.Gain {
			t.Errorf("%s: worse the other way, and yet a gain", r.Key)
		}
	}
	same := runs(20000, 160, 70, 24, -0.002, 0.0005, 0.002)
	for _, r := range compare.Table(yard(t, "all-core"), base, same) {
		if r.Shown || r.Gain || r.Judged != (r.Key == "score") {
			t.Errorf("%s: no difference of the score, and yet it is judged %t, shown %t", r.Key, r.Judged, r.Shown)
		}
	}
	for _, r := range compare.Table(yard(t, "all-core"), base[:1], other[:1]) {
		if r.Shown || r.Gain {
			t.Errorf("%s: one run a side shows a difference", r.Key)
		}
	}
	if rows := compare.Table(yard(t, "all-core"), base, nil); len(rows) == 0 || rows[0].Both() || rows[0].Shown {
		t.Errorf("one side alone: %+v", rows)
	}
}

// TestMeasures: a yardstick of memory has its score alone, one at rest neither points per watt nor a clock.
func TestMeasures(t *testing.T) {
	some := runs(20, 30, 40, 22, 0, 0.01)
	some[0].Figures = append(some[0].Figures, channel.Figure{Key: channel.MeanClock, Mean: 500})
	for id, keys := range map[string]string{
		"memory-latency": "[score]",
		"idle":           "[score temperature.peak temperature.package temperature.above]",
	} {
		var got []string
		for _, r := range compare.Table(yard(t, id), some, some) {
			got = append(got, r.Key)
		}
		if fmt.Sprint(got) != keys {
			t.Errorf("%s: %v, want %s", id, got, keys)
		}
	}
}

func ExampleTable() {
	y, _ := yardstick.Of("single-core")
	row := compare.Table(y, []compare.Run{{Score: 1000}, {Score: 1010}}, []compare.Run{{Score: 1100}, {Score: 1112}})[0]
	fmt.Printf("%s: %+.1f %%, shown: %t\n", row.Label, row.Percent, row.Shown)
	// Output:
	// Single-core throughput: +10.0 %, shown: true
}
