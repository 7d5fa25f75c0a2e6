package e2e

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"zerokeel/core/part"
	"zerokeel/core/trim"
	"zerokeel/server/api"
)

// TestStopIsPassedKnowingly: a stop that is the builder's own risk names itself, wants a reason, and the reason stays on the record.
func TestStopIsPassedKnowingly(t *testing.T) {
	rig, trims := rigCalled(t, "Tern 4")
	var made api.Trim
	send(t, "POST", fmt.Sprintf("/api/rigs/%d/trims", rig.Id), api.CreateTrimRequest{Parent: trims[2].Id, Name: "no ceiling",
		Settings: trim.Settings{"limit.temperatureOn": part.Switch(false)}}, &made)
	p := open(t, fmt.Sprintf("/rig/%d/trim/%d", rig.Id, made.Id))
	p.see("[data-rule='no-temperature-limit']", "Stop")
	p.see("[data-pass-stop] button:disabled", "Fit it all the same")
	p.fill("[data-pass-stop] textarea", "the cooler is on trial here, under my eyes")
	p.click("[data-pass-stop] button:not(:disabled)", "Fit it all the same")
	p.see("[data-fitting='in force']", "Every setting reads back as asked")
	p.see("main", "the cooler is on trial here, under my eyes")
}

// TestBaselineOfABoardWithoutLimits: a board that goes past every limit can be fitted as delivered and measured, up to where the
// application itself ends the leg, and without blame.
func TestBaselineOfABoardWithoutLimits(t *testing.T) {
	rig, trims := rigCalled(t, "Skua")
	p := open(t, fmt.Sprintf("/rig/%d/trim/%d", rig.Id, trims[0].Id))
	p.see("[data-rule='board-beyond-spec']", "")
	p.click("button", "Fit stock")
	p.see("[data-fitting='in force']", "Every setting reads back as asked")
	p.click("button", "Prove it")
	p.click("button", "Start trial")
	p.see("[data-verdict='stopped']", "stopped")
	p.see("[data-verdict='stopped']", "101 °C")
	p.see("nav[aria-label=Fleet] a[aria-current=true] [data-standing=fitted]", "")
}

// TestSessionByTurns: two trims are run by turns in one session, whose comparison says so.
func TestSessionByTurns(t *testing.T) {
	rig, trims := rigCalled(t, "Tern 1")
	p := open(t, fmt.Sprintf("/rig/%d/scores/%d/%d", rig.Id, trims[1].Id, trims[2].Id))
	p.click("button", "by turns")
	p.see("[data-session=running] li", "now")
	p.see("aside button", "by turns") // it has ended
	p.see("main", "interleaved, ")
}

// TestRunsThatBeganUnlike: a trim under which the machine never sleeps idles so warm that its runs begin elsewhere than those of the
// other one; the comparison leaves them out with the reason, and claims nothing of their score.
func TestRunsThatBeganUnlike(t *testing.T) {
	rig, trims := rigCalled(t, "Tern 2")
	p := open(t, fmt.Sprintf("/rig/%d/trim/%d", rig.Id, trims[1].Id))
	score := func(name string, settings trim.Settings) int64 {
		var made api.Trim
		send(t, "POST", fmt.Sprintf("/api/rigs/%d/trims", rig.Id), api.CreateTrimRequest{Parent: trims[1].Id, Name: name, Settings: settings}, &made)
		if err := p.Navigate(fmt.Sprintf("%s/rig/%d/trim/%d", address, rig.Id, made.Id)); err != nil {
			t.Fatal(err)
		}
		p.see("h1", name)
		p.click("button", "Fit T")
		p.see("[data-fitting='in force']", "Every setting reads back as asked")
		var trial api.Trial
		burst := json.RawMessage(`{"purpose":"score","repeat":3,"legs":[{"yardstick":"burst"}]}`)
		send(t, "POST", fmt.Sprintf("/api/rigs/%d/trials", rig.Id), burst, &trial)
		ended(t, trial.Id)
		return made.Id
	}
	cool := score("sleeps", trim.Settings{"limit.pl2": part.Number(150)})
	warm := score("never sleeps", trim.Settings{"platform.cStates": part.Switch(false), "platform.frequencyControl": part.Switch(false),
		"fan.point.1.duty": part.Number(20), "fan.point.2.duty": part.Number(20)})
	if err := p.Navigate(fmt.Sprintf("%s/rig/%d/scores/%d/%d", address, rig.Id, cool, warm)); err != nil {
		t.Fatal(err)
	}
	p.see("[data-left-out] li", `T4.*all-core burst: it began at \d+ K above the room, those that count at \d+`)
	if row := must(p.see("[data-comparison] [data-row='score']", "").Text()); strings.Contains(row, "better") || strings.Contains(row, "%") {
		t.Errorf("runs that began unlike are said to differ: %s", row)
	}
}

