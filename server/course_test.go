package server_test

import (
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"zerokeel/core/part"
	"zerokeel/core/preflight"
	"zerokeel/core/trim"
	"zerokeel/demo/rigs"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
	"zerokeel/standin"
)

// standinOf returns the demo's stand-in of a name.
func standinOf(t *testing.T, name string) *standin.Config {
	t.Helper()
	text, err := rigs.Standin(name)
	if err != nil {
		t.Fatal(err)
	}
	cfg, err := standin.ParseConfig(text)
	if err != nil {
		t.Fatal(err)
	}
	return cfg
}

func create(rig *servertest.Rig, parent int64, name string, settings trim.Settings) api.Trim {
	var made api.Trim
	rig.Call("POST", fmt.Sprintf("/api/rigs/%d/trims", rig.ID), api.CreateTrimRequest{Parent: parent, Name: name, Settings: settings}, 201,
		&made)
	return made
}

// TestLostOffsetIsNoticedAndFittedAgain: the board of a Tern forgets its offset when the plug is pulled. That is announced
// at the next start, can be fitted again, and is fitted again by itself where the rig is set to it.
func TestLostOffsetIsNoticedAndFittedAgain(t *testing.T) {
	rig := servertest.Start(t).AddRig(standinOf(t, "tern-3"), 600)
	stock := rig.Trims()[0]
	rig.Fit(stock.Id)
	offset := create(rig, stock.Id, "offset", trim.Settings{"voltage.core.offset": part.Number(-60)})
	if f := rig.Fit(offset.Id); f.State != "in force" {
		t.Fatalf("fitting: %+v", f)
	}
	rig.Enter(nil, "ForceRestart")
	boots := func() string { return rig.Get().FirmwareVersion }
	rig.Until("the check after a plain restart", func() bool { g := rig.Get(); return g.Linked && g.TrimInForce != nil && boots() != "" })
	if g := rig.Get(); *g.TrimInForce != offset.Id || len(g.Drift) != 0 {
		t.Fatalf("after a plain restart: %+v", g)
	}
	rig.Enter(nil, "FullPowerCycle")
	rig.Until("the loss is announced", func() bool { return rig.Get().LostTrim != nil })
	g := rig.Get()
	if *g.LostTrim != offset.Id || len(g.Drift) != 1 || g.Drift[0].Key != "voltage.core.offset" || g.TrimInForce == nil ||
		*g.TrimInForce != stock.Id {
		t.Fatalf("after the plug was pulled: lost %v, drift %+v, in force %v", g.LostTrim, g.Drift, g.TrimInForce)
	}
	yes := true
	var before, after []api.Fitting
	list := fmt.Sprintf("/api/rigs/%d/fittings", rig.ID)
	rig.Call("PATCH", fmt.Sprintf("/api/rigs/%d", rig.ID), api.UpdateRigRequest{Refit: &yes}, 200, nil)
	rig.Until("what was lost is fitted again at once", func() bool {
		rig.Call("GET", list, nil, 200, &before)
		return before[0].Trim == offset.Id && before[0].State == "in force"
	})
	if g := rig.Get(); g.LostTrim != nil || len(g.Drift) != 0 {
		t.Errorf("after the fitting the loss is still announced: %+v", g)
	}
	rig.Enter(nil, "FullPowerCycle")
	rig.Until("it is fitted again by itself", func() bool {
		rig.Call("GET", list, nil, 200, &after)
		return len(after) == len(before)+1 && after[0].Ended
	})
	if g := rig.Get(); after[0].State != "in force" || g.TrimInForce == nil || *g.TrimInForce != offset.Id {
		t.Errorf("by itself: %+v", after[0])
	}
}

