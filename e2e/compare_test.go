package e2e

import (
	"fmt"
	"slices"
	"testing"

	"github.com/go-rod/rod/lib/input"

	"zerokeel/server/api"
)

// TestJourneyCompare: stock and the limits of Petrel, then its surveyed trim beside them, are told apart in a sentence each and goal by
// goal; their runs are overlaid; the table is copied. A trim of another machine beside them is called by its rig, and what cannot be
// compared is said.
func TestJourneyCompare(t *testing.T) {
	rig, trims := rigCalled(t, "Petrel")
	at := func(name string) api.Trim {
		return trims[slices.IndexFunc(trims, func(one api.Trim) bool { return one.Name == name })]
	}
	surveyed := at("surveyed")
	p := open(t, fmt.Sprintf("/rig/%d/compare/%d/%d", rig.Id, trims[0].Id, at("limits").Id))
	p.see("[data-words='T2']", `against stock:.*K cooler`)
	p.see("[data-contrast='limit.ppt']", `230 W\s+142 W`)
	p.see("[data-row='heavy power.package'] [data-place='best']", "")
	p.choose("Add a trim", fmt.Sprintf("T%d surveyed (%s)", surveyed.Number, surveyed.Standing))
	p.see(fmt.Sprintf("[data-words='T%d']", surveyed.Number), `% faster sustained`)
	p.see("[data-goal='fast on all cores']", fmt.Sprintf(`◆ T%d`, surveyed.Number))
	p.see("[data-contrast='curve.core.*']", `cores 0 to 7\s+0 steps\s+0 steps\s+−`)
	p.see("[data-proof-row='Faults by the soundings']", `1 in \d+ a day`)
	p.see("[data-energy='Energy']", `kWh`)
	p.fill("[aria-label='it cost']", "90")
	p.see("[data-pay-back]", "pays for itself|no saving is shown")
	p.press(input.KeyV)
	p.see("[data-overlaid='3']", "Package power")
	p.see("[data-overlaid='3'] .uplot canvas", "")
	p.click("button", "Idle watch")
	p.see("[data-overlaid='3']", "60 min")
	p.click("button", "Copy as a table")
	p.see("button", "Copied")
	p.click("button", "base")
	p.see("[data-words='stock']", `against T2:.*K warmer`)
	p.choose("Rig", "Gannet")
	p.choose("Add a trim", must(p.see("[aria-label='Add a trim'] option", "stock").Text()))
	p.see("[data-words='Gannet stock']", `against Petrel T2:`)
	p.see("[data-notes]", "other processors")
}
