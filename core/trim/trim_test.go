package trim_test

import (
	"errors"
	"fmt"
	"io/fs"
	"math"
	"slices"
	"strings"
	"testing"

	"zerokeel/core/invalid"
	"zerokeel/core/part"
	"zerokeel/core/part/parttest"
	"zerokeel/core/trim"
	"zerokeel/docs/examples"
)

// TestEverySettingReachesItsAttributeAndComesBack walks the whole registry on the boards of every demo rig, at the
// default, at both ends, and at every position and word.
func TestEverySettingReachesItsAttributeAndComesBack(t *testing.T) {
	seen := map[string]bool{}
	for _, rig := range parttest.Rigs {
		set := parttest.Rig(t, rig)
		if faults := trim.Check(set.Processor, set.Board, trim.Stock(set.Processor, set.Board)); len(faults) > 0 {
			t.Errorf("%s does not take its own defaults: %v", set.Board.Name, faults)
		}
		for _, key := range trim.Keys(set.Processor, set.Board) {
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
			}
			for _, c := range trim.Choices(def, entry) {
				values = append(values, part.Choice(c))
			}
			for _, v := range values {
				attributes, err := trim.ToAttributes(set.Board, key, v)
				if _, reached := attributes[entry.Attribute]; err != nil || !reached {
					t.Errorf("%s: %s = %s: %v, %v", rig, key, v, attributes, err)
					continue
				}
				if back, err := trim.FromAttributes(set.Board, key, attributes); err != nil || back != v {
					t.Errorf("%s: %s = %s came back as %s, %v", rig, key, v, back, err)
				}
			}
		}
	}
	for _, def := range trim.Registry {
		if !seen[def.Key] && !def.Recorded && !def.Running {
			t.Errorf("%s reaches no board", def.Key)
		}
	}
	if _, err := trim.FromAttributes(parttest.Petrel(t).Board, "limit.ppt", map[string]any{"PkgPowerCapmW": "much"}); err == nil {
		t.Error("a word was read back as a power limit")
	}
}

// TestSecondMenuWins: on a board with two menus for one thing, what stands in the second counts, and a trim that is
// spelt for the board switches the second off.
func TestSecondMenuWins(t *testing.T) {
	board := parttest.Rig(t, "skua").Board
	attributes, err := trim.ToAttributes(board, "voltage.core.offset", part.Number(-50))
	if err != nil || len(attributes) != 2 {
		t.Fatalf("%v, %v", attributes, err)
	}
	attributes["PwrVcOffset"] = 30
	if v, err := trim.FromAttributes(board, "voltage.core.offset", attributes); err != nil || v != part.Number(30) {
		t.Errorf("got %s, %v; want what the second menu holds", v, err)
	}
}

// TestRegistryIsSound: keys are single, conditions name settings that exist and values they can have.
func TestRegistryIsSound(t *testing.T) {
	seen := map[string]bool{}
	for _, def := range trim.Registry {
		if seen[def.Key] {
			t.Errorf("%s stands twice", def.Key)
		}
		seen[def.Key] = true
		if (def.Scope == part.ScopeRig) == strings.Contains(def.Key, "*") {
			t.Errorf("%s: its scope is %s", def.Key, def.Scope)
		}
		if !slices.Contains(trim.Groups, def.Group) || (def.Type == trim.TypeNumber) != (def.Unit != "" || def.Key == "loadline.level") {
			t.Errorf("%s: group %q, type %s, unit %q", def.Key, def.Group, def.Type, def.Unit)
		}
		for _, w := range slices.Concat(def.Only, def.Unless) {
			other, _, ok := trim.Find(w.Key)
			_, isSwitch := w.Is.Switch()
			if !ok || (isSwitch && other.Type != trim.TypeSwitch) || (!isSwitch && !slices.Contains(other.Choices, w.Is.String())) {
				t.Errorf("%s: its condition %s = %s cannot be", def.Key, w.Key, w.Is)
			}
		}
	}
}