// TestCardFitting enters a trim by hand: the card is in the board's words and order, ticks are kept, and after the
// restart what shows of the trim is compared.
func TestCardFitting(t *testing.T) {
	rig := servertest.Start(t).AddCardRig(standinOf(t, "tern-1"), 600)
	stock := rig.Trims()[0]
	if g := rig.Get(); g.CanFit || !g.ByHand || g.TrimInForce == nil {
		t.Fatalf("a rig without a board address: %+v", g)
	}
	quiet := create(rig, stock.Id, "quiet", trim.Settings{"voltage.core.offset": part.Number(-60), "limit.beyondSpec": part.Switch(false),
		"limit.pl1": part.Number(50), "platform.smt": part.Switch(false)})
	begin := func() api.Fitting {
		var f api.Fitting
		rig.Call("POST", fmt.Sprintf("/api/rigs/%d/fittings", rig.ID), api.FitRequest{Trim: quiet.Id}, 201, &f)
		return f
	}
	f := begin()
	var lines []string
	for _, l := range f.Card {
		lines = append(lines, strings.Join(l.Menu, " > ")+": "+l.Label+" = "+l.Enter)
	}
	want := []string{"Tuner > Limits: Board's Own Limits = Disabled", "Tuner > Limits: Steady Power = 50 W",
		"Tuner > Voltage: Core Voltage Offset = \u221260 mV", "Tuner > CPU Features: Twin Threads = Disabled"}
	if !slices.Equal(lines, want) || !f.ByHand || f.State != "entering" {
		t.Fatalf("%s: the card has %q, want %q", f.State, lines, want)
	}
	ticks := fmt.Sprintf("/api/fittings/%d/ticks", f.Id)
	rig.Call("PUT", ticks, map[string]any{"keys": []string{"limit.pl1", "no.such"}}, 422, nil)
	boot := func() string {
		r, err := rig.Store.Rig(t.Context(), rig.ID)
		if err != nil {
			t.Fatal(err)
		}
		return r.BootID
	}
	first := boot()
	rig.Enter(nil, "ForceRestart") // the start that counts comes after the last tick
	rig.Until("it starts again", func() bool { return boot() != first })
	rig.Call("PUT", ticks, map[string]any{"keys": []string{"limit.pl1", "platform.smt"}}, 200, &f)
	if len(f.Ticked) != 2 {
		t.Errorf("ticked: %q", f.Ticked)
	}
	if kept, err := rig.Store.Fitting(t.Context(), f.Id); err != nil || kept.BootBefore != boot() {
		t.Errorf("it waits for another start than %q, which is not the one at the last tick (%v)", kept.BootBefore, err)
	}
	rig.Call("POST", fmt.Sprintf("/api/rigs/%d/fittings", rig.ID), api.FitRequest{Trim: stock.Id}, 409, nil)

	ended := func(f api.Fitting) api.Fitting {
		rig.Until("the fitting ends", func() bool {
			rig.Call("GET", fmt.Sprintf("/api/fittings/%d", f.Id), nil, 200, &f)
			return f.Ended
		})
		return f
	}
	rig.Call("POST", fmt.Sprintf("/api/fittings/%d/entered", f.Id), nil, 200, &f)
	rig.Enter(map[string]any{"OwnLimits": "Disabled", "SteadyPower": 400, "VcOffset": -60}, "ForceRestart") // SMT forgotten
	if f = ended(f); f.State != "differs" || len(f.Differences) != 1 || f.Differences[0].Key != "platform.smt" {
		t.Fatalf("with SMT forgotten: %+v", f)
	}
	f = begin()
	rig.Call("POST", fmt.Sprintf("/api/fittings/%d/entered", f.Id), nil, 200, nil)
	rig.Enter(map[string]any{"TwinThread": "Disabled"}, "ForceRestart")
	if f = ended(f); f.State != "in force" {
		t.Fatalf("all entered: %+v", f)
	}
	if g := rig.Get(); g.TrimInForce == nil || *g.TrimInForce != quiet.Id {
		t.Errorf("in force: %v", g.TrimInForce)
	}

	f = begin()
	at := boot()
	entered := fmt.Sprintf("/api/fittings/%d/entered", f.Id)
	rig.Call("POST", entered, nil, 200, &f)
	if f.State != "waiting" {
		t.Errorf("entered, and the same start runs: %s", f.State)
	}
	rig.Call("POST", entered, nil, 200, nil) // it had restarted before it was ticked
	if f = ended(f); f.State != "in force" || boot() != at {
		t.Errorf("at a person's word that it has restarted already: %+v", f)
	}
	rig.Call("POST", entered, nil, 409, nil)

	f = begin()
	rig.Call("POST", fmt.Sprintf("/api/fittings/%d/cancel", f.Id), nil, 200, &f)
	if g := rig.Get(); f.State != "failed" || g.TrimInForce == nil || *g.TrimInForce != quiet.Id {
		t.Errorf("given up before anything was entered: %s, in force %v", f.State, g.TrimInForce)
	}
}

