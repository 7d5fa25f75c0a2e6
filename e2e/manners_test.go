package e2e

import (
	"errors"
	"fmt"
	"strings"
	"testing"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"

	"zerokeel/browser"
)

// value returns what a field of the form holds.
func (p page) value(label string) string {
	p.t.Helper()
	out, err := p.Eval(`(label) => document.querySelector('[aria-label="' + label + '"]').value`, label)
	if err != nil {
		p.t.Fatal(err)
	}
	return out.Value.Str()
}

func (p page) press(keys ...input.Key) {
	p.t.Helper()
	for _, k := range keys {
		if err := p.Keyboard.Type(k); err != nil {
			p.t.Fatal(err)
		}
	}
}

// holds waits until a field shows a value: keys are handled after they were sent.
func (p page) holds(label, want, when string) {
	p.t.Helper()
	until(p.t, when+" "+label+" shows "+want, func() bool { return p.value(label) == want })
}

// editor opens the editor of a new trim from T2, which the demo's history always holds.
func editor(t *testing.T) page {
	t.Helper()
	p := open(t, "/rig/1/trim/4/new")
	p.see("h1", "New trim from T2")
	p.see("[data-forecast]", "Heavy vector")
	return p
}

// TestNumbersAreTypedAsPeopleTypeThem: units are converted, either minus sign and decimal mark is taken, arrow keys go
// by the board's step and stop at its ends, and what is no number is marked and not lost on the way.
func TestNumbersAreTypedAsPeopleTypeThem(t *testing.T) {
	p := editor(t)
	p.click("button", "Limits")
	const ppt, curve = "PPT", "Curve offset, all cores"
	field := func(label string) *rod.Element { return p.see(`[aria-label="`+label+`"]`, "") }
	rows := []struct{ label, typed, reason string }{
		{ppt, "0.12 kW", "PPT 142 → 120 W"},
		{ppt, "110W", "PPT 142 → 110 W"},
		{curve, "\u22127", "Curve offset, all cores 0 → \u22127 steps"},
		{curve, "-8", "Curve offset, all cores 0 → \u22128 steps"},
	}
	for _, row := range rows {
		p.fill(`[aria-label="`+row.label+`"]`, row.typed)
		if _, err := p.Element(fmt.Sprintf(`form input[placeholder*=%q]`, row.reason)); err != nil {
			t.Errorf("%q in %s does not become %q: %v", row.typed, row.label, row.reason, err)
		}
	}
	if err := field(curve).Focus(); err != nil {
		t.Fatal(err)
	}
	p.press(input.ArrowDown, input.ArrowDown, input.ArrowUp)
	p.holds(curve, "\u22129", "after two steps down and one up")
	if err := p.KeyActions().Press(input.ShiftLeft).Type(input.ArrowDown, input.ArrowDown).Release(input.ShiftLeft).Do(); err != nil {
		t.Fatal(err)
	}
	p.holds(curve, "\u221219", "after two big steps down")
	if err := p.KeyActions().Press(input.ShiftLeft).Type(input.ArrowDown, input.ArrowDown, input.ArrowDown,
		input.ArrowDown).Release(input.ShiftLeft).Do(); err != nil {
		t.Fatal(err)
	}
	p.holds(curve, "\u221230", "past the end of the board's range")
	p.fill(`[aria-label="`+curve+`"]`, "deep")
	if _, err := p.Element(`[aria-label="` + curve + `"][aria-invalid="true"]`); err != nil {
		t.Errorf("a word is not marked as wrong: %v", err)
	}
	p.fill(`[aria-label="`+curve+`"]`, "-100")
	p.see("[data-rule='board-range']", "decimal point")
	if _, err := p.Element("button[type=submit]:disabled"); err != nil {
		t.Error("a trim that the board does not take can be saved")
	}
	p.click("[data-rule='board-range'] button", "Mend it")
	p.holds(curve, "\u221210", "after mending")
}

