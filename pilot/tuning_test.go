package pilot_test

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"
	"time"

	"zerokeel/core/part"
	"zerokeel/core/trim"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
	"zerokeel/standin"
)

func text[T ~string](s T) *T { return &s }

// came returns what came of the last step of a kind; nil where there was none.
func (p *pilot) came(kind string) *api.StepDone {
	for i := len(p.Done) - 1; i >= 0; i-- {
		if p.Done[i].Kind == kind {
			return &p.Done[i]
		}
	}
	return nil
}

// settings returns those of a trim of a rig.
func settings(t testing.TB, r *servertest.Rig, id int64) trim.Settings {
	t.Helper()
	for _, one := range r.Trims() {
		if one.Id == id {
			return trim.Stock(r.Config.Parts.Processor, r.Config.Parts.Board).With(one.Settings)
		}
	}
	t.Fatalf("there is no trim %d", id)
	return nil
}

// trueRisk is the chance of a fault in a day of mixed use that a rig's chip hides.
func trueRisk(t testing.TB, r *servertest.Rig, s trim.Settings) float64 {
	t.Helper()
	faults, err := r.Config.DailyFaults(s)
	if err != nil {
		t.Fatal(err)
	}
	return -math.Expm1(-faults)
}

// TestTuningCool: from stock to a proven trim, whose server is stopped in the middle of every step: memory first, then the limits, then
// the depths, each with its reason, then the proof and a comparison with stock in which it is no warmer.
func TestTuningCool(t *testing.T) {
	rig := bench(t, "dunlin", func(c *standin.Config) { c.Seed = 78 })
	stock, risk := rig.Trims()[0].Id, 0.05
	p := survey(rig, api.StartPilotRequest{Goal: text("cool"), Trim: stock, Minutes: 300, Risk: &risk})
	for _, phase := range []api.PilotPhase{"baseline", "limits", "depths", "proof", "comparison"} {
		p.until("the step is under way", func() bool { return p.Phase == phase && p.Now != nil && p.Now.Doing != "planning" })
		rig.Stop()
		rig.Resume()
	}
	p.until("the tuning ends", func() bool { return p.State == api.Ended })
	if p.Problem != "" || p.Found == nil || inForce(rig.Get()) != *p.Found || p.SpentMin > 330 {
		t.Fatalf("after %.0f min it ended with %q, found %v, in force is %d", p.SpentMin, p.Problem, p.Found, inForce(rig.Get()))
	}
	var kinds []string
	for _, d := range p.Done {
		if len(kinds) == 0 || kinds[len(kinds)-1] != d.Kind {
			kinds = append(kinds, d.Kind)
		}
	}
	const begins, ends = "baseline memory limits depths bands power proof", "proof comparison"
	if got := strings.Join(kinds, " "); !strings.HasPrefix(got, begins) || !strings.HasSuffix(got, ends) {
		t.Errorf("its steps were %s", got)
	}
	// A machine that its cooler holds down is a few kelvin cooler then, which a comparison of this length shows or does not.
	if words := p.came("comparison").Words; !strings.Contains(words, "cooler") && !strings.Contains(words, "no difference shown in heat") {
		t.Errorf("the comparison says %q", words)
	}
	found := settings(t, rig, *p.Found)
	if x, _ := found["limit.ppt"].Number(); x > rig.Config.Parts.Processor.Limits.PPTW || found["memory.profile"] != part.Choice("rated") {
		t.Errorf("it ends with %v and %g W", found["memory.profile"], x)
	}
	var s api.Soundings
	rig.Call("GET", fmt.Sprintf("/api/rigs/%d/soundings", rig.ID), nil, 200, &s)
	if is := trueRisk(t, rig, found); is > risk {
		t.Errorf("the risk is %.4f a day; stated is %.4f, at most %.4f", is, s.At.Risk, s.At.High)
	}
	for _, one := range rig.Trims() {
		if one.Number > 0 && len(one.Reason) < 30 {
			t.Errorf("T%d %s was made since %q", one.Number, one.Name, one.Reason)
		}
		if one.Id == *p.Found && one.Verdict != "held" {
			t.Errorf("what was found is %s", one.Verdict)
		}
	}
}

