package preflight_test

import (
	"fmt"
	"os"
	"testing"

	"zerokeel/core/part"
	"zerokeel/core/part/parttest"
	"zerokeel/core/preflight"
	"zerokeel/core/trim"
)

func TestRules(t *testing.T) {
	set := parttest.Petrel(t)
	inSpec := trim.Stock(set.Processor, set.Board).With(trim.Settings{
		"limit.ppt": part.Number(142), "limit.tdc": part.Number(125), "limit.edc": part.Number(180)})
	n := part.Number
	rows := []struct {
		name   string
		change trim.Settings
		rule   string // expected first finding, "" for none
		level  preflight.Level
		fix    string // value that the fix gives the first field, "" for no fix
	}{
		{"sane step", trim.Settings{"curve.all": n(-10)}, "", "", ""},
		{"sane per-core steps", trim.Settings{"curve.core.1": n(-12), "curve.core.5": n(-4)}, "", "", ""},
		{"sane fan curve", trim.Settings{"fan.point.2.duty": n(50), "fan.point.3.duty": n(80)}, "", "", ""},
		{"sign lost", trim.Settings{"curve.all": n(10)}, "sign-lost", preflight.Caution, "-10"},
		{"sign lost on a core", trim.Settings{"curve.core.3": n(5)}, "sign-lost", preflight.Caution, "-5"},
		{"decimal slip", trim.Settings{"curve.all": n(-100)}, "board-range", preflight.Stop, "-10"},
		{"milliwatts for watts", trim.Settings{"limit.ppt": n(142000)}, "board-range", preflight.Stop, "142"},
		{"off the step", trim.Settings{"clock.boostOffset": n(30)}, "board-range", preflight.Stop, "25"},
		{"no such level", trim.Settings{"loadline.level": n(9)}, "board-range", preflight.Stop, "8"},
		{"temperature limit off", trim.Settings{"limit.temperatureOn": part.Switch(false)}, "no-temperature-limit", preflight.Stop, "true"},
		{"temperature limit above the maker's", trim.Settings{"limit.temperature": n(105)}, "no-temperature-limit", preflight.Caution, "95"},
		{"power beyond the maker's", trim.Settings{"limit.ppt": n(200)}, "beyond-spec", preflight.Note, "142"},
		{"two groups", trim.Settings{"curve.all": n(-10), "limit.ppt": n(120)}, "several-groups", preflight.Caution, ""},
		{"nothing changed", nil, "no-change", preflight.Note, ""},
		{"word for a number", trim.Settings{"limit.ppt": part.Choice("much")}, "board-range", preflight.Stop, ""},
	}
	for _, row := range rows {
		t.Run(row.name, func(t *testing.T) {
			got := preflight.Check(preflight.Input{Set: set, Settings: inSpec.With(row.change), Parent: inSpec})
			if row.rule == "" {
				if len(got) > 0 {
					t.Fatalf("a sane trim is warned of: %+v", got)
				}
				return
			}
			if len(got) == 0 {
				t.Fatal("no finding")
			}
			first := got[0]
			if first.Rule != row.rule || first.Level != row.level || first.Reason == "" || first.Remedy == "" {
				t.Errorf("got %+v, want %s, %s", first, row.rule, row.level)
			}
			fix := ""
			if first.Fix != nil {
				fix = first.Fix[first.Fields[0]].String()
			}
			if fix != row.fix {
				t.Errorf("fix: got %q, want %q", fix, row.fix)
			}
		})
	}
}

// TestFixesMend applies every fix that a finding offers: the finding must be gone.
func TestFixesMend(t *testing.T) {
	set := parttest.Petrel(t)
	bad := trim.Settings{"curve.all": part.Number(120), "limit.ppt": part.Number(250), "limit.temperatureOn": part.Switch(false)}
	settings := trim.Stock(set.Processor, set.Board).With(bad)
	for range 8 {
		fixed := false
		for _, f := range preflight.Check(preflight.Input{Set: set, Settings: settings}) {
			if f.Fix != nil {
				settings, fixed = settings.With(f.Fix), true
				break
			}
		}
		if !fixed {
			break
		}
	}
	for _, f := range preflight.Check(preflight.Input{Set: set, Settings: settings}) {
		if f.Fix != nil || f.Level == preflight.Stop {
			t.Errorf("still found after its fix: %+v", f)
		}
	}
}

func ExampleCheck() {
	text, _ := os.ReadFile("../../docs/examples/petrel.parts.json")
	set, _ := part.ParseSet(text)
	for _, f := range preflight.Check(preflight.Input{Set: set, Settings: trim.Settings{"curve.all": part.Number(10)}}) {
		if f.Level != preflight.Note {
			fmt.Printf("%s: %s\n", f.Level, f.Reason)
		}
	}
	// Output: caution: Curve offset, all cores is +10 steps: that raises the voltage.
}