// TestSheetsPrintWhole: on paper nothing of a sheet is scrolled away, or wider than the page; the frame's ways to other sheets are left
// out.
func TestSheetsPrintWhole(t *testing.T) {
	const measure = `() => [...document.querySelectorAll('nav, main, main *')].filter((e) => {
		const box = e.getBoundingClientRect();
		if (e.tagName === 'NAV') return box.height > 0;
		const hides = getComputedStyle(e).overflowY !== 'visible' && !e.matches('.sr-only, .truncate, svg *, textarea, select, canvas');
		return hides && e.clientHeight > 0 && e.scrollHeight > e.clientHeight + 2 || box.width > 0 && box.right > innerWidth + 1;
	}).map((e) => e.tagName + ' ' + e.className + ': ' + e.textContent.slice(0, 40))`
	const upright, lying = 703, 1032 // pixels between the margins of A4
	for _, row := range []struct {
		sheet, ready string
		width        int
	}{{"compare", "[data-side-by-side]", upright}, {"cooling", "[data-chart=fan]", upright}, {"fleet", "[data-kin] svg", lying},
		{"trim", "[data-proof]", upright}, {"handbook/begin", "[data-page] li", upright}, {"scores", "[data-comparison]", upright}} {
		p := open(t, "/rig/1/"+row.sheet)
		p.see(row.ready, "")
		if err := errors.Join(proto.EmulationSetEmulatedMedia{Media: "print"}.Call(p),
			proto.EmulationSetDeviceMetricsOverride{Width: row.width, Height: 1000, DeviceScaleFactor: 1}.Call(p)); err != nil {
			t.Fatal(err)
		}
		found := []string{}
		for _, bad := range must(p.Eval(measure)).Value.Arr() {
			found = append(found, bad.Str())
		}
		if len(found) > 0 {
			t.Errorf("%s on paper: %q", row.sheet, found)
		}
	}
}

// TestKeysReachEverySheet walks the sheets by keyboard alone, and finds a command.
func TestKeysReachEverySheet(t *testing.T) {
	p := open(t, "/rig/1/rig")
	p.see("h1", "Petrel")
	for _, row := range []struct {
		key   input.Key
		sheet string
	}{{input.KeyS, "scores"}, {input.KeyC, "compare"}, {input.KeyE, "fleet"},
		{input.KeyF, "fitting"}, {input.KeyL, "trial"}, {input.KeyT, "trim"}, {input.KeyR, "rig"}} {
		p.press(input.KeyG, row.key)
		if _, err := p.Element(".frame[data-sheet='" + row.sheet + "']"); err != nil {
			t.Errorf("g and a letter do not lead to %s: %v", row.sheet, err)
		}
	}
	p.press(input.Slash)
	p.see("[cmdk-item]", "Compare with stock")
	if err := p.InsertText("memory"); err != nil {
		t.Fatal(err)
	}
	p.press(input.Enter)
	p.see("h1", "T1 memory")
	p.typed("?", "Slash", true)
	p.see("[data-page='cooler-without-loss'] ~ *, aside", "mark this moment")
}

// TestDragAcrossTheCourseCompares drags from one waypoint to another.
func TestDragAcrossTheCourseCompares(t *testing.T) {
	p := open(t, "/rig/1/rig")
	centre := func(label string) proto.Point {
		t.Helper()
		shape, err := p.see("nav[aria-label='Course of trims'] button", label).Shape()
		if err != nil {
			t.Fatal(err)
		}
		box := shape.Box()
		return proto.Point{X: box.X + box.Width/2, Y: box.Y + box.Height/2}
	}
	from, to := centre("T1 memory"), centre("stock")
	steps := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	steps(p.Mouse.MoveTo(from))
	steps(p.Mouse.Down(proto.InputMouseButtonLeft, 1))
	steps(p.Mouse.MoveTo(to))
	steps(p.Mouse.Up(proto.InputMouseButtonLeft, 1))
	p.see("h1", "T1 against stock")
	p.see("[data-words='T1']", "% faster in a burst")
}