// TestTuningSteady: a machine that fails as it stands, since its board goes beyond the limits and one core is weak, ends at more voltage
// for that core and holds; and memory that does not stand its rating is found before a core is blamed.
func TestTuningSteady(t *testing.T) {
	rig := bench(t, "petrel", func(c *standin.Config) {
		c.Seed, c.SlopeV, c.Weaker, c.Memory = 5, 0.0035, map[int]standin.Reserve{3: {Heavy: 0.118}}, -0.06
	})
	stock, risk := rig.Trims()[0].Id, 0.05
	if is := trueRisk(t, rig, settings(t, rig, stock)); is < 0.5 {
		t.Fatalf("as it stands it fails at %.3f a day only", is)
	}
	p := survey(rig, api.StartPilotRequest{Goal: text("steady"), Trim: stock, Minutes: 480, Risk: &risk})
	p.until("the tuning ends", func() bool { return p.State == api.Ended })
	if p.Problem != "" || p.Found == nil {
		t.Fatalf("it ended with %q: %+v", p.Problem, p.Done)
	}
	found := settings(t, rig, *p.Found)
	if x := found.CurveSteps(rig.Config.Parts.Processor, 3); x < 1 {
		t.Errorf("core 3 fails as delivered, and is brought to %g", x)
	}
	if is := trueRisk(t, rig, found); is > risk {
		t.Errorf("steady it fails with %.3f a day", is)
	}
	cool := survey(rig, api.StartPilotRequest{Goal: text("cool"), Trim: *p.Found, Minutes: 240, Risk: &risk, Leave: &[]string{"comparison"}})
	cool.until("the memory was tried", func() bool { return cool.came("memory") != nil })
	if m := cool.came("memory"); m.Kept || m.Skipped || !strings.Contains(m.Words, "taken back") {
		t.Errorf("memory beyond what it stands: %+v", m)
	}
	cool.ask("end", 200)
	cool.until("the tuning ends", func() bool { return cool.State == api.Ended })
	if at := inForce(rig.Get()); at != *p.Found {
		t.Errorf("ended by hand it leaves %d in force", at)
	}
}

// TestTuningOverclock: on a machine that nobody has seen one clock for all cores is found, and the voltage that holds it: proven, within
// the volts, watts and risk that were allowed by what the machine truly does, and faster than before while all cores work.
func TestTuningOverclock(t *testing.T) {
	rig := bench(t, "skua", func(c *standin.Config) {
		c.Seed, c.AmbientC, c.SpreadV, c.Weaker = 78, 19, 0.006, map[int]standin.Reserve{2: {Light: 0.03}}
	})
	stock, risk, watts, volts := rig.Trims()[0].Id, 0.05, 250.0, 1.4
	p := survey(rig, api.StartPilotRequest{Goal: text("overclock"), Trim: stock, Minutes: 300, Risk: &risk, Watts: &watts, Volts: &volts})
	p.until("the tuning ends", func() bool { return p.State == api.Ended })
	if p.Problem != "" || p.Found == nil || inForce(rig.Get()) != *p.Found {
		t.Fatalf("after %.0f min it ended with %q: %+v", p.SpentMin, p.Problem, p.Done)
	}
	found := settings(t, rig, *p.Found)
	ratio, v := found.Number("clock.ratio.all", 0), found.Number("voltage.core.fixed", 0)
	if found.Word("voltage.core.mode") != trim.Fixed || v < 0.9 || v > volts {
		t.Errorf("it ends at %g × and %g V", ratio, v)
	}
	if is := trueRisk(t, rig, found); is > risk {
		t.Errorf("it fails with %.4f a day at %g × and %g V, after %+v", is, ratio, v, p.Done)
	}
	if first := p.came("ratio"); first == nil || first.Skipped || ratio <= settings(t, rig, *first.Trim).Number("clock.ratio.all", 0) {
		t.Errorf("what it found allowed no higher clock than the first: %g × after %+v", ratio, first)
	}
	for _, one := range rig.Trims() {
		if v := settings(t, rig, one.Id).Number("voltage.core.fixed", 0); one.Number > 2 && v > volts {
			t.Errorf("T%d was tried at %g V", one.Number, v)
		}
	}
	if words := p.came("comparison").Words; !strings.Contains(words, "faster") {
		t.Errorf("the comparison says %q", words)
	}
}

// TestBoundsHoldForWhatIsMeasured: a machine that draws more than models expect, and than is allowed, is not tried further: the pilot says
// what it drew.
func TestBoundsHoldForWhatIsMeasured(t *testing.T) {
	rig := bench(t, "petrel", func(c *standin.Config) {
		c.Sensors = map[string]standin.SensorOverride{"power.package": {Scale: 1.25}}
	})
	stock, watts := rig.Trims()[0].Id, 180.0
	p := survey(rig, api.StartPilotRequest{Goal: text("cool"), Trim: stock, Minutes: 480, Watts: &watts})
	p.until("the pilot gives up", func() bool { return p.State == api.Ended })
	if !strings.Contains(p.Problem, "W under heavy load, and 180 are allowed") || len(p.Done) > 0 || inForce(rig.Get()) != stock {
		t.Errorf("it ended with %q after %+v", p.Problem, p.Done)
	}
}

