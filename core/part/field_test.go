package part_test

import (
	"encoding/json"
	"errors"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"zerokeel/core/invalid"
	"zerokeel/core/part"
)

// sheets are those of every example, by kind.
func sheets(t *testing.T) map[part.Kind][]map[string]any {
	t.Helper()
	files, err := filepath.Glob("../../docs/examples/*.parts.json")
	if err != nil || len(files) == 0 {
		t.Fatalf("no examples: %v", err)
	}
	out := map[part.Kind][]map[string]any{}
	for _, name := range files {
		text, err := os.ReadFile(name)
		if err != nil {
			t.Fatal(err)
		}
		var set map[string]json.RawMessage
		if err := json.Unmarshal(text, &set); err != nil {
			t.Fatal(err)
		}
		for _, kind := range kinds {
			var sheet map[string]any
			if err := json.Unmarshal(set[string(kind)], &sheet); err != nil {
				t.Fatal(err)
			}
			out[kind] = append(out[kind], sheet)
		}
	}
	return out
}

var kinds = []part.Kind{part.KindProcessor, part.KindBoard, part.KindCooler, part.KindMemory}

// at finds what holds the last word of a path; nil where it is left out.
func at(sheet map[string]any, path string) (map[string]any, string) {
	words := strings.Split(path, ".")
	for _, word := range words[:len(words)-1] {
		sheet, _ = sheet[word].(map[string]any)
	}
	return sheet, words[len(words)-1]
}

func faultsOf(t *testing.T, kind part.Kind, sheet map[string]any) (out []string) {
	t.Helper()
	text, err := json.Marshal(sheet)
	if err != nil {
		t.Fatal(err)
	}
	var faults invalid.List
	if _, err := part.ParseSheet(kind, text); err != nil && !errors.As(err, &faults) {
		t.Fatal(err)
	}
	for _, f := range faults {
		out = append(out, f.Field)
	}
	return out
}

// TestForms: what a form says that a figure may be is what its sheet takes, and what it says that it may not is refused at that field;
// every figure of an example has its field.
func TestForms(t *testing.T) {
	all := sheets(t)
	for _, kind := range kinds {
		form, known := part.FormOf(kind)
		if !known {
			t.Fatalf("there is no form of a %s", kind)
		}
		tried := map[string]bool{}
		for _, sheet := range all[kind] {
			if got := faultsOf(t, kind, sheet); len(got) > 0 {
				t.Fatalf("an example has faults at %q", got)
			}
			for _, f := range form.Fields {
				holder, word := at(sheet, f.Path)
				if style, _ := sheet["style"].(string); holder == nil || f.Style != "" && style != string(f.Style) {
					continue
				}
				tried[f.Path] = true
				was, there := holder[word]
				if f.Type == part.ANumber || f.Type == part.AWhole {
					for _, wrong := range []float64{f.Max + 1, f.Min - 1} {
						if f.Optional && wrong == 0 {
							continue
						}
						holder[word] = wrong
						if got := faultsOf(t, kind, sheet); !slices.Contains(got, f.Path) {
							t.Errorf("%s %s of %g: faults at %q", kind, f.Path, wrong, got)
						}
					}
					for _, right := range []float64{f.Min, f.Max, (f.Min + f.Max) / 2} {
						if f.Type == part.AWhole {
							right = math.Floor(right)
						}
						holder[word] = right
						// Another figure may forbid it, which then is named in the remedy.
						for _, fault := range faultsOf(t, kind, sheet) {
							if fault == f.Path && !related[f.Path] {
								t.Errorf("%s %s of %g is refused", kind, f.Path, right)
							}
						}
					}
				}
				if delete(holder, word); f.Optional {
					if got := faultsOf(t, kind, sheet); slices.Contains(got, f.Path) {
						t.Errorf("%s %s may be left out, and is asked for", kind, f.Path)
					}
				}
				if there {
					holder[word] = was
				}
			}
			for path := range flat("", sheet) {
				if !slices.ContainsFunc(form.Fields, func(f part.Field) bool { return f.Path == path }) && !asText[path] {
					t.Errorf("the form of a %s has no field for %s", kind, path)
				}
			}
		}
		for _, f := range form.Fields {
			if !tried[f.Path] {
				t.Errorf("no example tries %s of a %s", f.Path, kind)
			}
			if f.Label == "" || f.Group == "" || f.Type == "" {
				t.Errorf("%s of a %s lacks its words: %+v", f.Path, kind, f)
			}
		}
	}
}

// related are figures whose range another one narrows.
var related = map[string]bool{"limits.pl2W": true, "transientMaxV": true, "pump.quiet": true, "fan.maxRPM": true, "ratedMTs": true,
	"minRatio": true}

// asText are figures that are changed as text: few sheets have them.
var asText = map[string]bool{"bands.coldC": true, "bands.hotC": true}

// flat lists the numbers of a sheet by their paths, those of lists and of the limits that a board sets by itself left out.
func flat(under string, sheet map[string]any) map[string]float64 {
	out := map[string]float64{}
	for name, v := range sheet {
		switch v := v.(type) {
		case float64:
			out[under+name] = v
		case map[string]any:
			if name == "automatic" || name == "sensors" {
				continue
			}
			for path, x := range flat(under+name+".", v) {
				out[path] = x
			}
		}
	}
	return out
}
