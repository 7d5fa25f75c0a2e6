package e2e

import (
	"fmt"
	"testing"

	"zerokeel/server/api"
)

// TestJourneyTradeNames: of a machine without any sheet the settings are named by the trade's words, one is worded as the board does, from
// its card, and the trim is entered.
func TestJourneyTradeNames(t *testing.T) {
	var made api.CreatedRig
	if err := try("POST", "/api/rigs", api.CreateRigRequest{Name: "Shelf"}, &made); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { removeRig(t, "Shelf") })
	p := open(t, fmt.Sprintf("/rig/%d/rig", made.Rig.Id))
	p.click("button", "Enter settings from cards")
	field := func(place string) string { return "[data-hand-sketch] " + place }
	p.fill(field("label input:not([type])"), "Skerry M9")
	p.click("button", "Name its settings")
	p.see("[role=alert]", "how many cores Shelf has")
	p.fill(field(".grid label:nth-child(1) input"), "6")
	p.click("button", "Name its settings")
	p.see("main", "Skerry M9, by trade names")

	p.click("nav[aria-label='Sheets'] a", "Trim")
	p.typed("n", "KeyN", false)
	p.see("[data-no-forecast]", "a sketch")
	p.group("limits")
	p.click("[data-group=limits] button", "as delivered")
	p.fill("[data-key='limit.ppt'] input", "90")
	p.click("button", "Save trim")
	p.see("h1", "T1")
	p.click("a", "Setting card")
	p.see("[data-card]", `PPT[\s\S]*90 W`)
	p.click("[data-card] button", "word it")
	p.fill("[data-wording] .grid label:nth-child(1) input", "Package Power Cap")
	p.click("button", "Write it in")
	p.see("[data-card]", `Package Power Cap[\s\S]*90 W`)
}
