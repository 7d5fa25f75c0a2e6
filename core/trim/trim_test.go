package trim_test

import (
	"errors"
	"os"
	"slices"
	"strings"
	"testing"

	"zerokeel/core/fault"
	"zerokeel/core/part"
	"zerokeel/core/part/parttest"
	"zerokeel/core/trim"
)

// TestEverySettingReachesItsAttributeAndComesBack walks the whole registry, at the default and at both ends.
func TestEverySettingReachesItsAttributeAndComesBack(t *testing.T) {
	set := parttest.Petrel(t)
	keys := trim.Keys(set.Processor, set.Board)
	if len(keys) != 25 {
		t.Errorf("%d settings, want 25", len(keys))
	}
	seen := map[string]bool{}
	for _, key := range keys {
		def, _, ok := trim.Find(key)
		if !ok || def.Name == "" || def.Meaning == "" {
			t.Errorf("%s is not fully defined: %+v", key, def)
		}
		seen[def.Key] = true
		entry, _ := set.Board.Lookup(key)
		values := []part.Value{entry.Default}
		switch def.Type {
		case trim.TypeNumber:
			values = append(values, part.Number(entry.Min), part.Number(entry.Max))
		case trim.TypeSwitch:
			values = append(values, part.Switch(true), part.Switch(false))
		case trim.TypeChoice:
			for _, c := range def.Choices {
				values = append(values, part.Choice(c))
			}
		}
		for _, v := range values {
			name, raw, err := trim.ToAttribute(set.Board, key, v)
			if err != nil || name != entry.Attribute {
				t.Errorf("%s = %s: %q, %v", key, v, name, err)
				continue
			}
			if back, err := trim.FromAttribute(set.Board, key, raw); err != nil || back != v {
				t.Errorf("%s = %s came back as %s, %v", key, v, back, err)
			}
		}
	}
	for _, def := range trim.Registry {
		if !seen[def.Key] {
			t.Errorf("%s reaches no board", def.Key)
		}
	}
	if _, err := trim.FromAttribute(set.Board, "limit.ppt", "much"); err == nil {
		t.Error("a word was read back as a power limit")
	}
}

func TestDiffIsInWorkOrder(t *testing.T) {
	n := part.Number
	from := trim.Settings{"curve.core.10": n(0), "limit.ppt": n(230), "curve.all": n(0), "gone": n(1)}
	to := trim.Settings{"curve.core.10": n(-3), "curve.core.2": n(-4), "limit.ppt": n(142), "curve.all": n(0)}
	var keys []string
	for _, c := range trim.Diff(from, to) {
		keys = append(keys, c.Key)
	}
	if want := []string{"limit.ppt", "curve.core.2", "curve.core.10", "gone"}; !slices.Equal(keys, want) {
		t.Errorf("got %q, want %q", keys, want)
	}
	if len(trim.Diff(from, from)) != 0 {
		t.Error("a trim differs from itself")
	}
}

func TestParseFileNamesEveryFault(t *testing.T) {
	set := parttest.Petrel(t)
	rows := []struct {
		name, text string
		fields     []string
	}{
		{"good", `{"format":"zerokeel.trim/1","name":"x","for":{"processor":"corvane-s8","board":"skerry-m1"},"settings":{"curve.all":-10}}`, nil},
		{"newer", `{"format":"zerokeel.trim/2","name":"x","for":{"processor":"","board":""},"settings":{}}`, []string{"format"}},
		{"for other parts", `{"format":"zerokeel.trim/1","name":"x","for":{"processor":"meridan-k14","board":"hollin-t2"},"settings":{}}`, []string{"for.processor", "for.board"}},
		{"every setting wrong", `{"format":"zerokeel.trim/1","name":"x","for":{"processor":"","board":""},"settings":{"limit.ppt":9999,"limit.temperatureOn":1,"memory.profile":"fast","curve.core.9":-1,"colour":3,"curve.all":-2.5}}`,
			[]string{"settings.memory.profile", "settings.limit.ppt", "settings.limit.temperatureOn", "settings.curve.all", "settings.curve.core.9", "settings.colour"}},
		{"setting twice", `{"format":"zerokeel.trim/1","name":"x","for":{"processor":"","board":""},"settings":{"curve.all":-1,"curve.all":-2}}`, []string{"settings.curve.all"}},
		{"number past the range", `{"format":"zerokeel.trim/1","name":"x","for":{"processor":"","board":""},"settings":{"curve.all":1e309}}`, []string{"settings.curve.all"}},
		{"unknown field", `{"format":"zerokeel.trim/1","name":"x","author":"y","for":{"processor":"","board":""},"settings":{}}`, []string{"author"}},
	}
	for _, row := range rows {
		t.Run(row.name, func(t *testing.T) {
			_, err := trim.ParseFile([]byte(row.text), set)
			var faults fault.List
			errors.As(err, &faults)
			var got []string
			for _, f := range faults {
				got = append(got, f.Field)
			}
			if !slices.Equal(got, row.fields) {
				t.Errorf("got %q, want %q", got, row.fields)
			}
		})
	}
}

func TestExamplesAreGood(t *testing.T) {
	set := parttest.Petrel(t)
	files, err := os.ReadDir("../../docs/examples")
	if err != nil {
		t.Fatal(err)
	}
	n := 0
	for _, f := range files {
		if !strings.HasSuffix(f.Name(), ".trim.json") {
			continue
		}
		n++
		text, err := os.ReadFile("../../docs/examples/" + f.Name())
		if err != nil {
			t.Fatal(err)
		}
		if _, err := trim.ParseFile(text, set); err != nil {
			t.Errorf("%s: %v", f.Name(), err)
		}
	}
	if n == 0 {
		t.Error("there are no examples")
	}
}

func FuzzParseFile(f *testing.F) {
	set := parttest.Petrel(f)
	f.Add([]byte(`{"format":"zerokeel.trim/1","name":"x","for":{"processor":"","board":""},"settings":{"curve.all":-10,"limit.temperatureOn":true,"memory.profile":"rated"}}`))
	f.Fuzz(func(t *testing.T, text []byte) {
		file, err := trim.ParseFile(text, set)
		if err != nil {
			return
		}
		out, err := trim.MarshalFile(*file)
		if err != nil {
			t.Fatal(err)
		}
		again, err := trim.ParseFile(out, set)
		if err != nil || len(trim.Diff(file.Settings, again.Settings)) > 0 {
			t.Errorf("round trip: %v", err)
		}
	})
}
