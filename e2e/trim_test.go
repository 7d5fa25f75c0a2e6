package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"

	"zerokeel/server/api"
)

// rigCalled returns the demo's rig of a name, with the trims of its course.
func rigCalled(t testing.TB, name string) (api.Rig, []api.Trim) {
	t.Helper()
	var rigs []api.Rig
	if err := try("GET", "/api/rigs", nil, &rigs); err != nil {
		t.Fatal(err)
	}
	for _, r := range rigs {
		if r.Name != name {
			continue
		}
		var trims []api.Trim
		if err := try("GET", fmt.Sprintf("/api/rigs/%d/trims", r.Id), nil, &trims); err != nil {
			t.Fatal(err)
		}
		return r, trims
	}
	t.Fatalf("the demo has no rig %s", name)
	return api.Rig{}, nil
}

// choose picks an option of a list by its words.
func (p page) choose(label, option string) {
	p.t.Helper()
	if err := p.see(`select[aria-label="`+label+`"]`, "").Select([]string{option}, true, "text"); err != nil {
		p.t.Fatalf("choose %q in %s: %v", option, label, err)
	}
}

// group opens a group of settings.
func (p page) group(name string) {
	p.t.Helper()
	if e := p.see("[data-group='"+name+"'] > button", ""); *must(e.Attribute("data-state")) == "closed" {
		p.click("[data-group='"+name+"'] > button", "")
	}
}

func must[T any](v T, err error) T {
	if err != nil {
		panic(err)
	}
	return v
}

// TestJourneyBackInsideTheSpec: as delivered, Skua's board goes past every limit; the audit says so, and one click makes
// the trim that brings it back.
func TestJourneyBackInsideTheSpec(t *testing.T) {
	rig, trims := rigCalled(t, "Skua")
	p := open(t, fmt.Sprintf("/rig/%d/trim/%d", rig.Id, trims[0].Id))
	p.see("[data-verdict], h1", "stock")
	p.click("button", "Fit stock")
	p.see("[data-fitting='in force']", "Every setting reads back as asked")
	p.see("nav[aria-label=Fleet] a[aria-current=true]", "stock")
	p.click("nav[aria-label='Sheets'] a", "Rig")
	p.see("section", "5 of 5 beyond")
	p.see("table", "102 % beyond")
	p.click("a", "New trim inside")
	p.see("h1", "New trim from stock")
	p.see("[data-key='limit.beyondSpec']", "Board limits beyond")
	p.see("[data-window]", "Heavy vector")
	p.see("[data-forecast]", "held by sustained power")
	if p.has("[data-rule='board-beyond-spec']") {
		t.Error("the board's own limits are still on")
	}
	p.fill("form label:first-child input", "back in spec")
	p.click("button", "Save trim")
	p.see("h1", "back in spec")
	p.click("button", "Fit T")
	p.see("[data-fitting='in force']", "Every setting reads back as asked")
}

// has reports whether something is on the page at this moment.
func (p page) has(selector string) bool {
	ok, _, err := p.Has(selector)
	return err == nil && ok
}

// TestJourneyAdaptiveByDragging builds the adaptive trim on Skua: the ratio for one active core is dragged two up, the
// one for two by the keyboard, and the voltage target follows.
func TestJourneyAdaptiveByDragging(t *testing.T) {
	rig, trims := rigCalled(t, "Skua")
	p := open(t, fmt.Sprintf("/rig/%d/trim/%d/new", rig.Id, trims[2].Id))
	p.see("h1", "New trim from T2")
	p.group("clocks")
	step := p.see("[data-active-steps] [data-key='clock.active.1']", "54")
	if err := step.ScrollIntoView(); err != nil {
		t.Fatal(err)
	}
	box := must(step.Shape()).Box()
	line := must(must(step.Element("span:nth-child(3)")).Shape()).Box()
	x, y := box.X+box.Width/2, line.Y+1
	mouse := p.Mouse
	for _, do := range []func() error{
		func() error { return mouse.MoveTo(proto.NewPoint(x, y)) },
		func() error { return mouse.Down(proto.InputMouseButtonLeft, 1) },
		func() error { return mouse.MoveLinear(proto.NewPoint(x, y-2*line.Height-24), 6) },
		func() error { return mouse.Up(proto.InputMouseButtonLeft, 1) },
	} {
		if err := do(); err != nil {
			t.Fatal(err)
		}
	}
	until(t, "the dragged step stands higher", func() bool {
		v, err := p.Eval(`() => Number(document.querySelector("[data-key='clock.active.1'][role=slider]")?.getAttribute('aria-valuenow'))`)
		return err == nil && v.Value.Num() > 54
	})
	if err := p.see("[data-key='clock.active.2'][role=slider]", "").Focus(); err != nil {
		t.Fatal(err)
	}
	p.press(input.ArrowUp, input.ArrowUp)
	p.see("[data-key='clock.active.2'][role=slider]", "56")
	p.group("voltage")
	p.choose("Core voltage", "adaptive")
	p.fill(`[aria-label="Core voltage target"]`, "1415 mV")
	p.see("[data-voltage]", "ceiling")
	p.see("[data-forecast]", "Single cores in turn")
	p.see("[data-preflight]", "2 groups change at once")
	p.fill("form label:first-child input", "adaptive by hand")
	p.click("button", "Save trim")
	p.see("h1", "adaptive by hand")
	p.see("li", "Core voltage target")
}