// TestCourse walks what can be done with trims beside fitting them.
func TestCourse(t *testing.T) {
	bench := servertest.Start(t)
	rig := bench.AddRig(petrel(t, nil), 600)
	other := standinOf(t, "dunlin")
	dunlin := bench.AddRig(other, 600)
	stock := rig.Trims()[0]
	a := create(rig, stock.Id, "limits", trim.Settings{"limit.ppt": part.Number(120), "curve.all": part.Number(-10),
		"clock.boostOffset": part.Number(-100), "curve.core.7": part.Number(-5)})
	b := create(rig, stock.Id, "deep", trim.Settings{"curve.all": part.Number(-15)})

	var changes []trim.Change
	rig.Call("GET", fmt.Sprintf("/api/rigs/%d/difference?from=%d&to=%d", rig.ID, a.Id, b.Id), nil, 200, &changes)
	if len(changes) != 4 {
		t.Errorf("between the two: %+v", changes)
	}
	patch := func(id int64, profile, notes string) {
		p := api.UpdateTrimRequestProfile(profile)
		rig.Call("PATCH", fmt.Sprintf("/api/trims/%d", id), api.UpdateTrimRequest{Profile: &p, Notes: &notes}, 200, nil)
	}
	patch(a.Id, "quiet", "for the night")
	patch(b.Id, "quiet", "")
	var profiles []string
	for _, one := range rig.Trims() {
		profiles = append(profiles, string(one.Profile))
	}
	if !slices.Equal(profiles, []string{"", "", "quiet"}) {
		t.Errorf("profiles: %q, want one quiet trim", profiles)
	}
	rig.Fit(a.Id)
	rig.Call("PATCH", fmt.Sprintf("/api/trims/%d", a.Id), `{"settings":{"curve.all":-1}}`, 409, nil)
	patch(a.Id, "fast", "notes may change after the fitting")

	status, text := rig.Raw("GET", fmt.Sprintf("/api/trims/%d/file", a.Id), nil)
	set := rig.Config.Parts
	file, err := trim.ParseFile(text, &set)
	if status != 200 || err != nil || len(file.Settings) != 4 || file.For.Processor != "corvane-s8" {
		t.Fatalf("the file: %d, %v: %s", status, err, text)
	}
	var made api.MadeTrim
	rig.Call("POST", fmt.Sprintf("/api/rigs/%d/trims/import", rig.ID), string(text), 201, &made)
	back := made.Trim
	rig.Call("GET", fmt.Sprintf("/api/rigs/%d/difference?from=%d&to=%d", rig.ID, a.Id, back.Id), nil, 200, &changes)
	if len(changes) != 0 || back.Parent == nil || *back.Parent != a.Id {
		t.Errorf("the file came back with %+v, child of %v", changes, back.Parent)
	}
	before := len(rig.Trims())
	for name, bad := range map[string]string{
		"newer":       strings.Replace(string(text), "trim/1", "trim/2", 1),
		"other parts": strings.Replace(string(text), "corvane-s8", "meridan-k14", 1),
		"parent":      strings.Replace(string(text), `"name"`, `"parent": 7, "name"`, 1),
		"twice":       strings.Replace(string(text), `"curve.all": -10`, `"curve.all": -10, "curve.all": -12`, 1),
		"too large":   strings.Replace(string(text), `"curve.all": -10`, `"curve.all": 1e309`, 1),
	} {
		if bad == string(text) {
			t.Fatalf("%s: the file is not changed", name)
		}
		if status, answer := rig.Raw("POST", fmt.Sprintf("/api/rigs/%d/trims/import", rig.ID), bad); status != 422 ||
			!strings.Contains(string(answer), `"field"`) {
			t.Errorf("%s: %d %s", name, status, answer)
		}
	}
	if after := len(rig.Trims()); after != before {
		t.Errorf("refused files left %d trims behind", after-before)
	}

	var copied api.MadeTrim
	rig.Call("POST", fmt.Sprintf("/api/trims/%d/copy", a.Id), api.CopyTrimRequest{Rig: dunlin.ID}, 201, &copied)
	var unfit []string
	for _, u := range copied.Unfit {
		unfit = append(unfit, u.Key)
	}
	slices.Sort(unfit)
	if !slices.Equal(unfit, []string{"clock.boostOffset", "curve.core.7"}) || copied.Trim.Settings["curve.all"] != part.Number(-10) {
		t.Errorf("copied to six locked cores: unfit %q, %v", unfit, copied.Trim.Settings["curve.all"])
	}
}

