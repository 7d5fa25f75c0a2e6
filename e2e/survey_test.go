package e2e

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"

	"zerokeel/server/api"
)

// TestJourneySoundings: Petrel's drawing tells its risk; a core's keel taken deeper tells another, with what it does to the machine, and
// makes a trim; a smaller risk that is allowed asks for shallower cores.
func TestJourneySoundings(t *testing.T) {
	rig, trims := rigCalled(t, "Petrel")
	at := slices.IndexFunc(trims, func(one api.Trim) bool { return one.Name == "surveyed" })
	p := open(t, fmt.Sprintf("/rig/%d/soundings/%d", rig.Id, trims[at].Id))
	p.see("[data-risk]", `1 in \d+ a day`)
	p.see("[data-pilot='ended']", `found and proved\s+T\d+ surveyed`)
	before := must(p.see("[data-found]", "").Text())
	thumb := p.see("[role=slider][aria-label='days without a fault']", "")
	for range 5 {
		if err := thumb.Type(input.ArrowRight); err != nil {
			t.Fatal(err)
		}
	}
	p.see("label", `one fault in\s+\d{3,} days`)
	if err := p.Wait(rod.Eval(`before => document.querySelector('[data-found]').innerText !== before`, before)); err != nil {
		t.Errorf("for a smaller risk the same is recommended: %s", before)
	}
	keel := p.see("[role=slider][aria-label='keel of core 5']", "")
	for range 30 { // steps, to far deeper than any core holds
		if err := keel.Type(input.ArrowDown); err != nil {
			t.Fatal(err)
		}
	}
	p.see("section", `Core 5 lies\s+\d+ steps?\s+too deep`)
	p.see("[data-forecast='keel']", `\d+ W`)
	p.click("button", "Make a trim")
	p.see("h1", `T\d+ keel`)
	p.see("main", "as believed")
}

// TestJourneyOtherSoundings: what else a survey can look for on a machine stands beside the title; the memory's rate has a keel of its own,
// which taken far up fails, and the page is found again by its address.
func TestJourneyOtherSoundings(t *testing.T) {
	rig, _ := rigCalled(t, "Dunlin")
	p := open(t, fmt.Sprintf("/rig/%d/soundings", rig.Id))
	if err := p.see("#look-for", "").Select([]string{"memory rate"}, true, rod.SelectorTypeText); err != nil {
		t.Fatal(err)
	}
	keel := p.see("[role=slider][aria-label='keel of the memory']", "")
	if options := must(p.see("#look-for", "").Text()); strings.Contains(options, "AC load line") {
		t.Errorf("this board has no AC load line, and a survey can look for %s", options)
	}
	for range 12 {
		if err := keel.Type(input.ArrowDown); err != nil {
			t.Fatal(err)
		}
	}
	p.see("section", `The memory rate lies\s+\d+ steps?\s+beyond`)
	again := open(t, strings.TrimPrefix(must(p.Info()).URL, address))
	again.see("[role=slider][aria-label='keel of the memory']", "")
	again.see("aside", "Tries the memory rate unattended")
}

// TestJourneyPlane: where the voltage is fixed, clock and voltage make a plane with what was tried there; the voltage taken lower fails
// sooner and draws less, and makes a trim.
func TestJourneyPlane(t *testing.T) {
	rig, _ := rigCalled(t, "Skua")
	p := open(t, fmt.Sprintf("/rig/%d/soundings", rig.Id))
	p.see("[data-chart='plane'] [data-point='failed']", "")
	for _, unit := range []string{"W", "°C"} {
		drawn := must(p.see("[data-contour='"+unit+"']", "").Eval(`() => this.textContent`)).Value.Str()
		if !strings.HasSuffix(drawn, unit) {
			t.Errorf("a contour of %s says %q", unit, drawn)
		}
	}
	v := p.see("[role=slider][aria-label='fixed voltage']", "")
	for range 12 {
		if err := v.Type(input.ArrowDown); err != nil {
			t.Fatal(err)
		}
	}
	p.see("section", `The voltage lies\s+\d+ steps\s+too low`)
	p.see("[data-forecast='keel']", `\d+ W`)
	p.click("button", "Make a trim")
	p.see("h1", `T\d+ keel`)
	p.see("main", "as believed")
}

// TestJourneySurvey: a survey is started on the Soundings sheet and seen from every other; paused it leaves the rig to a person, goes on,
// and ends with a trim that it found and proved.
func TestJourneySurvey(t *testing.T) {
	rig, _ := rigCalled(t, "Tern 4")
	p := open(t, fmt.Sprintf("/rig/%d/soundings", rig.Id))
	if err := must(p.Element("#survey-time")).Select([]string{"2 h"}, true, rod.SelectorTypeText); err != nil {
		t.Fatal(err)
	}
	p.click("button", "Start the survey")
	p.see("[data-pilot='flying']", "Bench time left")
	p.click("nav[aria-label='Sheets'] a", "Rig")
	p.see("[data-pilot-line='flying']", `sounding \d`)
	p.click("[data-pilot-line] button", "Pause")
	p.see("[data-pilot-line='paused']", "paused")
	p.click("[data-pilot-line] a", "Survey")
	p.see("[data-pilot='paused']", "is in force")
	p.click("button", "Go on")
	p.inForceAsFound()
	p.see("nav[aria-label='Course of trims']", "soundings")
}

// inForceAsFound waits for the end of a pilot, and sees the trim that it found and proved in force.
func (p page) inForceAsFound() {
	p.t.Helper()
	p.see("[data-pilot='ended']", "found and proved")
	found := p.see("[data-pilot='ended'] a", `^T\d+ `)
	name := regexp.QuoteMeta(must(found.Text()))
	p.see("nav[aria-label='Course of trims'] button[aria-label*='in force']", strings.Fields(name)[0])
	p.click("[data-pilot='ended'] a", name)
	p.see("h1", name)
}
