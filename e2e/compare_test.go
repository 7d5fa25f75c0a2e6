package e2e

import (
	"fmt"
	"io"
	"regexp"
	"slices"
	"testing"

	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"

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
	p.press(input.KeyV)
	p.see("[data-overlaid='3']", "Package power")
	p.press(input.KeyV)
	p.see("[data-energy='Energy']", `kWh`)
	p.fill("[aria-label='it cost']", "90")
	p.see("[data-pay-back]", "pays? for itself|no saving is shown")
	p.click("button", "Runs overlaid")
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

// TestJourneyRecord: a trim that failed says what broke it; one that holds leads to the record that its owner gets, which prints on four
// pages at most, and to that of the whole course; and the workshop's name, once said, stands on it.
func TestJourneyRecord(t *testing.T) {
	rig, trims := rigCalled(t, "Petrel")
	surveyed := trims[slices.IndexFunc(trims, func(one api.Trim) bool { return one.Name == "surveyed" })]
	p := open(t, fmt.Sprintf("/rig/%d/workshop", rig.Id))
	p.see("h1", "Workshop")
	p.fill("[aria-label='Name of the workshop']", "North Quay Bench")
	p.click("button", "Save")
	p.see("form", "Saved")
	if err := p.Navigate(fmt.Sprintf("%s/rig/%d/trim/%d", address, rig.Id, surveyed.Id)); err != nil {
		t.Fatal(err)
	}
	failed := trims[slices.IndexFunc(trims, func(one api.Trim) bool { return one.Number == 3 })]
	blamed := open(t, fmt.Sprintf("/rig/%d/trim/%d", rig.Id, failed.Id))
	blamed.see("[data-blame]", `T2 limits[\s\S]*Curve offset, all cores\s+0 steps → −20 steps`)
	link := must(p.see("aside a", "Record for the owner").Attribute("href"))
	whole := must(p.see("aside a", "With the whole course").Attribute("href"))
	for _, row := range []struct {
		href, want string
		pages      int
	}{{*link, "When it misbehaves", 4}, {*whole, "The whole course", 8}} {
		if err := p.Navigate(address + row.href); err != nil {
			t.Fatal(err)
		}
		p.see("h1", "Petrel")
		p.see("body", "North Quay Bench")
		p.see("h2", row.want)
		stream, err := p.PDF(&proto.PagePrintToPDF{PrintBackground: true, PreferCSSPageSize: true})
		if err != nil {
			t.Fatal(err)
		}
		text, err := io.ReadAll(stream)
		if err != nil {
			t.Fatal(err)
		}
		if n := len(regexp.MustCompile(`/Type\s*/Page\b`).FindAll(text, -1)); n < 2 || n > row.pages {
			t.Errorf("%s prints on %d pages, %d at most are wanted", row.want, n, row.pages)
		}
	}
}

// TestJourneyFleet: whoever opens the bench sees how many rigs need somebody, those first; orders them by what they won; finds those of a
// kind; and is led to where the work is done.
func TestJourneyFleet(t *testing.T) {
	p := open(t, "/")
	p.see("h1", `11 rigs: .*\d+ needs? you now`)
	p.see("[data-fleet='11'] tbody tr:first-child", "lost its trim")
	p.see("[data-fleet-rig='Petrel'] [data-won='heat']", `−\d+\.\d ±\d`)
	p.see("[data-trait=mount] [data-kin-rig='Tern 5'][data-strays=true]", "") // its cooler sits badly
	p.click("th button", "Heat")
	p.see("th[aria-sort='ascending']", "Heat")
	p.fill("[aria-label='Filter the rigs']", "tern nothing")
	p.see("[data-filtered='1']", "1 of 11 rigs")
	p.see("tbody tr:first-child", "Tern 2")
	p.fill("[aria-label='Filter the rigs']", "dunlin")
	p.click("[data-fleet-rig='Dunlin'] td:last-child a", "more to held")
	p.see("nav[aria-label='Sheets'] [aria-current='page']", "Trial")
	p.click("nav[aria-label='Fleet'] a", "Tern 6") // nothing of its own has held yet
	p.click("nav[aria-label='Sheets'] a", "Rig")
	p.see("[data-offer='Tern 2']", `proven there: −[\s\S]*Depth [\s\S]* is what is recommended for this chip`)
}

// TestJourneyFind: from any rig's log trims are found over all rigs, by what they change and what became of them.
func TestJourneyFind(t *testing.T) {
	p := open(t, "/rig/3/log")
	p.see("[data-log] li", "")
	p.fill("[aria-label='Find trims over all rigs']", "curve offset failed miscalculated")
	p.see("[data-found-trim='Petrel 3']", `Curve offset, all cores −20 steps`)
	p.fill("[aria-label='Find trims over all rigs']", "nothing is called so")
	p.see("main", "No trim holds these words")
	p.fill("[aria-label='Find trims over all rigs']", "")
	p.see("[data-log] li", "")
}