// TestTextIsReadableOnBothCharts measures the contrast of all text, on every sheet, by day and by night: at least 4.5
// to 1, or 3 to 1 for large text, as WCAG AA asks.
func TestTextIsReadableOnBothCharts(t *testing.T) {
	const measure = `() => {
		const canvas = document.createElement('canvas').getContext('2d', { willReadFrequently: true });
		const rgb = (c) => { canvas.clearRect(0, 0, 1, 1); canvas.fillStyle = c; canvas.fillRect(0, 0, 1, 1);
		return [...canvas.getImageData(0, 0, 1, 1).data]; };
		const light = ([r, g, b]) => [r, g, b].map((v) => { v /= 255;
		return v <= 0.03928 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4; }).reduce((s, v, i) => s + v * [0.2126, 0.7152, 0.0722][i], 0);
		const ground = (e) => { for (; e; e = e.parentElement) { const c = rgb(getComputedStyle(e).backgroundColor);
		if (c[3] > 200) return c; } return [255, 255, 255, 255]; };
		const bad = [];
		const walk = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
		while (walk.nextNode()) {
			const text = walk.currentNode.textContent.trim();
			const e = walk.currentNode.parentElement;
			if (!text || !e.checkVisibility({ checkOpacity: true }) || e.closest('svg, kbd, :disabled, .sr-only')) continue;
			const style = getComputedStyle(e);
			const a = light(rgb(style.color)), b = light(ground(e));
			const ratio = (Math.max(a, b) + 0.05) / (Math.min(a, b) + 0.05);
			const large = parseFloat(style.fontSize) >= 24 || (parseFloat(style.fontSize) >= 18.6 && style.fontWeight >= 700);
			if (ratio < (large ? 3 : 4.5)) bad.push(text.slice(0, 30) + ' ' + ratio.toFixed(2));
		}
		return bad;
	}`
	p := open(t, "/rig/1/rig")
	for _, chart := range []string{"day", "night"} {
		if _, err := p.Eval(`(chart) => localStorage.setItem('chart', chart)`, chart); err != nil {
			t.Fatal(err)
		}
		for _, sheet := range []string{"rig", "trim", "trim/4/new", "fitting", "trial", "scores", "compare", "cooling", "fleet", "workshop"} {
			if err := p.Navigate(address + "/rig/1/" + sheet); err != nil {
				t.Fatal(err)
			}
			p.see("h1", ".")
			out, err := p.Eval(measure)
			if err != nil {
				t.Fatal(err)
			}
			for _, bad := range out.Value.Arr() {
				t.Errorf("%s, %s: %s", chart, sheet, bad.Str())
			}
		}
	}
}

// TestNothingIsCutOff looks, at the width of a small screen too, for sheets wider than their place, and for controls
// without a name.
func TestNothingIsCutOff(t *testing.T) {
	p := open(t, "/rig/1/rig")
	for _, width := range []int{browser.Width, 1024, 1900} {
		if err := p.SetViewport(&proto.EmulationSetDeviceMetricsOverride{Width: width, Height: 800, DeviceScaleFactor: 1}); err != nil {
			t.Fatal(err)
		}
		for _, sheet := range []string{"rig", "trim", "trim/4/new", "fitting", "trial", "scores", "compare", "cooling", "fleet", "workshop"} {
			if err := p.Navigate(address + "/rig/1/" + sheet); err != nil {
				t.Fatal(err)
			}
			p.see("h1", ".")
			out, err := p.Eval(`() => {
				const wide = [...document.querySelectorAll('main, main > *, main > * > *, aside, header')]
				.filter((e) => e.scrollWidth > e.clientWidth + 1).map((e) => e.tagName + ' ' + e.className.slice(0, 40));
				const nameless = [...document.querySelectorAll('button, input, select, a')]
				.filter((e) => e.checkVisibility() && !(e.innerText || e.ariaLabel || e.title || e.labels?.length))
				.map((e) => 'nameless ' + e.outerHTML.slice(0, 60));
				if (document.documentElement.scrollWidth > innerWidth) wide.push('the page itself');
				return [...wide, ...nameless];
			}`)
			if err != nil {
				t.Fatal(err)
			}
			for _, bad := range out.Value.Arr() {
				t.Errorf("%d wide, %s: %s", width, sheet, bad.Str())
			}
		}
	}
}