// TestTuningByStep: asked to, it pauses after each step, with what that led to in force; what a person fits meanwhile stays theirs, and
// it goes on from where it was.
func TestTuningByStep(t *testing.T) {
	rig := bench(t, "tern-1", func(*standin.Config) {})
	stock, byStep := rig.Trims()[0].Id, true
	p := survey(rig, api.StartPilotRequest{Goal: text("quiet"), Trim: stock, Minutes: 480, ByStep: &byStep})
	for _, want := range []string{"baseline", "memory", "limits"} {
		p.until("it pauses", func() bool { return p.State == api.Paused })
		if d := p.Done[len(p.Done)-1]; d.Kind != want || d.Kept != (want != "baseline") || inForce(rig.Get()) != p.From {
			t.Fatalf("after %s it paused with %+v, in force %d of %d", want, d, inForce(rig.Get()), p.From)
		}
		rig.Fit(stock)
		p.ask("resume", 200)
	}
	p.until("the survey is under way", func() bool { return p.Phase == "depths" && p.Orders > 0 })
	p.ask("end", 200)
	p.until("it ends", func() bool { return p.State == api.Ended })
	if at := inForce(rig.Get()); at != *p.came("limits").Trim {
		t.Errorf("ended in the survey it leaves %d in force, and %d held", at, *p.came("limits").Trim)
	}
}

// TestTuningsAreRefused: a plan that cannot be carried out is refused with every fault at once, and what to do; one that may begin things
// at other hours of the day waits for them.
func TestTuningsAreRefused(t *testing.T) {
	rig := bench(t, "petrel", func(*standin.Config) {})
	stock := rig.Trims()[0].Id
	all := []string{"memory", "limits", "depths", "power", "fans"}
	watts, hot, volts := 100.0, 70.0, 1.0
	for name, c := range map[string]struct {
		in     api.StartPilotRequest
		fields []string
	}{
		"no such goal":         {api.StartPilotRequest{Goal: text("loud"), Minutes: 480}, []string{"goal"}},
		"no such step":         {api.StartPilotRequest{Goal: text("cool"), Minutes: 480, Leave: &[]string{"prayer"}}, []string{"leave[0]"}},
		"no time":              {api.StartPilotRequest{Goal: text("cool"), Minutes: 100}, []string{"minutes"}},
		"nothing left":         {api.StartPilotRequest{Goal: text("quiet"), Minutes: 480, Leave: &all}, []string{"goal"}},
		"bounds exclude stock": {api.StartPilotRequest{Goal: text("cool"), Minutes: 480, Watts: &watts, AbortC: &hot, Volts: &volts}, []string{"watts", "abortC", "volts"}},
		"several at once": {api.StartPilotRequest{Goal: text("cool"), Minutes: 1, Risk: new(float64), Hours: &api.Hours{From: 8, To: 8}},
			[]string{"risk", "minutes", "hours"}},
	} {
		c.in.Trim = stock
		var problem api.Problem
		rig.Call("POST", fmt.Sprintf("/api/rigs/%d/pilots", rig.ID), c.in, 422, &problem)
		var fields []string
		for _, f := range problem.Faults {
			fields = append(fields, f.Field)
			if f.Remedy == "" || f.Problem == "" {
				t.Errorf("%s: %+v", name, f)
			}
		}
		slices.Sort(fields)
		slices.Sort(c.fields)
		if !slices.Equal(fields, c.fields) {
			t.Errorf("%s: refused since %v", name, fields)
		}
	}
	p := survey(rig, api.StartPilotRequest{Goal: text("cool"), Trim: stock, Minutes: 480, Hours: elsewhen()})
	p.until("it waits", func() bool { return p.Waits })
	p.ask("pause", 200)
	p.until("it pauses all the same", func() bool { return p.State == api.Paused })
	if len(p.Done) > 0 || p.Orders > 0 {
		t.Errorf("outside its hours it did %+v", p.Done)
	}
}

// elsewhen are hours of the day that are far from now.
func elsewhen() *api.Hours {
	from := (time.Now().Hour() + 8) % 24
	return &api.Hours{From: from, To: (from + 4) % 24}
}
