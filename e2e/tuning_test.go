package e2e

import (
	"fmt"
	"testing"

	"github.com/go-rod/rod"
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
