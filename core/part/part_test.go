package part_test

import (
	"encoding/json"
	"errors"
	"os"
	"slices"
	"strings"
	"testing"

	"zerokeel/core/invalid"
	"zerokeel/core/part"
	"zerokeel/core/part/parttest"
)

func example(t testing.TB) []byte {
	t.Helper()
	text, err := os.ReadFile("../../docs/examples/petrel.parts.json")
	if err != nil {
		t.Fatal(err)
	}
	return text
}

// fields parses the example after an edit of its text and returns the faulty fields.
func fields(t *testing.T, old, new string) []string {
	t.Helper()
	text := string(example(t))
	if !strings.Contains(text, old) {
		t.Fatalf("the example holds no %q", old)
	}
	_, err := part.ParseSet([]byte(strings.Replace(text, old, new, 1)))
	var faults invalid.List
	if err != nil && !errors.As(err, &faults) {
		t.Fatalf("%v is no list of faults", err)
	}
	var out []string
	for _, f := range faults {
		if f.Problem == "" || f.Remedy == "" {
			t.Errorf("fault without problem or remedy: %+v", f)
		}
		out = append(out, f.Field)
	}
	return out
}

func TestParseSetNamesEveryFault(t *testing.T) {
	rows := []struct {
		name, old, new string
		want           []string
	}{
		{"good", `"S8"`, `"S8"`, nil},
		{"points out of order", `{"mhz": 2000, "v": 0.74}`, `{"mhz": 700, "v": 0.74}`, []string{"processor.vf[1].mhz"}},
		{"voltage falls", `{"mhz": 4400, "v": 1.045}`, `{"mhz": 4400, "v": 0.9}`, []string{"processor.vf[4].v"}},
		{"millivolts for volts", `{"mhz": 800, "v": 0.65}`, `{"mhz": 800, "v": 650}`, []string{"processor.vf[0].v", "processor.vf[1].v"}},
		{"several at once", `"threadsPerCore": 2`, `"threadsPerCore": 3, "note": "x"`, []string{"processor.note"}},
		{"boost rises with cores", `{"cores": 4, "mhz": 5350}`, `{"cores": 4, "mhz": 5500}`, []string{"processor.boost[1].mhz"}},
		{"boost forgets cores", `{"cores": 8, "mhz": 5250}`, `{"cores": 6, "mhz": 5250}`, []string{"processor.boost"}},
		{"missing load", `"mixed": 0.6, `, ``, []string{"processor.power.activity.mixed"}},
		{"unknown style", `"style": "ceiling"`, `"style": "sail"`, []string{"processor.style"}},
		{"level twice", `{"level": 2, "mOhm"`, `{"level": 1, "mOhm"`, []string{"board.loadLine[1].level"}},
		{"attribute twice", `"VrmPeakA"`, `"VrmSustainedA"`, []string{"board.settings[14].attribute"}},
		{"index forgotten", `"CurveShiftCore{n}"`, `"CurveShiftCore"`, []string{"board.settings[37].attribute"}},
		{"default outside its range", `"max": 300,`, `"max": 100,`, []string{"board.settings[13]"}},
		{"efficiency in percent", `"supply": 0.91`, `"supply": 91`, []string{"board.supply"}},
		{"sensors without a channel, and two on one", `"supply": 0.91`,
			`"sensors": {"voltage.x.in0": {"channel": ""}, "voltage.x.in1": {"channel": "voltage.core"},
				"voltage.x.in2": {"channel": "voltage.core"}}, "supply": 0.91`,
			[]string{"board.sensors[voltage.x.in0].channel", "board.sensors[voltage.x.in2].channel"}},
		{"rated below safe", `"ratedMTs": 6000`, `"ratedMTs": 3000`, []string{"memory.ratedMTs"}},
		{"fan slower at full speed", `"maxRPM": 1900`, `"maxRPM": 100`, []string{"cooler.fan.maxRPM"}},
		{"bad id", `"id": "bluff-240"`, `"id": "Bluff 240"`, []string{"cooler.id"}},
		{"newer format", `zerokeel.parts/1`, `zerokeel.parts/2`, []string{"format"}},
	}
	for _, row := range rows {
		t.Run(row.name, func(t *testing.T) {
			if got := fields(t, row.old, row.new); !slices.Equal(got, row.want) {
				t.Errorf("got %q, want %q", got, row.want)
			}
		})
	}
	if _, err := part.ParseSet([]byte(`{"processor":null}`)); err == nil || strings.Count(err.Error(), "\n") != 3 {
		t.Errorf("four missing sheets: %v", err)
	}
}

