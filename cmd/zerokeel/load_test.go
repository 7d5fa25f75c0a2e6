package main

import (
	"strings"
	"testing"

	core "zerokeel/core/load"
	"zerokeel/rigside/load"
)

// TestLoadRunsOnItsOwn: a load holds, one with a flipped bit ends by naming the core, and what cannot be run is refused with
// words.
func TestLoadRunsOnItsOwn(t *testing.T) {
	for _, row := range []struct {
		name  string
		kind  core.Kind
		o     loadOptions
		error string
		says  string
	}{
		{"holds", core.Integer, loadOptions{seconds: 0.2, turnS: 1}, "", "held for 0.2 s"},
		{"flipped bit", core.Integer, loadOptions{seconds: 30, turnS: 1, inject: true, cores: []int{0}, at: load.Inject{Place: 0, Seed: 3}},
			"core 0 returned a wrong result", "integer, cores: 1"},
		{"no such load", "warm", loadOptions{seconds: 1, turnS: 1}, "is no load", ""},
		{"no such width", core.Heavy, loadOptions{seconds: 1, turnS: 1, width: "1024"}, "are not to be had", ""},
		{"no such core", core.Heavy, loadOptions{seconds: 1, turnS: 1, cores: []int{4096}}, "no core of this machine", ""},
		{"no time", core.Heavy, loadOptions{turnS: 1}, "must be above 0", ""},
		{"a core that is not loaded", core.Heavy, loadOptions{seconds: 1, turnS: 1, cores: []int{0}, inject: true, at: load.Inject{Place: 1}},
			"is not loaded", ""},
	} {
		var out strings.Builder
		err := runLoad(t.Context(), &out, row.kind, row.o)
		if (err == nil) != (row.error == "") || err != nil && !strings.Contains(err.Error(), row.error) ||
			!strings.Contains(out.String(), row.says) {
			t.Errorf("%s: %v\n%s", row.name, err, out.String())
		}
	}
	var out strings.Builder
	if err := listLoads(&out); err != nil || strings.Count(out.String(), "\n") != len(core.Kinds)+1 {
		t.Errorf("%v\n%s", err, out.String())
	}
}