// TestJourneyBands sets curve bands on Gannet, and sees the voltage follow and the board take them.
func TestJourneyBands(t *testing.T) {
	rig, trims := rigCalled(t, "Gannet")
	p := open(t, fmt.Sprintf("/rig/%d/trim/%d/new", rig.Id, trims[4].Id))
	p.see("h1", "New trim from T4")
	p.group("curve")
	p.fill(`[data-bands] [aria-label="Curve band 1, cold"]`, "10")
	p.fill(`[data-bands] [aria-label="Curve band 4, hot"]`, "-6")
	p.see("[data-forecast]", "Idle watch")
	if p.has("[data-rule='sign-lost']") {
		t.Error("a band that is relaxed on a lowered curve is taken for a lost sign")
	}
	p.fill("form label:first-child input", "two bands")
	p.click("button", "Save trim")
	p.see("h1", "two bands")
	p.click("button", "Fit T")
	p.see("[data-fitting='in force']", "Every setting reads back as asked")
}

// TestJourneyCard fits a trim on a Tern whose board is not reached: every line of the card is ticked on a phone's width,
// entered at the board, and the running machine compared.
func TestJourneyCard(t *testing.T) {
	rig, _ := rigCalled(t, "Tern 6")
	p := open(t, fmt.Sprintf("/rig/%d/fitting", rig.Id))
	p.see("[data-fitting='entering']", "Core Voltage Offset")
	if err := (proto.EmulationSetDeviceMetricsOverride{Width: 390, Height: 800, DeviceScaleFactor: 2, Mobile: true}).Call(p); err != nil {
		t.Fatal(err)
	}
	if err := p.Wait(rod.Eval(`() => document.documentElement.scrollWidth <= 390`)); err != nil { // once it is laid out anew
		t.Errorf("on a phone the card is wider than that: %v", err)
	}
	p.see("button", "2 of 3 lines left")
	for _, label := range []string{"Core Voltage Offset", "CPU Fan Wait"} {
		p.click(`input[type=checkbox][aria-label^="`+label+`"]`, "")
	}
	p.click("button", "All entered and saved")
	p.see("[data-fitting='waiting']", "Waiting until")
	enter(t, "tern-6", map[string]any{"VcOffset": -70, "OwnLimits": "Disabled", "CpuFanWait": 4})
	p.see("[data-fitting='in force']", "Entered by hand")
}

// enter does at a stand-in's board what a person would: its address stands on the command line of its process.
func enter(t *testing.T, name string, attributes map[string]any) {
	t.Helper()
	args := map[string]string{}
	entries, err := os.ReadDir("/proc")
	if err != nil {
		t.Fatal(err)
	}
	for _, e := range entries {
		text, _ := os.ReadFile(filepath.Join("/proc", e.Name(), "cmdline"))
		words := strings.Split(string(text), "\x00")
		if !strings.Contains(string(text), dataDir) || !strings.Contains(string(text), name+".standin.json") {
			continue
		}
		for i := 0; i+1 < len(words); i++ {
			args[words[i]] = words[i+1]
		}
		environ, _ := os.ReadFile(filepath.Join("/proc", e.Name(), "environ"))
		for _, pair := range strings.Split(string(environ), "\x00") {
			if password, ok := strings.CutPrefix(pair, "ZEROKEEL_BOARD_PASSWORD="); ok {
				args["password"] = password
			}
		}
	}
	send := func(method, path string, body any) {
		text := must(json.Marshal(body))
		request := must(http.NewRequest(method, "http://"+args["--redfish"]+path, bytes.NewReader(text)))
		request.SetBasicAuth(args["--user"], args["password"])
		response, err := http.DefaultClient.Do(request)
		if err != nil {
			t.Fatal(err)
		}
		_ = response.Body.Close()
		if response.StatusCode >= 300 {
			t.Fatalf("%s %s: %s", method, path, response.Status)
		}
	}
	send("PATCH", "/redfish/v1/Systems/1/Bios/Settings", map[string]any{"Attributes": attributes})
	send("POST", "/redfish/v1/Systems/1/Actions/ComputerSystem.Reset", map[string]any{"ResetType": "ForceRestart"})
}

