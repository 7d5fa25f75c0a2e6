package ladder_test

import (
	"encoding/json"
	"errors"
	"slices"
	"strings"
	"testing"

	"zerokeel/core/invalid"
	"zerokeel/core/ladder"
	"zerokeel/core/load"
)

// TestDeliveredLaddersAreWhatTheySay: each is valid, fits 6 to 24 cores, and takes about as long as its name says; the
// ones before a machine counts as proven leave no regime out.
func TestDeliveredLaddersAreWhatTheySay(t *testing.T) {
	// How long each takes at least and at most, in minutes, by the number of cores.
	minutes := map[string][2]float64{"quick": {9, 11}, "standard": {150, 240}, "handover": {15 * 60, 20 * 60}, "idle-night": {460, 500},
		"daily-use": {460, 500}}
	list := ladder.Delivered()
	if len(list) != len(minutes) {
		t.Errorf("%d ladders", len(list))
	}
	for id, one := range list {
		for _, cores := range []int{6, 16, 24} {
			running := make([]int, cores)
			for i := range running {
				running[i] = i
			}
			legs, err := one.Legs(running)
			if err != nil {
				t.Fatalf("%s: %v", id, err)
			}
			total := 0.0
			for _, l := range legs {
				total += l.Seconds
				if len(l.Cores) != cores {
					t.Errorf("%s: a leg on the cores %v", id, l.Cores)
				}
			}
			if total != one.Seconds(cores) || total < 60*minutes[id][0] || total > 60*minutes[id][1] {
				t.Errorf("%s takes %.0f min on %d cores, %.0f by its own count", id, total/60, cores, one.Seconds(cores)/60)
			}
		}
		probes, leaves := one.Regimes()
		if len(probes)+len(leaves) != 5 || (id == "standard" || id == "handover") && len(leaves) > 0 {
			t.Errorf("%s probes %v and leaves out %v", id, probes, leaves)
		}
	}
	if _, leaves := (&ladder.Template{Steps: []ladder.Step{{Load: load.Heavy}}}).Regimes(); !slices.Contains(leaves, load.RegimeIdle) {
		t.Error("heavy load alone is said to probe idling")
	}
}

// TestBadTemplatesAreRefused: every fault of each, by its field.
func TestBadTemplatesAreRefused(t *testing.T) {
	for _, row := range []struct{ text, fields string }{
		{`{"name":"x","steps":[]}`, "steps"},
		{`{"name":" ","steps":[{"load":"heavy","seconds":0}]}`, "name steps[0].seconds"},
		{`{"name":"x","steps":[{"load":"heavy","seconds":2}]}`, "steps[0].seconds"},
		{`{"name":"x","steps":[{"load":"warm","seconds":10,"perCoreS":5,"width":"1024"}]}`, "steps[0].load steps[0].seconds steps[0].width"},
		{`{"name":"x","repeat":9999,"steps":[{"load":"heavy","seconds":10}]}`, "repeat steps"},
		{`{"name":"x","repeat":500,"steps":[{"load":"heavy","seconds":10},{"load":"idle","seconds":10}]}`, "steps"},
		{`{"name":"x","steps":[{"load":"heavy","seconds":10,"cores":[0,-1,0],"memoryMB":5}]}`, "steps[0].cores steps[0].cores steps[0].memoryMB"},
		{`{"name":"x","steps":[{"load":"heavy","seconds":10,"targetC":90,"abortC":80}]}`, "steps[0].targetC"},
		{`{"name":"x","steps":[{"load":"heavy","seconds":10,"abortC":400,"colour":"red"}]}`, "steps[0].colour"},
	} {
		_, err := ladder.Parse([]byte(row.text))
		var faults invalid.List
		if !errors.As(err, &faults) {
			t.Errorf("%s: %v", row.text, err)
			continue
		}
		var fields []string
		for _, f := range faults {
			fields = append(fields, f.Field)
		}
		if got := strings.Join(fields, " "); got != row.fields {
			t.Errorf("%s: faults at %q, want %q", row.text, got, row.fields)
		}
	}
	one := ladder.Template{Name: "x", Repeat: 500, Steps: []ladder.Step{{Load: load.Light, PerCoreS: 3600}}}
	if _, err := one.Legs([]int{0, 1}); err == nil {
		t.Error("a thousand hours are taken")
	}
	one = ladder.Template{Name: "x", Steps: []ladder.Step{{Load: load.Light, Seconds: 60, Cores: []int{7}}}}
	if _, err := one.Legs([]int{0, 1}); err == nil {
		t.Error("a core that does not run is taken")
	}
	if _, err := (&ladder.Template{Name: "x", Steps: []ladder.Step{{Load: load.Heavy, Seconds: 60}}}).Legs(nil); err == nil {
		t.Error("no cores are taken")
	}
}

func FuzzParse(f *testing.F) {
	f.Add([]byte(`{"name":"x","repeat":2,"steps":[{"load":"heavy","seconds":10}]}`))
	f.Add([]byte(`{"steps":[{"perCoreS":1e400}]}`))
	f.Fuzz(func(t *testing.T, text []byte) {
		one, err := ladder.Parse(text)
		if err != nil {
			return
		}
		if legs, err := one.Legs([]int{0, 1, 2, 3}); err == nil && (len(legs) == 0 || len(legs) > ladder.MaxLegs) {
			t.Errorf("%s makes %d legs", text, len(legs))
		}
		again, err := json.Marshal(one)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := ladder.Parse(again); err != nil {
			t.Errorf("%s was taken, but not what is written of it: %v", text, err)
		}
	})
}
