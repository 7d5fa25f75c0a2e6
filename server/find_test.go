package server_test

import (
	"fmt"
	"net/url"
	"slices"
	"strings"
	"testing"

	"zerokeel/core/part"
	"zerokeel/core/trim"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
	"zerokeel/store/storetest"
)

// TestFind: trims are found over rigs by every word, wherever it stands, and a word that stands nowhere finds none; what a pattern of the
// database would make of a word counts for nothing.
func TestFind(t *testing.T) {
	s, _ := storetest.OpenDSN(t)
	bench := servertest.Pages(t, s)
	cfg := example(t, "petrel")
	for kind, sheet := range map[string]any{"processor": cfg.Parts.Processor, "board": cfg.Parts.Board, "cooler": cfg.Parts.Cooler,
		"memory": cfg.Parts.Memory} {
		id := map[string]string{"processor": cfg.Parts.Processor.ID, "board": cfg.Parts.Board.ID, "cooler": cfg.Parts.Cooler.ID,
			"memory": cfg.Parts.Memory.ID}[kind]
		bench.Call("PUT", "/api/parts/"+kind+"/"+id, sheet, 200, nil)
	}
	for _, name := range []string{"Heron", "Wigeon"} {
		var made api.CreatedRig
		bench.Call("POST", "/api/rigs", api.CreateRigRequest{Name: name, Parts: &api.PartNames{Processor: cfg.Parts.Processor.ID,
			Board: cfg.Parts.Board.ID, Cooler: cfg.Parts.Cooler.ID, Memory: cfg.Parts.Memory.ID}}, 201, &made)
		var trims []api.Trim
		bench.Call("GET", fmt.Sprintf("/api/rigs/%d/trims", made.Rig.Id), nil, 200, &trims)
		reason := "100% quieter_for " + name
		bench.Call("POST", fmt.Sprintf("/api/rigs/%d/trims", made.Rig.Id), api.CreateTrimRequest{Parent: trims[0].Id, Name: "evening",
			Reason: &reason, Settings: trim.Settings{"limit.ppt": part.Number(88)}}, 201, nil)
	}
	for words, want := range map[string][]string{
		"evening":                {"Heron 1", "Wigeon 1"},
		"PPT 88 heron":           {"Heron 1"},
		"100% quieter_for":       {"Heron 1", "Wigeon 1"},
		"1_0%":                   nil,
		"evening stock":          nil,
		"draft wigeon":           {"Wigeon 1"},
		"' OR 1=1 --":            nil,
		"package power envelope": nil,
	} {
		var found api.FoundTrims
		bench.Call("GET", "/api/find?words="+url.QueryEscape(words), nil, 200, &found)
		var got []string
		for _, f := range found.Trims {
			got = append(got, fmt.Sprintf("%s %d", f.RigName, f.Number))
		}
		if slices.Sort(got); !slices.Equal(got, want) || found.More {
			t.Errorf("%q finds %v, want %v", words, got, want)
		}
	}
	bench.Call("GET", "/api/find?words="+strings.Repeat("x", 201), nil, 422, nil)
}