// TestForecastLearnsFromTrials: after a trial the forecast rests on this rig's records and meets what was measured, on a
// chip and a cooler that stray from their sheets.
func TestForecastLearnsFromTrials(t *testing.T) {
	cfg := petrel(t, func(c *standin.Config) { c.Weaker, c.Strays.CoolerR, c.Strays.ExtraMOhm = nil, 0.15, 0.05 })
	rig := servertest.Start(t).AddRig(cfg, 1200)
	stock := rig.Trims()[0]
	inSpec := create(rig, stock.Id, "limits", trim.Settings{"limit.ppt": part.Number(120)})
	rig.Fit(inSpec.Id)
	legs := []api.LegRequest{servertest.Leg("heavy", 900), servertest.Leg("mixed", 900), servertest.Leg("light", 800),
		servertest.Leg("idle", 1500)}
	if trial := rig.Ended(rig.Start(api.StartTrialRequest{Legs: legs}).Id); trial.Verdict != "held" {
		t.Fatalf("%+v", trial)
	}
	next := create(rig, inSpec.Id, "deeper", trim.Settings{"limit.ppt": part.Number(100), "curve.all": part.Number(-8)})
	rig.Fit(next.Id)
	if trial := rig.Ended(rig.Start(api.StartTrialRequest{Legs: legs}).Id); trial.Verdict != "held" {
		t.Fatalf("%+v", trial)
	}
	var out api.Outcome
	rig.Call("GET", fmt.Sprintf("/api/trims/%d/outcome", next.Id), nil, 200, &out)
	if out.Forecast == nil || out.Forecast.Records != 4 || len(out.Measured) != 4 || len(out.Forecast.Spreads) != 4 {
		t.Fatalf("%+v", out)
	}
	for i, m := range out.Measured {
		f := out.Forecast.Loads[i]
		if c := math.Abs(f.HottestC - *m.HottestC); c > 1.5 {
			t.Errorf("%s: %.1f °C forecast, %.1f °C measured", m.Load, f.HottestC, *m.HottestC)
		}
		if mv := 1000 * math.Abs(f.DeliveredV-*m.DeliveredV); mv > 8 {
			t.Errorf("%s: %.3f V forecast, %.3f V measured", m.Load, f.DeliveredV, *m.DeliveredV)
		}
		if w := math.Abs(f.ReportedW - *m.PackageW); w > 0.03**m.PackageW+0.5 {
			t.Errorf("%s: %.1f W forecast, %.1f W measured", m.Load, f.ReportedW, *m.PackageW)
		}
	}
}