// TestJourneyLostOffset: the rail says that Tern 3 lost its trim when its plug was pulled; one click fits it again.
func TestJourneyLostOffset(t *testing.T) {
	rig, _ := rigCalled(t, "Tern 3")
	p := open(t, fmt.Sprintf("/rig/%d/rig", rig.Id))
	p.see("nav[aria-label='Fleet'] a", "lost its trim")
	p.see("[data-drift]", "Core voltage offset")
	p.click("[data-drift] button", "again")
	p.see("[data-fitting='in force']", "Every setting reads back as asked")
	until(t, "the rail takes the announcement back", func() bool { return !p.has("[data-drift]") })
}

// TestJourneyPartSheets breaks and mends a sheet in its form: each fault stands at its figure as it is typed, and nothing is lost; makes
// another like it; and reads the registry of a board into one, which is looked at as text.
func TestJourneyPartSheets(t *testing.T) {
	p := open(t, "/rig/1/parts")
	p.click("aside button", "Bluff Loop 240")
	p.see("[data-curves='Resistance by duty'] path", "")
	p.see("[data-form=cooler][data-faults='0']", "")
	p.fill("[data-field=airKPerW] input", "0,09 K/W")
	p.see("[data-field=airKPerW]", "✕")
	p.fill("[data-field=airKPerW] input", "90")
	p.see("[data-field=airKPerW]", "90 K/W is out of range; give 0.01 to 3 K/W")
	p.click("button", "Save sheet")
	p.see("[role=alert]", "airKPerW")
	p.fill("[data-field=airKPerW] input", "0,09")
	p.see("[data-form=cooler][data-faults='0']", "")
	p.click("button", "Another like it")
	p.see("[data-form=cooler][data-faults='2']", "")
	p.fill("[data-field=id] input", "bluff-like")
	p.fill("[data-field=model] input", "Loop like 240")
	p.see("[data-form=cooler][data-faults='0']", "")
	p.click("button", "Save sheet")
	p.see("form", "saved")
	t.Cleanup(func() { _ = try("DELETE", "/api/parts/cooler/bluff-like", nil, nil) })
	var parts []api.Part
	if err := try("GET", "/api/parts", nil, &parts); err != nil {
		t.Fatal(err)
	}
	at := slices.IndexFunc(parts, func(x api.Part) bool { return x.Id == "bluff-like" })
	if at < 0 || parts[at].Sheet["airKPerW"] != 0.09 || parts[at].Name != "Bluff Loop like 240" {
		t.Errorf("of what was typed, this is kept: %+v", parts)
	}
	p.click("button", "Close")
	p.click("button", "Learn the board of Petrel")
	p.see("[data-registry]", "recognised")
	p.see(`[data-registry] input[value="curve.core.5"]`, "")
	p.click("[data-registry] button", "Make a sheet of it")
	p.see("[data-table=settings] td", "curve.core")
	p.click("button", "as text")
	if text := must(p.see("textarea", "").Text()); !strings.Contains(text, `"CurveShiftCore{n}"`) || !strings.Contains(text, `"scale": 1000`) {
		t.Errorf("the draft lacks what the registry tells: %s", text)
	}
}

// TestJourneyNamedParts: a rig that was added by its name alone gets its parts' sheets on its page, and its settings are known from then
// on.
func TestJourneyNamedParts(t *testing.T) {
	var made api.CreatedRig
	quiet := "quiet"
	if err := try("POST", "/api/rigs", api.CreateRigRequest{Name: "Bare poles", Goal: &quiet}, &made); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { removeRig(t, "Bare poles") })
	p := open(t, fmt.Sprintf("/rig/%d/rig", made.Rig.Id))
	p.click("button", "Name its parts")
	for kind, sheet := range map[string]string{"Processor": "Corvane S8", "Board": "Skerry M1", "Cooler": "Bluff Loop 240",
		"Memory": "Cairn 6000"} {
		label := must(p.Element("[data-name-parts]"))
		choice := must(must(label.ElementR("label", kind)).Element("select"))
		if err := choice.Select([]string{sheet}, true, "text"); err != nil {
			t.Fatal(err)
		}
	}
	p.click("button", "These are its parts")
	p.see("dd", "Skerry M1")
	p.click("nav[aria-label='Sheets'] a", "Trim")
	p.see("main", "stock")
	p.click("main a, main button", "New trim from")
	p.see("[data-group]", "")
	p.click("nav[aria-label='Sheets'] a", "Tuning")
	if is := must(p.see("input[name=goal]:checked", "").Property("value")).Str(); is != quiet {
		t.Errorf("its goal is %s, and a tuning is offered for %s", quiet, is)
	}
}

