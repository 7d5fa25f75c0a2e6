package pilot_test

import (
	"fmt"
	"math"
	"net/url"
	"testing"

	"zerokeel/core/load"
	"zerokeel/core/part"
	"zerokeel/core/part/parttest"
	"zerokeel/core/sounding"
	"zerokeel/core/trim"
	"zerokeel/server/api"
	"zerokeel/standin"
)

// TestSurveysOfOtherThings: on machines that nobody has seen, a survey of something else than depths ends further than it began, proven,
// and with no more risk than was allowed by what the machine truly does.
func TestSurveysOfOtherThings(t *testing.T) {
	cores, memory := standin.MixedUse, standin.MemoryUse
	skua := parttest.Rig(t, "skua")
	inside := trim.Guarded(skua.Processor, skua.Board, trim.Stock(skua.Processor, skua.Board))
	inside["limit.pl1"] = part.Number(150)
	rated := trim.Settings{"memory.profile": part.Choice(trim.ProfileRated)}
	for _, row := range []struct {
		rig    string
		what   sounding.What
		begins trim.Settings
		use    []load.Kind
		chip   func(*standin.Config)
		least  float64 // by how many steps further it ends, at least
	}{
		{"skua", sounding.ACLine, nil, cores, func(c *standin.Config) {}, 3},
		{"gannet", sounding.Bands, nil, cores, func(c *standin.Config) {}, 3},
		{"petrel", sounding.MemoryRate, rated, memory, func(c *standin.Config) { c.Memory = 0.12 }, 1},
		{"dunlin", sounding.Timings, rated, memory, func(c *standin.Config) { c.Memory = 0.12 }, 1},
		{"skua", sounding.Ring, inside, memory, func(c *standin.Config) {}, 1},
	} {
		t.Run(string(row.what), func(t *testing.T) {
			rig := bench(t, row.rig, func(c *standin.Config) { c.Seed = 91; row.chip(c) })
			base, risk := rig.Trims()[0].Id, 0.05
			if row.begins != nil {
				var made api.Trim
				rig.Call("POST", fmt.Sprintf("/api/rigs/%d/trims", rig.ID), api.CreateTrimRequest{Parent: base, Name: "begins",
					Reason: text("What it begins with."), Settings: row.begins}, 201, &made)
				base = made.Id
			}
			before := settings(t, rig, base)
			p := survey(rig, api.StartPilotRequest{What: text(string(row.what)), Trim: base, Minutes: 120, Risk: &risk})
			p.until("the survey ends", func() bool { return p.State == api.Ended })
			if p.Problem != "" || p.Found == nil {
				t.Fatalf("after %d orders it ended with %q", p.Orders, p.Problem)
			}
			found := settings(t, rig, *p.Found)
			var s api.Soundings
			rig.Call("GET", fmt.Sprintf("/api/rigs/%d/soundings?what=%s", rig.ID, url.QueryEscape(string(row.what))), nil, 200, &s)
			a, err := sounding.AxisFor(row.what, &rig.Config.Parts, before)
			if err != nil {
				t.Fatal(err)
			}
			was, is := a.Depths(rig.Config.Parts.Processor, before)[0], a.Depths(rig.Config.Parts.Processor, found)[0]
			faults, err := rig.Config.FaultsOf(row.use, found)
			if err != nil {
				t.Fatal(err)
			}
			t.Logf("from %s to %s in %d orders, %d clears: %.4f faults a day, %.4f stated, %s", a.Say(was), a.Say(is), p.Orders, p.Clears,
				faults, s.At.Risk, s.Slope.Words)
			if further := float64(was - is); further < row.least {
				t.Errorf("it ends %g steps further", further)
			}
			if is := -math.Expm1(-faults); is > risk {
				t.Errorf("it fails with %.4f a day; stated is %.4f, at most %.4f", is, s.At.Risk, s.At.High)
			}
		})
	}
}