// TestFreezeAtTheDesktop: a trim that passes every load and not idling stops the machine outside trials; that is noticed, told in a
// word, and held against the trim.
func TestFreezeAtTheDesktop(t *testing.T) {
	rig, trims := rigCalled(t, "Gannet")
	deep := trims[3]
	p := open(t, fmt.Sprintf("/rig/%d/trim/%d", rig.Id, deep.Id))
	p.see("h1", "T3 all cores")
	p.click("button", "Fit T3")
	p.see("[data-fitting='in force']", "Every setting reads back as asked")
	p = open(t, fmt.Sprintf("/rig/%d/log", rig.Id))
	p.see("[data-kind=incident]", "T3")
	p.see("[data-kind=incident]", "froze|restarted")
	p = open(t, fmt.Sprintf("/rig/%d/trim/%d", rig.Id, deep.Id))
	p.see("[data-proof=failed]", "ten times as long")
}

// TestThirtyWaypoints: on a long course like steps are one waypoint until they are opened, no caption lies on another, and the trim in
// force is in view, or named at the edge beyond which it lies.
func TestThirtyWaypoints(t *testing.T) {
	rig, trims := rigCalled(t, "Tern 5")
	parent := trims[2].Id
	add := func(parent int64, name string, settings trim.Settings) int64 {
		var made api.Trim
		send(t, "POST", fmt.Sprintf("/api/rigs/%d/trims", rig.Id), api.CreateTrimRequest{Parent: parent, Name: name, Settings: settings}, &made)
		return made.Id
	}
	for i := range 14 {
		parent = add(parent, fmt.Sprintf("offset by steps %d", i), trim.Settings{"voltage.core.offset": part.Number(float64(-5 * i))})
	}
	for i := range 6 { // ways that were tried and left
		add(trims[1].Id, fmt.Sprintf("another way, with a long name %d", i), trim.Settings{"limit.pl1": part.Number(float64(50 + i))})
	}
	for i := range 10 {
		parent = add(parent, fmt.Sprintf("limit by steps %d", i), trim.Settings{"limit.pl1": part.Number(float64(64 - i))})
	}
	p := open(t, fmt.Sprintf("/rig/%d/rig", rig.Id))
	course := "nav[aria-label='Course of trims'] "
	p.see(course+"button", "14 like steps")
	p.see(course+"button", "10 like steps")
	p.see(course+"button[aria-label*='in force']", "T2")
	overlaps := func() int {
		return must(p.Eval(`() => {
			const boxes = [...document.querySelectorAll("nav[aria-label='Course of trims'] button > span")].map((e) => e.getBoundingClientRect());
			let n = 0;
			for (let i = 0; i < boxes.length; i++) for (let j = 0; j < i; j++) {
				const [a, b] = [boxes[i], boxes[j]];
				if (a.left < b.right - 1 && b.left < a.right - 1 && a.top < b.bottom - 1 && b.top < a.bottom - 1) n++;
			}
			return n;
		}`)).Value.Int()
	}
	if n := overlaps(); n > 0 {
		t.Errorf("%d captions lie on another", n)
	}
	p.click(course+"button", "14 like steps")
	p.see(course+"button", "offset by steps 7")
	if n := overlaps(); n > 0 {
		t.Errorf("opened, %d captions lie on another", n)
	}
	must(p.Eval(`() => { document.querySelector("nav[aria-label='Course of trims'] > div").scrollLeft = 1e6 }`))
	p.see("[data-beyond=left]", "T2")
	p.click("[data-beyond=left]", "T2")
	until(t, "the trim in force is in view again", func() bool { has, _, err := p.Has("[data-beyond]"); return err == nil && !has })
}
