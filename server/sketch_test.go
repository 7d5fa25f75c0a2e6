package server_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"zerokeel/server/api"
	"zerokeel/server/servertest"
)

// TestSketchedByHand: a rig of which there are no sheets gets every setting by its trade name, is tried from cards, and says what is not
// known; a builder writes in once how the board calls a setting, which another rig with the same board shares.
func TestSketchedByHand(t *testing.T) {
	bench := servertest.Start(t)
	made := func(name string) (rig string) {
		t.Helper()
		var r api.CreatedRig
		bench.Call("POST", "/api/rigs", api.CreateRigRequest{Name: name}, 201, &r)
		return fmt.Sprintf("/api/rigs/%d", r.Rig.Id)
	}
	rig := made("Desk")
	var problem api.Problem
	bench.Call("POST", rig+"/hand-sketch", map[string]any{"board": "  ", "style": "sail", "threads": 3, "levels": 8, "delivered": 9,
		"fanPoints": 1}, 422, &problem)
	fields := []string{}
	for _, f := range problem.Faults {
		fields = append(fields, f.Field)
	}
	if want := "board style threads fanPoints levels cores"; strings.Join(fields, " ") != want {
		t.Errorf("faults of %q, want %s", fields, want)
	}
	told := map[string]any{"board": "Skerry M1", "style": "ceiling", "cores": 8, "threads": 2, "levels": 8, "delivered": 3, "fanPoints": 4}
	var got api.Rig
	bench.Call("POST", rig+"/hand-sketch", told, 200, &got)
	if !got.Sketched || got.InSystem || !got.ByHand || got.Cores != 8 || got.Parts.Board != "Skerry M1" {
		t.Errorf("%+v", got)
	}
	var trims []api.Trim
	bench.Call("GET", rig+"/trims", nil, 200, &trims)
	trimmed := func(rig string, parent int64) api.Trim {
		t.Helper()
		var out api.Trim
		bench.Call("POST", rig+"/trims", map[string]any{"parent": parent, "name": "lower",
			"settings": map[string]any{"curve.all": -15, "limit.ppt": 120, "loadline.level": 4, "limit.temperature": 85,
				"fan.point.2.duty": 35, "memory.timing.3": 65535}}, 201, &out)
		return out
	}
	lower := trimmed(rig, trims[0].Id)
	var check api.Check
	bench.Call("POST", rig+"/check", map[string]any{"parent": trims[0].Id, "settings": map[string]any{"curve.core.3": 25}}, 200, &check)
	if check.Forecast != nil || check.NoForecast == "" || len(check.WithinSpec) > 0 ||
		!slices.ContainsFunc(check.Findings, func(f api.Finding) bool { return f.Rule == "sign-lost" }) {
		t.Errorf("%+v", check)
	}
	var settings []api.Setting
	bench.Call("GET", rig+"/settings", nil, 200, &settings)
	for _, s := range settings {
		if s.Spec.IsSet() {
			t.Errorf("%s: the maker's value is said to be %v", s.Key, s.Spec)
		}
	}
	label := func(trim int64) (out []string) {
		t.Helper()
		var lines []api.CardLine
		bench.Call("GET", fmt.Sprintf("/api/trims/%d/card", trim), nil, 200, &lines)
		for _, l := range lines {
			out = append(out, strings.Join(l.Menu, "/")+": "+l.Label+" "+l.Enter)
		}
		return out
	}
	if got, want := label(lower.Id), []string{"memory: tREFI 65535 clocks", "limits: PPT 120 W", "limits: Temperature limit at 85 °C",
		"load line: Load-line calibration 4", "curve: Curve offset, all cores −15 steps",
		"cooling: Fan point 2 duty 35 %"}; !slices.Equal(got, want) {
		t.Errorf("its card: %q, want %q", got, want)
	}
	var f api.Fitting
	bench.Call("POST", rig+"/fittings", map[string]any{"trim": lower.Id}, 201, &f)
	if !f.ByHand || len(f.Card) != 6 {
		t.Errorf("%+v", f)
	}

	small := made("Desk ä")
	bench.Call("POST", small+"/hand-sketch", map[string]any{"board": "Other", "style": "window", "cores": 6, "efficiencyCores": 2,
		"threads": 1}, 200, &got)
	if len(got.CoreGroups) != 2 || got.CoreGroups[1].Cores != 2 {
		t.Errorf("its cores: %+v", got.CoreGroups)
	}
	other := made("Shelf")
	bench.Call("POST", other+"/hand-sketch", told, 200, nil)
	bench.Call("POST", rig+"/wording", map[string]any{"setting": "limit.ppt", "min": 90, "max": 30}, 422, nil)
	bench.Call("POST", rig+"/wording", map[string]any{"setting": "limit.sail", "label": "Sail"}, 422, nil)
	word := func(wording map[string]any) { t.Helper(); bench.Call("POST", rig+"/wording", wording, 204, nil) }
	word(map[string]any{"setting": "limit.ppt", "label": "Package Power Cap", "menu": []string{"Tuning", "Limits"}, "step": 5, "max": 200})
	word(map[string]any{"setting": "clock.ratio.core.3", "label": "Core 3 Ratio", "menu": []string{"Tuning"}})
	bench.Call("GET", other+"/settings", nil, 200, &settings)
	for _, s := range settings {
		if s.Key == "limit.ppt" && (s.Step != 5 || s.Max != 200) || s.Key == "clock.ratio.core.5" && s.Label != "Core 5 Ratio" {
			t.Errorf("the other rig's settings: %+v", s)
		}
	}
	bench.Call("GET", other+"/trims", nil, 200, &trims)
	if got := label(trimmed(other, trims[0].Id).Id); !slices.Contains(got, "Tuning/Limits: Package Power Cap 120 W") {
		t.Errorf("the other rig's card: %q", got)
	}
}
