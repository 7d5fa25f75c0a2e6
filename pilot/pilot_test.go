package pilot_test

import (
	"fmt"
	"maps"
	"math"
	"net/http"
	"os"
	"slices"
	"strings"
	"sync/atomic"
	"testing"

	"zerokeel/core/part"
	"zerokeel/core/trim"
	"zerokeel/demo/rigs"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
	"zerokeel/standin"
	"zerokeel/store/storetest"
)

func TestMain(m *testing.M) { os.Exit(storetest.Main(m)) }

// bench is a bench with a stand-in whose trials pass in moments.
func bench(t *testing.T, name string, change func(*standin.Config)) *servertest.Rig {
	t.Helper()
	return benchOf(t, name, change, (*servertest.Bench).AddRig)
}

func benchOf(t *testing.T, name string, change func(*standin.Config),
	add func(*servertest.Bench, *standin.Config, float64) *servertest.Rig) *servertest.Rig {
	t.Helper()
	text, err := rigs.Standin(name)
	if err != nil {
		t.Fatal(err)
	}
	cfg, err := standin.ParseConfig(text)
	if err != nil {
		t.Fatal(err)
	}
	change(cfg)
	b := servertest.Start(t)
	b.Rest = 200
	return add(b, cfg, 4000)
}

type pilot struct {
	*servertest.Rig
	path string // of the rig's pilots
	api.Pilot
}

// survey starts a survey from a trim.
func survey(rig *servertest.Rig, in api.StartPilotRequest) *pilot {
	p := &pilot{Rig: rig, path: fmt.Sprintf("/api/rigs/%d/pilots", rig.ID)}
	rig.Call("POST", p.path, in, 201, &p.Pilot)
	return p
}

func inForce(r api.Rig) int64 {
	if r.TrimInForce == nil {
		return 0
	}
	return *r.TrimInForce
}

// until waits until the pilot, as the API tells it, is as wanted.
func (p *pilot) until(what string, holds func() bool) {
	p.Until(what, func() bool {
		var list []api.Pilot
		if err := p.Try("GET", p.path, nil, &list); err != nil {
			return false // its server is away for the moment
		}
		p.Pilot = list[0]
		return holds()
	})
}

func (p *pilot) ask(what string, status int) {
	p.Call("POST", fmt.Sprintf("/api/pilots/%d/%s", p.Id, what), nil, status, nil)
}

// TestSurveyOutlivesItsServers: of a chip with a weak core, a survey whose server is stopped again and again finds a depth for every core
// within its bounds, fits it, and proves it. What the chip hides is no riskier than was allowed, its record says why each trim was made,
// and a fault in use afterwards is one that somebody is told of.
func TestSurveyOutlivesItsServers(t *testing.T) {
	const deepest, minutes = -28, 90.0
	rig := bench(t, "dunlin", func(c *standin.Config) {
		c.Seed, c.Weaker = 77, map[int]standin.Reserve{2: {Heavy: 0.03, Light: 0.02}}
	})
	stock := rig.Trims()[0].Id
	bound, risk := deepest, 0.05
	p := survey(rig, api.StartPilotRequest{Trim: stock, Minutes: minutes, Deepest: &bound, Risk: &risk})
	for n := range 4 {
		p.until("the pilot has gone on", func() bool { return p.Orders > n && p.Now != nil && (n%2 == 0) == (p.Now.Doing == "trial") })
		rig.Stop()
		rig.Resume()
	}
	p.until("the survey ends", func() bool { return p.State == api.Ended })
	if p.Problem != "" || p.Found == nil {
		t.Fatalf("it ended with %q, and found %v", p.Problem, p.Found)
	}
	if p.SpentMin > minutes+15 || p.Orders < 5 {
		t.Errorf("%d orders took %.0f of %g minutes", p.Orders, p.SpentMin, minutes)
	}
	at := rig.Get()
	var s api.Soundings
	rig.Call("GET", fmt.Sprintf("/api/rigs/%d/soundings", rig.ID), nil, 200, &s)
	if inForce(at) != *p.Found || s.At.Risk > risk {
		t.Errorf("in force is %+v, found was %d, with a risk of %g", at.TrimInForce, *p.Found, s.At.Risk)
	}
	true24h := func(changes trim.Settings) float64 {
		faults, err := rig.Config.DailyFaults(trim.Stock(rig.Config.Parts.Processor, rig.Config.Parts.Board).With(changes))
		if err != nil {
			t.Fatal(err)
		}
		return -math.Expm1(-faults)
	}
	found := trim.Settings{}
	for _, c := range s.Cores {
		found[trim.At("curve.core.*", c.Core)] = part.Number(float64(c.Own))
		if c.Own < deepest {
			t.Errorf("core %d was brought to %d", c.Core, c.Own)
		}
	}
	if is := true24h(found); is > risk { // how often intervals hold the truth is counted over many chips, by package chips
		t.Errorf("the risk is %.4f a day; stated is %.4f, at most %.4f", is, s.At.Risk, s.At.High)
	}
	deeper := 0
	for _, c := range s.Cores {
		if c.Core != 2 && c.Own < s.Cores[2].Own {
			deeper++
		}
	}
	if deeper < 3 || s.Cores[0].Own > -5 {
		t.Errorf("found %+v: the weak core stands out from %d others", found, deeper)
	}
	proven, tried := false, 0
	for _, one := range rig.Trims() {
		if one.Id == *p.Found {
			proven = one.Verdict == "held" && strings.Contains(one.Reason, "5 %")
		}
		if one.Pilot != nil {
			tried++
			if len(one.Reason) < 30 || *one.Pilot != p.Id {
				t.Errorf("T%d was made since %q", one.Number, one.Reason)
			}
			for _, v := range one.Settings {
				if x, ok := v.Number(); ok && x < deepest {
					t.Errorf("T%d goes to %g", one.Number, x)
				}
			}
		}
	}
	if !proven || tried < 4 {
		t.Errorf("%d trims were tried; proven is %v", tried, proven)
	}
	rig.Call("POST", fmt.Sprintf("/api/rigs/%d/incidents", rig.ID), map[string]any{"kind": "froze", "text": "while nobody looked"}, 201, nil)
	rig.Until("it is told that the trim may be riskier than was allowed", func() bool { return len(rig.Get().Raised) == 1 })
}

