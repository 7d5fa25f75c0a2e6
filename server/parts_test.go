package server_test

import (
	"encoding/json"
	"fmt"
	"slices"
	"testing"

	"zerokeel/server/api"
	"zerokeel/server/servertest"
)

// TestNamedParts: a rig that was added by its name alone gets the sheets of its parts, with which its settings are known and its trim as
// delivered is that of its board; what its machine says otherwise is told; its cooler can be exchanged, its processor and board cannot.
func TestNamedParts(t *testing.T) {
	bench := servertest.Start(t)
	known := bench.AddRig(petrel(t, nil), 1000)
	var names api.PartNames
	names.Processor, names.Board = known.Config.Parts.Processor.ID, known.Config.Parts.Board.ID
	names.Cooler, names.Memory = known.Config.Parts.Cooler.ID, known.Config.Parts.Memory.ID
	var told api.ToldParts
	bench.Call("GET", fmt.Sprintf("/api/rigs/%d/told", known.ID), nil, 200, &told)
	if len(told.Contradictions) > 0 || len(told.Drafts) != 4 {
		t.Errorf("a machine that is as its sheets say: %+v", told)
	}

	bare := bench.AddFake("Bare", nil)
	path := func(p string) string { return fmt.Sprintf("/api/rigs/%d%s", bare.Get().Id, p) }
	wrong := names
	wrong.Memory = "none-such"
	bench.Call("PUT", path("/parts"), wrong, 422, nil)
	var r api.Rig
	bench.Call("PUT", path("/parts"), names, 200, &r)
	var trims []api.Trim
	bench.Call("GET", path("/trims"), nil, 200, &trims)
	if r.Sketched || r.Parts == nil || r.Cores != known.Get().Cores || trims[0].Name != "stock" || len(trims[0].Settings) == 0 {
		t.Errorf("its parts named it is %+v with %+v", r, trims[0])
	}
	bench.Call("GET", path("/told"), nil, 200, &told)
	if !slices.ContainsFunc(told.Contradictions, func(c api.Contradiction) bool { return c.Path == "clusters" && c.Believe != "" }) {
		t.Errorf("a machine of %d cores contradicts a sheet of %d by %+v", bare.Get().Facts.Cores, r.Cores, told.Contradictions)
	}

	other := *known.Config.Parts.Cooler
	other.ID, other.Model = "another", "Another"
	bench.Call("PUT", "/api/parts/cooler/another", other, 200, nil)
	exchanged := names
	exchanged.Cooler = "another"
	if bench.Call("PUT", path("/parts"), exchanged, 200, &r); r.Parts.Cooler != "Bluff Another" {
		t.Errorf("its cooler exchanged it has %s", r.Parts.Cooler)
	}
	second := *known.Config.Parts.Processor
	second.ID = "second"
	bench.Call("PUT", "/api/parts/processor/second", second, 200, nil)
	exchanged.Processor = "second"
	bench.Call("PUT", path("/parts"), exchanged, 409, nil)
}

// TestPartsChecked: a sheet that is being written has its faults told at their fields, and is drawn as far as it goes.
func TestPartsChecked(t *testing.T) {
	bench := servertest.Start(t)
	sheet := map[string]any{}
	text, err := json.Marshal(petrel(t, nil).Parts.Cooler)
	if err == nil {
		err = json.Unmarshal(text, &sheet)
	}
	if err != nil {
		t.Fatal(err)
	}
	var got api.PartCheck
	check := func() (fields []string) {
		t.Helper()
		bench.Call("POST", "/api/part-check/cooler", sheet, 200, &got)
		for _, f := range got.Faults {
			fields = append(fields, f.Field)
		}
		return fields
	}
	if fields := check(); len(fields) > 0 || len(got.Drawings) != 2 {
		t.Errorf("a good sheet has faults at %q and %d drawings", fields, len(got.Drawings))
	}
	sheet["airKPerW"], sheet["fan"].(map[string]any)["maxRPM"] = 90, 0
	if fields := check(); !slices.Equal(fields, []string{"airKPerW", "fan.maxRPM", "fan.maxRPM"}) {
		t.Errorf("faults at %q", fields)
	}
	sheet["sail"] = 1
	if fields := check(); !slices.Equal(fields, []string{"sail"}) || len(got.Drawings) != 0 {
		t.Errorf("faults at %q", fields)
	}
}
