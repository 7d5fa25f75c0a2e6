package server_test

import (
	"encoding/csv"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"testing"

	"zerokeel/core/part"
	"zerokeel/core/trim"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
)

// TestCompareAcrossRigs holds two trims of one rig and one of another model side by side: each is called by its rig and trim, what has
// no like on the other is not called better, the legs to overlay are those that ran, and the table says what the answer says.
func TestCompareAcrossRigs(t *testing.T) {
	server := servertest.Start(t)
	petrel, gannet := server.AddRig(petrel(t, nil), 600), server.AddRig(example(t, "gannet"), 600)
	var capped api.Trim
	petrel.Call("POST", fmt.Sprintf("/api/rigs/%d/trims", petrel.ID), api.CreateTrimRequest{Parent: petrel.Trims()[0].Id, Name: "capped",
		Settings: trim.Settings{"limit.ppt": part.Number(90)}}, 201, &capped)
	ids := []int64{petrel.Trims()[0].Id, capped.Id, gannet.Trims()[0].Id}
	trials := map[int64]int64{}
	for i, rig := range []*servertest.Rig{petrel, petrel, gannet} {
		rig.Fit(ids[i])
		trial := rig.Ended(rig.Start(api.StartTrialRequest{Legs: []api.LegRequest{servertest.Leg("idle", 60), servertest.Leg("heavy", 900)}}).Id)
		if trial.Verdict != "held" {
			t.Fatalf("%+v", trial)
		}
		trials[ids[i]] = trial.Id
	}
	path := fmt.Sprintf("?trim=%d,%d,%d", ids[0], ids[1], ids[2])
	var c api.Comparison
	petrel.Call("GET", "/api/comparison"+path, nil, 200, &c)
	for i, name := range []string{"petrel stock", "petrel T1", "gannet stock"} {
		of := c.Of[i]
		if !strings.EqualFold(of.Name, name) || of.Standing != "tried" && of.Standing != "fitted" || len(of.Legs) == 0 {
			t.Errorf("%+v, want %s", of, name)
			continue
		}
		if leg := of.Legs[0]; leg.Load != "heavy" || leg.Trial != trials[of.Trim] || leg.FromS < 60 || leg.ToS-leg.FromS < 890 {
			t.Errorf("%s shows best by %+v", name, leg)
		}
	}
	notes := strings.Join(c.Notes, " ")
	for _, want := range []string{"other processors", "other coolers", "no score was taken"} {
		if !strings.Contains(notes, want) {
			t.Errorf("%q is not said in %q", want, notes)
		}
	}
	figures := map[string]string{}
	for _, r := range c.Settled {
		if r.Load != "heavy" || len(r.Sides) != 3 || len(r.Pairs) != 3 {
			continue
		}
		if r.Key == "clock.effective.mean" && (!r.Pairs[0].Judged || r.Pairs[1].Judged || r.Pairs[2].Judged) {
			t.Errorf("clocks of other models are judged: %+v", r.Pairs)
		}
		if r.Key == "power.package" {
			less := func(p api.Phrase) bool { return p.Gain && strings.HasSuffix(p.Text, " W less") }
			if !r.Pairs[0].Gain || *r.Sides[1].Value > 91 || !slices.ContainsFunc(c.Words[0], less) {
				t.Errorf("capped at 90 W: %+v; %+v", r, c.Words[0])
			}
			figures[r.Label] = strconv.FormatFloat(*r.Sides[2].Value, 'g', 6, 64)
		}
	}
	walls := map[string][]float64{}
	for _, r := range c.Settled {
		if r.Key == "power.wall" {
			walls[r.Load] = []float64{*r.Sides[0].Value, *r.Sides[1].Value}
		}
	}
	var e api.Energy
	petrel.Call("GET", fmt.Sprintf("/api/comparison/energy?trim=%d,%d&heavy=3&perKWh=0.5&cost=60", ids[0], ids[1]), nil, 200, &e)
	saved := (walls["heavy"][0] - walls["heavy"][1]) * 3 * 0.365
	if y := e.Years[1]; y.Saved == nil || !y.Saved.Shown || math.Abs(y.Saved.KWh-saved) > 0.01 || y.Sources[0] != "a meter on the rig" ||
		!strings.HasPrefix(y.PayBack, fmt.Sprintf("it pays for itself after %.1f years", 60/saved/0.5)) {
		t.Errorf("%.1f kWh saved a year, and the answer is %+v, %+v", saved, y, y.Saved)
	}
	petrel.Call("GET", fmt.Sprintf("/api/comparison/energy?trim=%d,%d&mixed=2", ids[0], ids[1]), nil, 200, &e)
	if y := e.Years[0]; y.KWh == nil || y.Sources[0] != "a forecast, not measured" || *y.Half < 0.02**y.KWh {
		t.Errorf("a load that was not run: %+v", y)
	}
	_, text := petrel.Raw("GET", "/api/comparison/table"+path, nil)
	lines, err := csv.NewReader(strings.NewReader(string(text))).ReadAll()
	if err != nil || len(lines[0]) != 12 {
		t.Fatalf("%v: %q", err, lines)
	}
	for _, line := range lines {
		if want, ok := figures[line[1]]; ok && line[0] == "settled, heavy" {
			if line[8] != want {
				t.Errorf("the table says %q, the answer %s", line, want)
			}
			delete(figures, line[1])
		}
	}
	if len(figures) > 0 {
		t.Errorf("the table lacks %v: %q", figures, lines)
	}
}