func TestSetRoundTrip(t *testing.T) {
	set, err := part.ParseSet(example(t))
	if err != nil {
		t.Fatal(err)
	}
	text, err := part.MarshalSet(set)
	if err != nil {
		t.Fatal(err)
	}
	again, err := part.ParseSet(text)
	if err != nil {
		t.Fatal(err)
	}
	a, _ := json.Marshal(set.Board)
	b, _ := json.Marshal(again.Board)
	if string(a) != string(b) {
		t.Errorf("the board sheet changed:\n%s\n%s", a, b)
	}
}

// TestSharedSheetsAgree: a sheet that stands in several examples is the same in each.
func TestSharedSheetsAgree(t *testing.T) {
	seen := map[string]string{}
	for _, rig := range parttest.Rigs {
		set := parttest.Rig(t, rig)
		for id, sheet := range map[string]any{set.Processor.ID: set.Processor, set.Board.ID: set.Board, set.Cooler.ID: set.Cooler,
			set.Memory.ID: set.Memory} {
			text, err := json.Marshal(sheet)
			if err != nil {
				t.Fatal(err)
			}
			if before, known := seen[id]; known && before != string(text) {
				t.Errorf("%s: sheet %s is another one in an earlier example", rig, id)
			}
			seen[id] = string(text)
		}
	}
	if len(seen) < 15 {
		t.Errorf("only %d sheets", len(seen))
	}
}

func TestLookupAndLevels(t *testing.T) {
	set, err := part.ParseSet(example(t))
	if err != nil {
		t.Fatal(err)
	}
	if s, ok := set.Board.Lookup("curve.core.5"); !ok || s.Attribute != "CurveShiftCore5" || s.Label != "Curve Shift Core 5" {
		t.Errorf("curve.core.5: %+v", s)
	}
	if s, _ := set.Board.Lookup("fan.point.3.temperature"); s.Default != part.Number(78) {
		t.Errorf("the third fan point stands at %v as delivered, want 78", s.Default)
	}
	if _, ok := set.Board.Lookup("curve.band.1"); ok {
		t.Error("a setting was found that the board does not have")
	}
	if set.Board.FlattestFirst() {
		t.Error("level 1 counts as the flattest, but is the droopiest")
	}
	for _, row := range []struct {
		core, cluster int
		active        int
		mhz           float64
	}{{0, 0, 1, 5450}, {7, 0, 2, 5450}, {8, -1, 3, 5350}, {9, -1, 8, 5250}} {
		if got := set.Processor.ClusterOf(row.core); got != row.cluster {
			t.Errorf("cluster of core %d: got %d, want %d", row.core, got, row.cluster)
		}
		if got := set.Processor.CeilingMHz(row.active); got != row.mhz {
			t.Errorf("ceiling of %d cores: got %g, want %g", row.active, got, row.mhz)
		}
	}
}

func FuzzParseSet(f *testing.F) {
	f.Add(example(f))
	f.Add([]byte(`{"processor":{"vf":[{"mhz":1}]}}`))
	f.Fuzz(func(t *testing.T, text []byte) {
		set, err := part.ParseSet(text)
		if err != nil {
			return
		}
		out, err := part.MarshalSet(set)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := part.ParseSet(out); err != nil {
			t.Errorf("accepted, but not what is written of it: %v", err)
		}
	})
}
