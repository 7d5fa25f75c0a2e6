package server_test

import (
	"fmt"
	"math"
	"slices"
	"testing"

	"zerokeel/core/part"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
	"zerokeel/standin"
)

// TestMeasuringUp: a machine whose sheets are sketches is measured up by a pilot; what it shows tells its figures, which become its sheets,
// and from then on what it does is forecast.
func TestMeasuringUp(t *testing.T) {
	bench := servertest.Start(t)
	rig := bench.AddRig(petrel(t, nil), 500)
	path := func(p string) string { return fmt.Sprintf("/api/rigs/%d%s", rig.ID, p) }
	// Its sheets turn into sketches: what it told of itself, and figures that mean nothing.
	processor, cooler := *rig.Config.Parts.Processor, *rig.Config.Parts.Cooler
	truth := processor.Power.SwitchedNF
	processor.Source, cooler.Source = part.Sketched, part.Sketched
	processor.VF = []part.VFPoint{{MHz: 800, V: 0.7}, {MHz: 3000, V: 0.95}, {MHz: 5000, V: 1.25}}
	processor.Power.SwitchedNF, processor.Heat.DieKPerW, cooler.AirKPerW, cooler.BaseKPerW = 1, 0.5, 0.4, 0.1
	sketch := func() {
		bench.Call("PUT", "/api/parts/processor/"+processor.ID, processor, 200, nil)
		bench.Call("PUT", "/api/parts/cooler/"+cooler.ID, cooler, 200, nil)
	}
	sketch()

	var m api.Measuring
	bench.Call("GET", path("/measuring"), nil, 200, &m)
	if m.Steps < 6 || m.Minutes > 60 || m.Why == "" || m.Taken || len(m.Figures) > 0 {
		t.Fatalf("before: %+v", m)
	}
	bench.Call("POST", path("/measuring/take"), nil, 409, nil)
	rig.Fit(rig.Trims()[0].Id)
	var p api.Pilot
	bench.Call("POST", path("/measuring"), nil, 201, &p)
	if p.Plan.Goal == nil || *p.Plan.Goal != "measure up" || len(p.Plan.Steps) != m.Steps {
		t.Errorf("the pilot is %+v", p)
	}
	bench.Call("POST", path("/measuring"), nil, 409, nil)
	bench.Until("it is measured up", func() bool {
		var pilots []api.Pilot
		bench.Call("GET", path("/pilots"), nil, 200, &pilots)
		p = pilots[0]
		return p.State == "ended"
	})
	for _, d := range p.Done {
		if d.Skipped || d.Trial == nil {
			t.Errorf("a step came to %+v", d)
		}
	}
	if p.Problem != "" || len(p.Done) != m.Steps {
		t.Errorf("it ended with %q after %d steps of %d", p.Problem, len(p.Done), m.Steps)
	}
	bench.Call("GET", path("/measuring"), nil, 200, &m)
	if m.Why != "" || len(m.Figures) < 15 || len(m.Offs) < 20 || m.Misfit > 3 {
		t.Fatalf("after: %+v", m)
	}
	loop := rig.Config.Parts.Cooler.CoolantJPerK
	for _, f := range m.Figures {
		if f.Path == "coolantJPerK" && (math.Abs(math.Log(f.Value/loop)) > 0.5 || f.Low > loop || f.High < loop || f.Told < 0.3) {
			t.Errorf("its loop holds %.0f J/K, found %+v", loop, f)
		}
		if f.Path == "power.switchedNF" && (math.Abs(f.Value/truth-1) > 0.2 || f.Told < 0.5) {
			t.Errorf("the capacitance is %.2f nF, found %+v", truth, f)
		}
	}
	if !slices.ContainsFunc(m.Figures, func(f api.FoundFigure) bool { return f.Path == "coolantJPerK" }) {
		t.Errorf("how fast its loop warms is not found: %+v", m.Figures)
	}
	var r api.Rig
	if bench.Call("POST", path("/measuring/take"), nil, 200, &r); r.Sketched {
		t.Errorf("its sheets are sketches still: %+v", r.Parts)
	}
	var check api.Check
	bench.Call("POST", path("/check"), map[string]any{"parent": rig.Trims()[0].Id, "settings": map[string]any{"limit.ppt": 90}}, 200, &check)
	if check.Forecast == nil {
		t.Fatalf("nothing is forecast: %s", check.NoForecast)
	}
	if s := check.Forecast.Scores; len(s) > 0 {
		t.Errorf("scores are forecast of which none was ever run: %+v", s)
	}
	for i := range check.Forecast.Loads {
		if l := &check.Forecast.Loads[i]; l.Load == "heavy" && !(l.PackageW > 80 && l.PackageW < 95) {
			t.Errorf("held to 90 W it is forecast to draw %.0f W", l.PackageW)
		}
	}
	// Another of the model that ran a few minutes begins with what this one was found to be.
	other := bench.AddRig(petrel(t, func(c *standin.Config) { c.Name, c.Seed = "petrel-2", 99 }), 1000)
	sketch()
	other.Fit(other.Trims()[0].Id)
	for _, kind := range []string{"heavy", "light"} {
		trial := other.Start(api.StartTrialRequest{Legs: []api.LegRequest{servertest.Leg(kind, 240)}})
		if trial = other.Ended(trial.Id); trial.Verdict != "held" {
			t.Fatalf("under %s load: %+v", kind, trial)
		}
	}
	m = api.Measuring{}
	bench.Call("GET", fmt.Sprintf("/api/rigs/%d/measuring", other.ID), nil, 200, &m)
	if len(m.Kin) != 1 || m.Kin[0] != rig.Get().Name {
		t.Errorf("it begins with what %q were found to be: %s", m.Kin, m.Why)
	}
	for _, f := range m.Figures {
		if f.Path == "power.switchedNF" && math.Abs(f.Value/truth-1) > 0.15 {
			t.Errorf("of the other, the capacitance is %.2f nF, found %+v", truth, f)
		}
	}
}