// TestPilotIsTakenOver: while it flies, nobody fits over it and no other pilot comes near; paused it has gone back, lets a person work,
// waits for what they run, in words, and counts what they tried when it goes on; ended it leaves the rig where it began.
func TestPilotIsTakenOver(t *testing.T) {
	rig := bench(t, "petrel", func(*standin.Config) {})
	stock := rig.Trims()[0].Id
	var own api.Trim
	rig.Call("POST", fmt.Sprintf("/api/rigs/%d/trims", rig.ID), api.CreateTrimRequest{Parent: stock, Name: "mine",
		Settings: trim.Settings{"curve.all": part.Number(-6)}}, 201, &own)
	p := survey(rig, api.StartPilotRequest{Trim: stock, Minutes: 480})
	fit := fmt.Sprintf("/api/rigs/%d/fittings", rig.ID)
	rig.Call("POST", fit, api.FitRequest{Trim: own.Id}, 409, nil)
	rig.Call("POST", p.path, api.StartPilotRequest{Trim: stock, Minutes: 60}, 409, nil)
	p.ask("resume", 409)
	p.until("two trials have run", func() bool { return p.Orders >= 3 })
	p.ask("pause", 200)
	p.until("the pilot pauses", func() bool { return p.State == api.Paused })
	if at := rig.Get(); inForce(at) != stock {
		t.Errorf("paused with %+v in force", inForce(at))
	}
	rig.Fit(own.Id)
	legs := []api.LegRequest{servertest.Leg("heavy", 60), servertest.Leg("light", 60)}
	if hand := rig.Ended(rig.Start(api.StartTrialRequest{Legs: legs}).Id); hand.Verdict != "held" {
		t.Fatalf("the trial by hand ended %s", hand.Verdict)
	}
	before, long := p.Orders, rig.Start(api.StartTrialRequest{Legs: []api.LegRequest{servertest.Leg("light", 12*3600)}})
	p.ask("pause", 409)
	p.ask("resume", 200)
	p.until("it tells what it waits for", func() bool { return strings.Contains(p.WaitsFor, "busy") })
	rig.Call("POST", fmt.Sprintf("/api/trials/%d/stop", long.Id), nil, 200, nil)
	p.until("the pilot has gone on", func() bool { return p.Orders > before && p.WaitsFor == "" })
	var s api.Soundings
	rig.Call("GET", fmt.Sprintf("/api/rigs/%d/soundings?trim=%d", rig.ID, own.Id), nil, 200, &s)
	if !slices.ContainsFunc(s.Points, func(p api.Sounding) bool {
		return p.Depth == -6 && p.Minutes > 0 && slices.Contains(p.Trims, own.Id)
	}) {
		t.Error("what was tried by hand is no sounding")
	}
	p.ask("end", 200)
	p.until("the pilot ends", func() bool { return p.State == api.Ended })
	if at := rig.Get(); p.Problem != "ended by hand" || inForce(at) != stock {
		t.Errorf("ended with %q and %+v in force", p.Problem, inForce(at))
	}
	p.ask("end", 409)
}

// TestEndedWhilePaused: who has taken a rig over keeps what they fitted, also when the pilot is ended then.
func TestEndedWhilePaused(t *testing.T) {
	rig := bench(t, "dunlin", func(*standin.Config) {})
	stock := rig.Trims()[0].Id
	p := survey(rig, api.StartPilotRequest{Trim: stock, Minutes: 60})
	p.ask("pause", 200)
	p.until("the pilot pauses", func() bool { return p.State == api.Paused })
	var own api.Trim
	rig.Call("POST", fmt.Sprintf("/api/rigs/%d/trims", rig.ID), api.CreateTrimRequest{Parent: stock, Name: "mine",
		Settings: trim.Settings{"curve.all": part.Number(-4)}}, 201, &own)
	rig.Fit(own.Id)
	p.ask("end", 200)
	p.until("the pilot ends", func() bool { return p.State == api.Ended })
	if at := rig.Get(); inForce(at) != own.Id || p.Fittings > 2 {
		t.Errorf("%d is in force, and was to be %d, after %d fittings", inForce(at), own.Id, p.Fittings)
	}
}