// TestTrialIsMarkedAndStopped marks a moment with the space bar and stops with the full stop, after a question.
func TestTrialIsMarkedAndStopped(t *testing.T) {
	id := start(t, 2, `[{"load":"idle","seconds":600}]`)
	p := open(t, fmt.Sprintf("/rig/2/trial/%d", id))
	p.see("[data-legs]", " of 10:00")
	p.press(input.Space)
	p.see("aside li", "mark: marked by hand")
	p.press(input.Period)
	p.see("[role=alertdialog]", "will prove nothing")
	p.click("[role=alertdialog] button", "Keep going")
	p.press(input.Period)
	p.click("[role=alertdialog] button", "Stop the trial")
	p.see("[data-verdict='stopped']", "stopped")
	if trial := ended(t, id); trial.Verdict != "stopped" || len(trial.Events) != 1 || !strings.Contains(trial.Why, "stopped by hand") {
		t.Errorf("got %s (%s) with %d events", trial.Verdict, trial.Why, len(trial.Events))
	}
}

// typed sends a character as a keyboard does on which it lies on another key than on an American one.
func (p page) typed(character, code string, shift bool) {
	p.t.Helper()
	key := proto.InputDispatchKeyEvent{Type: proto.InputDispatchKeyEventTypeKeyDown, Key: character, Code: code, Text: character}
	if shift {
		key.Modifiers = 8
	}
	up := key
	up.Type, up.Text = proto.InputDispatchKeyEventTypeKeyUp, ""
	for _, e := range []proto.InputDispatchKeyEvent{key, up} {
		if err := e.Call(p.Page); err != nil {
			p.t.Fatal(err)
		}
	}
}

// TestKeysGoByCharacter: on a German keyboard the slash lies on Shift and 7, the question mark beside 0, and Z where an
// American one has Y: what is typed counts, not where.
func TestKeysGoByCharacter(t *testing.T) {
	p := open(t, "/rig/1/rig")
	p.see("h1", "Petrel")
	p.typed("/", "Digit7", true)
	p.see("[role=dialog] input", "")
	p.press(input.Escape)
	until(t, "the dialog closes", func() bool { return !p.has("[role=dialog]") })
	p.typed("?", "Minus", true)
	p.see("[data-page=begin] h1", "A machine comes to the bench")
	p.typed("g", "KeyG", false)
	p.typed("s", "KeyS", false)
	p.see("h1", "against")
}

// TestWaypointsAnswerToEveryPress: Enter, Space, and a click that no pointer made, as assistive technology makes it, open a
// waypoint; its name says what is seen on it.
func TestWaypointsAnswerToEveryPress(t *testing.T) {
	p := open(t, "/rig/1/rig")
	const course = "nav[aria-label='Course of trims'] button"
	p.see(course, "T2 limits")
	for _, row := range []struct {
		what, name, heading string
		press               func(*rod.Element) error
	}{
		{"Enter", "T1 memory", "T1 memory", func(e *rod.Element) error { return errors.Join(e.Focus(), p.Keyboard.Type(input.Enter)) }},
		{"Space", "T2 limits", "T2 limits", func(e *rod.Element) error { return errors.Join(e.Focus(), p.Keyboard.Type(input.Space)) }},
		{"a click without a pointer", "T1 memory", "T1 memory", func(e *rod.Element) error {
			_,
				err := e.Eval(`() => this.click()`)
			return err
		}},
	} {
		e, err := p.ElementR(course, row.name)
		if err != nil {
			t.Fatal(err)
		}
		if err := row.press(e); err != nil {
			t.Fatal(err)
		}
		p.see("h1", row.heading)
	}
	wrong, err := p.Eval(`() => [...document.querySelectorAll('button[aria-label], a[aria-label]')].map((e) => {
		const plain = (s) => s.replace(/[\s\u2009]+/g, ' ').trim();
		const seen = [...e.querySelectorAll('span:not([aria-hidden])')].filter((s) => s.children.length === 0)
		.map((s) => plain(s.textContent)).filter(Boolean);
		return seen.filter((s) => !plain(e.ariaLabel).includes(s)).map((s) => e.ariaLabel + ' does not say ' + s);
	}).flat()`)
	if err != nil || len(wrong.Value.Arr()) > 0 {
		t.Errorf("%v, %v", wrong.Value, err)
	}
}