// TestLearnABoard: of the registry of every demo board, most attributes are proposed for the setting that they are, and
// few for a wrong one.
func TestLearnABoard(t *testing.T) {
	bench := servertest.Start(t)
	for _, name := range []string{"petrel", "skua", "gannet"} {
		rig := bench.AddRig(standinOf(t, name), 600)
		var list []trim.Learnt
		rig.Call("GET", fmt.Sprintf("/api/rigs/%d/registry", rig.ID), nil, 200, &list)
		truth := map[string]string{}
		for _, key := range trim.Keys(rig.Config.Parts.Processor, rig.Config.Parts.Board) {
			entry, _ := rig.Config.Parts.Board.Lookup(key)
			truth[entry.Attribute] = key
		}
		right, wrong := 0, 0
		for _, a := range list {
			switch {
			case a.Setting != "" && truth[a.Attribute] == a.Setting:
				right++
			case a.Setting != "":
				wrong++
			}
		}
		t.Logf("%s: %d attributes, %d proposed rightly, %d wrongly", name, len(list), right, wrong)
		draftFits(t, rig, truth)
		if right < len(truth)/2 || wrong > right/3 {
			t.Errorf("%s: of %d settings %d are proposed rightly, %d wrongly", name, len(truth), right, wrong)
		}
	}
}

// draftFits makes a sheet of a board's registry with the mapping that a builder would confirm, and holds it against the
// true sheet: ranges, steps, scales and defaults of every number come out right, and the sheet can be stored once the
// spellings that cannot be guessed are filled in.
func draftFits(t *testing.T, rig *servertest.Rig, truth map[string]string) {
	t.Helper()
	var draft part.Board
	rig.Call("POST", fmt.Sprintf("/api/rigs/%d/registry/sheet", rig.ID), map[string]any{"id": "learnt", "model": "learnt", "mapping": truth},
		200, &draft)
	numbers, wrong := 0, 0
	for i := range draft.Settings {
		got := &draft.Settings[i]
		for _, want := range rig.Config.Parts.Board.Settings {
			if want.Setting != got.Setting {
				continue
			}
			if def, _, _ := trim.Find(want.Setting); def.Type != trim.TypeNumber {
				got.Values, got.Default = want.Values, want.Default
				continue
			}
			numbers++
			same := math.Abs(got.Max-want.Max) <= 1e-9*math.Abs(want.Max) && math.Abs(got.Step-want.Step) <= 1e-9 &&
				got.Attribute == want.Attribute && got.Label == want.Label
			if !same {
				wrong++
			}
		}
	}
	if numbers < 20 || wrong > numbers/5 {
		t.Errorf("%s: of %d numbers %d came out wrong", rig.Config.Name, numbers, wrong)
	}
}

// TestPartSheetsComeAndGo: a sheet is read back as it was given, and goes only while no rig uses it.
func TestPartSheetsComeAndGo(t *testing.T) {
	bench := servertest.Start(t)
	sheet := standinOf(t, "skua").Parts.Board
	bench.Call("PUT", "/api/parts/board/"+sheet.ID, sheet, 200, nil)
	_, text := bench.Raw("GET", "/api/parts/board/"+sheet.ID, nil)
	got, err := part.ParseSheet(part.KindBoard, text)
	if err != nil {
		t.Fatal(err)
	}
	a, _ := json.Marshal(sheet)
	b, _ := json.Marshal(got)
	if string(a) != string(b) {
		t.Error("the sheet came back another one")
	}
	bench.Call("DELETE", "/api/parts/board/"+sheet.ID, nil, 204, nil)
	bench.Call("GET", "/api/parts/board/"+sheet.ID, nil, 404, nil)
	bench.Call("DELETE", "/api/parts/board/"+sheet.ID, nil, 404, nil)
}