// TestJourneyMeasured: a machine whose sheets are sketches shows on its page what its records tell of its figures, each with its interval;
// a click makes them its sheets, and its trims are forecast from then on. Then it gets the sheets that it had.
func TestJourneyMeasured(t *testing.T) {
	rig, _ := rigCalled(t, "Dunlin")
	had := *rig.PartIds
	t.Cleanup(func() { // once its sheets are as they were
		if err := try("PUT", fmt.Sprintf("/api/rigs/%d/parts", rig.Id), had, new(any)); err != nil {
			t.Error(err)
		}
	})
	for kind, id := range map[string]string{"processor": had.Processor, "cooler": had.Cooler} {
		path := "/api/parts/" + kind + "/" + id
		var sheet map[string]any
		if err := try("GET", path, nil, &sheet); err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() {
			delete(sheet, "source")
			if err := try("PUT", path, sheet, new(any)); err != nil {
				t.Error(err)
			}
		})
		sheet["source"] = "sketch"
		if err := try("PUT", path, sheet, new(any)); err != nil {
			t.Fatal(err)
		}
	}
	p := open(t, fmt.Sprintf("/rig/%d/rig", rig.Id))
	p.see("[data-measuring=found] [data-found] td", "Switched capacitance of a core")
	p.see("[data-found] td", `V`)
	p.click("button", "Make these its sheets")
	p.see("[data-measuring=taken]", "Measure it up again")
	p.click("nav[aria-label='Sheets'] a", "Trim")
	p.click("main a, main button", "New trim from")
	p.see("[data-forecast]", "W")
}

// TestTrimByKeyboardAlone finds a setting by the board's own words, changes it, folds a group open, and saves, without a
// mouse.
func TestTrimByKeyboardAlone(t *testing.T) {
	rig, trims := rigCalled(t, "Dunlin")
	p := open(t, fmt.Sprintf("/rig/%d/trim/%d/new", rig.Id, trims[3].Id))
	p.see("h1", "New trim from T3")
	if err := p.see(`input[aria-label="Find a setting"]`, "").Focus(); err != nil {
		t.Fatal(err)
	}
	if err := p.InsertText("boost top"); err != nil {
		t.Fatal(err)
	}
	p.see("[data-key='clock.boostOffset']", "locked and ignores it")
	p.fill(`input[aria-label="Find a setting"]`, "package power")
	p.see("[data-key='limit.ppt']", "PPT")
	p.press(input.Tab)
	p.press(input.ArrowDown, input.ArrowDown)
	p.holds("PPT", "43", "after two steps down from 45")
	p.fill(`input[aria-label="Find a setting"]`, "no such thing")
	p.see("main", "No setting is called that")
	p.fill(`input[aria-label="Find a setting"]`, " ")
	p.see("[data-group='cooling'] > button", "Cooling")
	if err := p.see("[data-group='cooling'] > button", "").Focus(); err != nil {
		t.Fatal(err)
	}
	p.press(input.Enter)
	p.see("[data-group='cooling'] table", "Pump")
	if err := p.see("button[type=submit]", "Save trim").Focus(); err != nil {
		t.Fatal(err)
	}
	p.press(input.Enter)
	p.see("h1", "PPT")
	p.see("li", "PPT")
}

// TestTrimLeavesAndComesBack exports a trim of Dunlin, keeps it as a profile, copies it to a Tern, and sees what did not fit.
func TestTrimLeavesAndComesBack(t *testing.T) {
	rig, trims := rigCalled(t, "Dunlin")
	p := open(t, fmt.Sprintf("/rig/%d/trim/%d", rig.Id, trims[2].Id))
	p.see("h1", "T2 reference 103 MHz")
	p.see("h1 + p", "the fast profile")
	file := get(t, fmt.Sprintf("/api/trims/%d/file", trims[2].Id))
	var text map[string]any
	if err := json.NewDecoder(file.Body).Decode(&text); err != nil || text["format"] != "zerokeel.trim/1" {
		t.Errorf("the file: %v, %v", text, err)
	}
	p.choose("Copy to another rig", "Tern 5")
	p.see("[role=status]", "without what does not fit")
	p.see("[role=status] li", "clock.reference")
	p.click("[role=status] button", "Show the copy")
	p.see(".frame[data-sheet='trim'] h1", "reference 103 MHz")
	p.see("nav[aria-label='Fleet'] a[aria-current]", "Tern 5")
	p.click("a", "Setting card")
	p.see("h1", "Setting card: Tern 5")
	p.click("input[type=checkbox]", "")
	p.see("[data-card]", "Steady Power")
}