func TestInertTellsWhy(t *testing.T) {
	skua, tern := parttest.Rig(t, "skua"), parttest.Rig(t, "tern")
	fixed := trim.Settings{"voltage.core.mode": part.Choice(trim.Fixed), "limit.beyondSpec": part.Switch(false)}
	for _, row := range []struct {
		set      *part.Set
		settings trim.Settings
		key      string
		want     string // part of the reason, "" for none
	}{
		{skua, fixed, "voltage.core.fixed", ""},
		{skua, fixed, "voltage.core.target", "only while"},
		{skua, fixed, "voltage.core.offset", "nothing while"},
		{skua, fixed, "limit.pl1", ""},
		{skua, nil, "limit.pl1", "nothing while Board limits beyond the maker's is on"},
		{skua, nil, "clock.ratio.p", ""},
		{tern, nil, "clock.ratio.all", "locked"},
		{tern, nil, "voltage.core.offset", ""},
	} {
		got := trim.Inert(row.set, row.settings, row.key)
		if (row.want == "") != (got == "") || !strings.Contains(got, row.want) {
			t.Errorf("%s: got %q, want %q", row.key, got, row.want)
		}
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
		{"good", `{"format":"zerokeel.trim/1","name":"x","for":{"processor":"corvane-s8","board":"skerry-m1"},"settings":{"curve.all":-10}}`,
			nil},
		{"newer", `{"format":"zerokeel.trim/2","name":"x","for":{"processor":"","board":""},"settings":{}}`, []string{"format"}},
		{"for other parts", `{"format":"zerokeel.trim/1","name":"x","for":{"processor":"meridan-k14","board":"hollin-t2"},"settings":{}}`,
			[]string{"for.processor", "for.board"}},
		{"every setting wrong", `{"format":"zerokeel.trim/1","name":"x","for":{"processor":"","board":""},"settings":{"limit.ppt":9999,
			"limit.temperatureOn":1,"memory.profile":"fast","curve.core.9":-1,"colour":3,"curve.all":-2.5}}`,
			[]string{"settings.memory.profile", "settings.limit.ppt", "settings.limit.temperatureOn", "settings.curve.all",
				"settings.curve.core.9", "settings.colour"}},
		{"setting twice", `{"format":"zerokeel.trim/1","name":"x","for":{"processor":"","board":""},"settings":{"curve.all":-1,
			"curve.all":-2}}`, []string{"settings.curve.all"}},
		{"number past the range", `{"format":"zerokeel.trim/1","name":"x","for":{"processor":"","board":""},"settings":{"curve.all":1e309}}`,
			[]string{"settings.curve.all"}},
		{"name too long", `{"format":"zerokeel.trim/1","name":"` + strings.Repeat("x", 81) +
			`","for":{"processor":"","board":""},"settings":{"curve.all":-1}}`, []string{"name"}},
		{"unknown field", `{"format":"zerokeel.trim/1","name":"x","author":"y","for":{"processor":"","board":""},"settings":{}}`,
			[]string{"author"}},
	}
	for _, row := range rows {
		t.Run(row.name, func(t *testing.T) {
			_, err := trim.ParseFile([]byte(row.text), set)
			var faults invalid.List
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

// TestExamplesAreGood reads every trim of the documentation with the parts it is for.
func TestExamplesAreGood(t *testing.T) {
	files, err := fs.Glob(examples.Files, "*.trim.json")
	if err != nil || len(files) == 0 {
		t.Fatalf("%d examples, %v", len(files), err)
	}
	for _, name := range files {
		text, err := examples.Files.ReadFile(name)
		if err != nil {
			t.Fatal(err)
		}
		fits := 0
		for _, rig := range parttest.Rigs {
			if _, err := trim.ParseFile(text, parttest.Rig(t, rig)); err == nil {
				fits++
			}
		}
		if fits != 1 {
			t.Errorf("%s fits %d rigs, want the one it is for", name, fits)
		}
	}
}

func FuzzParseFile(f *testing.F) {
	set := parttest.Petrel(f)
	f.Add([]byte(`{"format":"zerokeel.trim/1","name":"x","for":{"processor":"","board":""},"settings":{"curve.all":-10,
		"limit.temperatureOn":true,"memory.profile":"rated"}}`))
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

// TestFingerprintsTellSettingsApart: what is kept of settings is found by their fingerprint.
func TestFingerprintsTellSettingsApart(t *testing.T) {
	apart := []trim.Settings{
		{}, {"a": part.Number(1)}, {"a": part.Number(-1)}, {"a": part.Number(1 + 1e-15)}, {"a": part.Choice("1")}, {"a": part.Switch(true)},
		{"a": part.Choice("true")}, {"b": part.Number(1)}, {"a": part.Choice(`1";b="2`)}, {"a": part.Choice("1"), "b": part.Choice("2")},
		{"a": part.Choice("1;b=2")}, {"a": part.Number(1), "b": part.Number(2)}, {"a": part.Number(12)},
	}
	for i, a := range apart {
		for j, b := range apart {
			if same := a.Fingerprint() == b.Fingerprint(); same != (i == j) {
				t.Errorf("%v and %v have the fingerprints %q and %q", a, b, a.Fingerprint(), b.Fingerprint())
			}
		}
	}
	if a, b := (trim.Settings{"a": part.Number(1), "b": {}}), (trim.Settings{"a": part.Number(1)}); a.Fingerprint() != b.Fingerprint() {
		t.Errorf("a setting that is not set counts: %q, %q", a.Fingerprint(), b.Fingerprint())
	}
}

// TestContrasts: what counts under neither trim says so, and a voltage is told by what is in force.
func TestContrasts(t *testing.T) {
	set := parttest.Rig(t, "skua")
	word := part.Choice
	for _, row := range []struct {
		name     string
		from, to trim.Settings
		want     []trim.Contrast
	}{
		{"nothing", trim.Settings{"limit.pl1": part.Number(125)}, trim.Settings{"limit.pl1": part.Number(125)}, nil},
		{"a limit that the board overrides", trim.Settings{"limit.pl1": part.Number(125)}, trim.Settings{"limit.pl1": part.Number(150)},
			[]trim.Contrast{{Key: "limit.pl1", Name: "PL1", Values: []string{"125 W", "150 W"}}}},
		{"and then no longer does", trim.Settings{"limit.pl1": part.Number(125)},
			trim.Settings{"limit.pl1": part.Number(150), "limit.beyondSpec": part.Switch(false)},
			[]trim.Contrast{{Key: "limit.beyondSpec", Name: "Board limits beyond the maker's", Values: []string{"on", "off"}, Counts: true},
				{Key: "limit.pl1", Name: "PL1", Values: []string{"125 W (without effect)", "150 W"}, Counts: true}}},
		{"a limit", trim.Settings{"limit.pl1": part.Number(125), "limit.beyondSpec": part.Switch(false)},
			trim.Settings{"limit.pl1": part.Number(150), "limit.beyondSpec": part.Switch(false)},
			[]trim.Contrast{{Key: "limit.pl1", Name: "PL1", Values: []string{"125 W", "150 W"}, Counts: true}}},
		{"a fixed voltage after a dynamic one", trim.Settings{"voltage.core.fixed": part.Number(1.1)},
			trim.Settings{"voltage.core.mode": word(trim.Fixed), "voltage.core.fixed": part.Number(1.2)},
			[]trim.Contrast{{Key: "voltage.core.mode", Name: "Core voltage", Values: []string{"dynamic, 1.284 V at load", "fixed 1.2 V"},
				Counts: true}}},
		{"another fixed voltage", trim.Settings{"voltage.core.mode": word(trim.Fixed), "voltage.core.fixed": part.Number(1.1)},
			trim.Settings{"voltage.core.mode": word(trim.Fixed), "voltage.core.fixed": part.Number(1.2)},
			[]trim.Contrast{{Key: "voltage.core.fixed", Name: "Core voltage", Values: []string{"fixed 1.1 V", "fixed 1.2 V"}, Counts: true}}},
		{"a fixed voltage of which neither knows", trim.Settings{"voltage.core.fixed": part.Number(1.1)},
			trim.Settings{"voltage.core.fixed": part.Number(1.2)},
			[]trim.Contrast{{Key: "voltage.core.fixed", Name: "Core voltage fixed at", Values: []string{"1.1 V", "1.2 V"}}}},
	} {
		got := trim.Contrasts(trim.Configured{Set: set, Settings: row.from, Volts: 1.284},
			trim.Configured{Set: set, Settings: row.to, Volts: math.NaN()})
		if fmt.Sprint(got) != fmt.Sprint(append([]trim.Contrast{}, row.want...)) {
			t.Errorf("%s: %+v, want %+v", row.name, got, row.want)
		}
	}
	offsets := trim.Settings{}
	for core, steps := range []float64{-20, -22, 0, -18} {
		offsets[trim.At("curve.core.*", core)] = part.Number(steps)
	}
	of := func(s trim.Settings) trim.Configured {
		return trim.Configured{Set: parttest.Petrel(t), Settings: s, Volts: math.NaN()}
	}
	folded := trim.Folded(trim.Contrasts(of(nil), of(offsets.With(trim.Settings{"limit.ppt": part.Number(120)}))))
	if len(folded) != 2 || folded[1].Name != "Curve offset, cores 0, 1, 3" || fmt.Sprint(folded[1].Values) != "[0 steps −20 −22 −18 steps]" {
		t.Errorf("folded: %+v", folded)
	}
	several := func(keys ...string) (out []string) {
		of := func(rig string, settings trim.Settings) trim.Configured {
			return trim.Configured{Set: parttest.Rig(t, rig), Settings: settings, Volts: math.NaN()}
		}
		for _, c := range trim.Contrasts(of("petrel", trim.Settings{"limit.ppt": part.Number(120)}), of("petrel", nil),
			of("skua", trim.Settings{"limit.pl1": part.Number(150), "limit.beyondSpec": part.Switch(false)})) {
			if slices.Contains(keys, c.Key) {
				out = append(out, strings.Join(c.Values, " | "))
			}
		}
		return out
	}
	if got := several("limit.ppt", "limit.pl1"); fmt.Sprint(got) != "[120 W | 230 W | – – | – | 150 W]" {
		t.Errorf("of several machines: %q", got)
	}
}

// TestValuesWithoutACommonStep: a board that lists its values takes those, and says which is the nearest; off a step, the nearest is
// told in tidy digits.
func TestValuesWithoutACommonStep(t *testing.T) {
	set := parttest.Petrel(t)
	for i := range set.Board.Settings {
		if e := &set.Board.Settings[i]; e.Setting == "memory.rate" {
			e.Among = []float64{4800, 5066, 5200, 5333, 5600, 6000}
			e.Min, e.Max, e.Default = 4800, 6000, part.Number(4800)
		}
	}
	manual := trim.Settings{"memory.profile": part.Choice(trim.ProfileManual)}
	for rate, near := range map[float64]string{5333: "", 5066: "", 5300: "5333", 5900: "6000"} {
		faults := trim.Check(set.Processor, set.Board, manual.With(trim.Settings{"memory.rate": part.Number(rate)}))
		if near == "" && len(faults) > 0 || near != "" && (len(faults) != 1 || !strings.HasSuffix(faults[0].Remedy, near)) {
			t.Errorf("%g MT/s: %v", rate, faults)
		}
	}
	entry, _ := set.Board.Lookup("voltage.core.fixed")
	if got := part.Number(entry.Nearest(1.1013)).String(); len(got) > len("1.10125") {
		t.Errorf("the nearest of 1.1013 V is %s", got)
	}
	if got := set.Board.Steps("memory.rate"); len(got) != 6 || got[1] != 5066 {
		t.Errorf("steps: %v", got)
	}
}