// TestPilotGivesUpInWords: a board that takes nothing ends the survey with the reason, after it was asked three times for the next trim,
// and three times for the one to go back to.
func TestPilotGivesUpInWords(t *testing.T) {
	var refused atomic.Int32
	rig := benchOf(t, "petrel", func(*standin.Config) {}, func(b *servertest.Bench, c *standin.Config, speed float64) *servertest.Rig {
		b.Board = func(inner http.Handler) http.Handler {
			return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
				if r.Method == http.MethodPatch {
					refused.Add(1)
					http.Error(w, `{"error":{"message":"the settings are locked"}}`, http.StatusForbidden)
					return
				}
				inner.ServeHTTP(w, r)
			})
		}
		return b.AddRig(c, speed)
	})
	stock := rig.Trims()[0].Id
	p := survey(rig, api.StartPilotRequest{Trim: stock, Minutes: 300})
	p.until("the pilot gives up", func() bool { return p.State == api.Ended })
	if !strings.Contains(p.Problem, "could not be fitted") || !strings.Contains(p.Problem, "locked") || refused.Load() != 6 {
		t.Errorf("it ended with %q after %d tries", p.Problem, refused.Load())
	}
}

// TestSurveyWithoutHope: a core that fails within seconds as delivered leaves no depth that keeps to a risk. The survey says so, or that
// what it found failed its proof once more; it has found nothing, and leaves the machine as it was.
func TestSurveyWithoutHope(t *testing.T) {
	rig := bench(t, "petrel", func(c *standin.Config) { c.Weaker = map[int]standin.Reserve{3: {Heavy: 0.15}} })
	stock := rig.Trims()[0].Id
	p := survey(rig, api.StartPilotRequest{Trim: stock, Minutes: 90})
	p.until("the survey gives up", func() bool { return p.State == api.Ended })
	if !strings.Contains(p.Problem, "no depth keeps to the risk") && !strings.Contains(p.Problem, "failed its proof") || p.Found != nil ||
		inForce(rig.Get()) != stock {
		t.Errorf("it ended with %q, found %v, %d is in force", p.Problem, p.Found, inForce(rig.Get()))
	}
}

// TestSurveyByCard: a board that is not reached is surveyed too: the pilot waits at each card until a person has typed it in and the
// machine has started with it, or until the person says that it does not come up, and goes on by itself.
func TestSurveyByCard(t *testing.T) {
	rig := benchOf(t, "tern-1", func(*standin.Config) {}, (*servertest.Bench).AddCardRig)
	stock := rig.Trims()[0].Id
	deepest := -20
	p := survey(rig, api.StartPilotRequest{Trim: stock, Minutes: 45, Deepest: &deepest})
	cards, dark := 0, int64(0)
	for {
		p.until("a card waits, or the survey ends", func() bool { return p.State == api.Ended || p.Now != nil && p.Now.Doing == "card" })
		if p.State == api.Ended {
			break
		}
		cards++
		var list []api.Fitting
		rig.Call("GET", fmt.Sprintf("/api/rigs/%d/fittings", rig.ID), nil, 200, &list)
		typed := map[string]any{}
		for _, one := range rig.Trims() {
			if one.Id != list[0].Trim {
				continue
			}
			for _, line := range list[0].Card {
				more, err := trim.ToAttributes(rig.Config.Parts.Board, line.Key, one.Settings[line.Key])
				if err != nil {
					t.Fatal(err)
				}
				maps.Copy(typed, more)
			}
		}
		rig.Call("POST", fmt.Sprintf("/api/fittings/%d/no-post", list[0].Id), nil, 409, nil)
		rig.Call("POST", fmt.Sprintf("/api/fittings/%d/entered", list[0].Id), nil, 200, nil)
		if cards == 2 { // which the machine does not come up with
			dark = list[0].Trim
			rig.Call("POST", fmt.Sprintf("/api/fittings/%d/no-post", list[0].Id), nil, 200, nil)
			typed = map[string]any{"VcOffset": 0}
		}
		rig.Enter(typed, "ForceRestart")
		p.until("the machine is back", func() bool { return p.State == api.Ended || p.Now == nil || p.Now.Doing != "card" })
	}
	if p.Problem != "" || p.Found == nil || inForce(rig.Get()) != *p.Found || *p.Found == dark || cards < 3 || p.Clears != 1 {
		t.Errorf("after %d cards and %d clears it ended with %q, found %v", cards, p.Clears, p.Problem, p.Found)
	}
}
