package e2e

import (
	"fmt"
	"strings"
	"testing"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/proto"
)

// TestJourneyTuning: a whole tuning of Petrel is drawn from stock on, its trims dotted on the course; it is carried out unattended, paused
// and gone on with, and ends with a trim that it found and proved, compared with stock.
func TestJourneyTuning(t *testing.T) {
	rig, _ := rigCalled(t, "Petrel")
	p := open(t, fmt.Sprintf("/rig/%d/tuning/0/new", rig.Id))
	if err := p.see("#bound-trim", "").Select([]string{"stock"}, true, rod.SelectorTypeText); err != nil {
		t.Fatal(err)
	}
	p.see("[data-plan='limits']", "PPT")
	p.fill("#bound-hours", "1")
	p.see("[role='alert']", "leave .* to the survey; give")
	p.fill("#bound-hours", "3")
	p.see("[data-to-come='Memory']", "")
	p.see("[data-plan='memory'] label", "Memory")
	p.click("button", "Start the tuning")
	p.see("[data-pilot='flying']", "Bench time left")
	p.see("[data-pilot-line='flying'] a", "Tuning")
	p.see("[data-done='limits']", "held")
	p.click("[data-pilot-line] button", "Pause")
	p.see("[data-pilot='paused']", "is in force")
	p.click("button", "Go on")
	p.see("[data-pilot='ended']", "found and proved")
	p.see("[data-done='comparison']", "")
	p.see("[data-gained]", "cooler|less|no difference shown in heat")
	p.click("aside a", "The whole comparison")
	p.see("h1", "against stock")
	if err := p.Navigate(fmt.Sprintf("%s/rig/%d/tuning", address, rig.Id)); err != nil {
		t.Fatal(err)
	}
	p.inForceAsFound()
}

// TestJourneySurveyByCard: a survey of a rig whose board is not reached shows a card for each trim that it tries, waits until that is
// ticked and entered, and goes on by itself.
func TestJourneySurveyByCard(t *testing.T) {
	rig, _ := rigCalled(t, "Tern 6")
	p := open(t, fmt.Sprintf("/rig/%d/soundings", rig.Id))
	if err := must(p.Element("#survey-time")).Select([]string{"2 h"}, true, rod.SelectorTypeText); err != nil {
		t.Fatal(err)
	}
	p.click("button", "Start the survey")
	p.see("[data-pilot='flying']", "Bench time left")
	p.click("nav[aria-label='Sheets'] a", "Fitting")
	last := ""
	for n := range 2 {
		p.see("[data-fitting='entering'] button", "line")
		offset := must(p.see("input[type=checkbox][aria-label^='Core Voltage Offset']", "").Attribute("aria-label"))
		if *offset == last {
			t.Fatalf("card %d asks for %s once more", n, last)
		}
		last = *offset
		for _, box := range must(p.Elements("[data-fitting='entering'] input[type=checkbox]")) {
			if err := box.Click(proto.InputMouseButtonLeft, 1); err != nil {
				t.Fatal(err)
			}
		}
		p.click("button", "All entered and saved")
		p.see("[data-fitting='waiting']", "Waiting until")
		mV := strings.NewReplacer("−", "-").Replace(last)
		var x int
		if _, err := fmt.Sscanf(mV[strings.LastIndex(mV, ":")+1:], "%d", &x); err != nil {
			t.Fatalf("%s: %v", last, err)
		}
		enter(t, "tern-6", map[string]any{"VcOffset": x})
		p.see("[data-fitting='in force']", "Entered by hand")
	}
	p.click("nav[aria-label='Sheets'] a", "Soundings")
	p.see("[data-pilot='flying']", "")
}