// TestBoardReadsBackAnother: a board that takes a value and rounds it by itself is told of, setting by setting, and the
// trim does not count as in force.
func TestBoardReadsBackAnother(t *testing.T) {
	cfg := petrel(t, nil)
	for i := range cfg.Parts.Board.Settings {
		if s := &cfg.Parts.Board.Settings[i]; s.Setting == "limit.ppt" {
			s.Round = 10
		}
	}
	rig := servertest.Start(t).AddRig(cfg, 600)
	trimmed := create(rig, rig.Trims()[0].Id, "limits", trim.Settings{"limit.ppt": part.Number(142), "limit.tdc": part.Number(125)})
	f := rig.Fit(trimmed.Id)
	if f.State != "differs" || len(f.Differences) != 1 || f.Differences[0].Key != "limit.ppt" || f.Differences[0].Found != part.Number(140) {
		t.Errorf("%s: %+v", f.State, f.Differences)
	}
	if g := rig.Get(); g.TrimInForce != nil {
		t.Errorf("trim %d counts as in force", *g.TrimInForce)
	}
}

// TestNonsenseIsRefusedWhole: what no board takes is refused with every fault, and nothing is stored.
func TestNonsenseIsRefusedWhole(t *testing.T) {
	rig := servertest.Start(t).AddRig(petrel(t, nil), 600)
	points := map[string]any{}
	for i := 1; i <= 40; i++ {
		points[fmt.Sprintf("fan.point.%d.duty", i)] = 50
	}
	forty, err := json.Marshal(map[string]any{"parent": rig.Trims()[0].Id, "name": "forty", "settings": points})
	if err != nil {
		t.Fatal(err)
	}
	for name, row := range map[string]struct {
		body  string
		words []string
	}{
		"forty fan points": {string(forty), []string{"fan.point.5.duty", "fan.point.40.duty"}},
		"not a number":     {`{"parent":1,"name":"x","settings":{"limit.ppt":NaN}}`, nil},
		"past any number":  {`{"parent":1,"name":"x","settings":{"limit.ppt":1e309}}`, nil},
		"a list":           {`{"parent":1,"name":"x","settings":{"limit.ppt":[142]}}`, nil},
		"another board's":  {`{"parent":1,"name":"x","settings":{"limit.pl1":125,"loadline.ac":0.3}}`, []string{"limit.pl1", "loadline.ac"}},
	} {
		status, text := rig.Raw("POST", fmt.Sprintf("/api/rigs/%d/trims", rig.ID), row.body)
		if status < 400 || status >= 500 {
			t.Errorf("%s: %d %s", name, status, text)
		}
		for _, word := range row.words {
			if !strings.Contains(string(text), word) {
				t.Errorf("%s does not name %s: %s", name, word, text)
			}
		}
	}
	if n := len(rig.Trims()); n != 1 {
		t.Errorf("%d trims are there", n)
	}
}

// TestMemoryTrialProvesTheMemory: the advice to prove the memory first ends when it was followed, though its trim was never proven as
// a whole; and comes back once that memory fails.
func TestMemoryTrialProvesTheMemory(t *testing.T) {
	cfg := petrel(t, nil)
	rig := servertest.Start(t).AddRig(cfg, 600)
	rated := create(rig, rig.Trims()[0].Id, "memory", trim.Settings{"memory.profile": part.Choice(trim.ProfileRated)})
	if f := rig.Fit(rated.Id); f.State != "in force" {
		t.Fatalf("%+v", f)
	}
	advised := func() bool {
		t.Helper()
		var c api.Check
		rig.Call("POST", fmt.Sprintf("/api/rigs/%d/check", rig.ID),
			map[string]any{"parent": rated.Id, "settings": trim.Settings{"curve.all": part.Number(-10)}}, 200, &c)
		return slices.ContainsFunc(c.Findings, func(f preflight.Finding) bool { return f.Rule == "memory-unproven" })
	}
	if !advised() {
		t.Error("nobody says that the memory was never proven")
	}
	own := api.StartTrialRequest{Legs: []api.LegRequest{servertest.Leg("memory", 700)}}
	if trial := rig.Ended(rig.Start(own).Id); trial.Verdict != "held" {
		t.Fatalf("%s: %s", trial.Verdict, trial.Why)
	}
	if advised() {
		t.Error("the memory was proven, and the advice goes on")
	}
}
