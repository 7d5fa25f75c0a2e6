package server_test

import (
	"fmt"
	"html"
	"regexp"
	"strings"
	"testing"

	"zerokeel/core/part"
	"zerokeel/core/trim"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
)

// TestOwnerRecord: the page that is handed over names every setting that was changed, by the board's own label, with what to enter, what it
// was and why; says that the proof is not finished; tells the way back; holds what somebody wrote as text; and asks nothing of a network.
func TestOwnerRecord(t *testing.T) {
	rig := servertest.Start(t).AddRig(petrel(t, nil), 600)
	rig.Call("PUT", "/api/workshop", api.Workshop{Name: "Quay & <b>sons</b>", Note: "Ask <script>alert(1)</script> us.", Currency: "€"}, 200,
		nil)
	rig.Fit(rig.Trims()[0].Id)
	rig.Ended(rig.Start(api.StartTrialRequest{Legs: []api.LegRequest{servertest.Leg("heavy", 900)}}).Id)
	parent := rig.Trims()[0].Id
	for _, step := range []struct {
		reason  string
		changes trim.Settings
	}{
		{"less heat for the same work", trim.Settings{"limit.ppt": part.Number(100)}},
		{"less voltage at every clock", trim.Settings{"curve.all": part.Number(-5)}},
	} {
		var made api.Trim
		rig.Call("POST", fmt.Sprintf("/api/rigs/%d/trims", rig.ID), api.CreateTrimRequest{Parent: parent, Name: "step", Reason: &step.reason,
			Settings: step.changes}, 201, &made)
		parent = made.Id
	}
	rig.Fit(parent)
	trial := rig.Ended(rig.Start(api.StartTrialRequest{Legs: []api.LegRequest{servertest.Leg("heavy", 900)}}).Id)
	status, text := rig.Raw("GET", fmt.Sprintf("/api/trims/%d/record", parent), nil)
	page := string(text)
	if status != 200 || trial.Verdict != "held" || len(page) > 2<<20 {
		t.Fatalf("%d, %d bytes: %s", status, len(page), trial.Verdict)
	}
	// What would be loaded or run is nowhere: neither addresses that a browser follows by itself, nor scripts.
	for _, bad := range []string{"<script", "src=", "url(", "@import", "<link", "<b>sons"} {
		if strings.Contains(page, bad) {
			t.Errorf("the page holds %s", bad)
		}
	}
	words := html.UnescapeString(regexp.MustCompile(`<[^>]*>`).ReplaceAllString(page, " "))
	words = strings.Join(strings.Fields(words), " ")
	var card []struct{ Key, Label, Enter, Was string }
	rig.Call("GET", fmt.Sprintf("/api/trims/%d/card?full=true", parent), nil, 200, &card)
	reasons := map[string]string{"limit.ppt": "less heat for the same work", "curve.all": "less voltage at every clock"}
	for _, line := range card {
		if why, changed := reasons[line.Key]; changed {
			if want := line.Label + " " + line.Enter + " "; !strings.Contains(words, want) || !strings.Contains(words, why) {
				t.Errorf("%q or %q is not said", want, why)
			}
			delete(reasons, line.Key)
		}
	}
	for _, want := range []string{"This proof is not finished", "SIM", "Quay & <b>sons</b>", "<script>alert(1)</script>", "W less",
		"Package power, full load", "heavy load 15 min", "Voltages and curve offsets as delivered",
		fmt.Sprintf("/rig/%d/trim/%d", rig.ID, parent)} {
		if !strings.Contains(words, want) {
			t.Errorf("%q is not said in: %s", want, words)
		}
	}
	if len(reasons) > 0 || strings.Contains(words, "The whole course") {
		t.Errorf("not on the card: %v; or the course is told to an owner", reasons)
	}
	_, whole := rig.Raw("GET", fmt.Sprintf("/api/trims/%d/record?whole=true", parent), nil)
	if !strings.Contains(string(whole), "The whole course") {
		t.Error("the course is not told to a builder")
	}
}
