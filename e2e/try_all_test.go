package e2e

import (
	"fmt"
	"testing"
)

// TestJourneyTryAll starts one ladder on the six Terns by one action, within what the fuse bears: a ceiling that no rig fits in is
// refused with the rigs' names, and then never more is drawn than is allowed, until each has its verdict.
func TestJourneyTryAll(t *testing.T) {
	p := open(t, "/rig/1/fleet")
	p.see("[data-fleet]", "Tern 6")
	p.fill("[aria-label='Filter the rigs']", "Tern")
	p.see("[data-filtered='6']", `6 of \d+ rigs`)
	p.click("[aria-label='Choose all that are shown']", "")
	p.see("[data-batch-of='6']", "On 6 rigs")
	p.fill("[aria-label='Ceiling of the batch']", "60")
	p.click("button", "Start all")
	p.see("[data-batch-of='6']", `Tern 4 draws up to [\s\S]*Tern 6 draws up to`)
	const ceiling = 560
	p.fill("[aria-label='Ceiling of the batch']", fmt.Sprint(ceiling))
	p.click("button", "Start all")
	p.see("[data-batch][data-ended=false]", fmt.Sprintf("of %d W", ceiling))
	p.see("[data-member][data-state=waits]", "waits for its turn")
	p.see("[data-member][data-state=goes]", "")
	p.see("[data-batch][data-ended=true]", "6 of 6 rigs through")
	for n := range 6 {
		p.see(fmt.Sprintf("[data-member='Tern %d'][data-state=ended]", n+1), "")
	}
	p.click("[data-member='Tern 2'] a", "Tern 2")
	p.see("h1", "Trial")
	p.see("[data-verdict]", "")
}
