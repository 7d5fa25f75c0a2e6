package e2e

import (
	"fmt"
	"strconv"
	"testing"

	"github.com/go-rod/rod/lib/input"
)

// TestJourneyCooling: what hangs on the header of Gannet's fan is learnt, a quieter curve is proposed and drawn, a point of it is moved by
// the keyboard and what that costs is seen, it becomes a trim, is fitted and run, and is quieter by a comparison.
func TestJourneyCooling(t *testing.T) {
	rig, trims := rigCalled(t, "Gannet")
	at := fmt.Sprintf("/rig/%d/cooling", rig.Id)
	p := open(t, at)
	p.see("[data-header='duty.fan.1']", "Fan header 1")
	p.see("section", "the cooler’s fan by its sheet")
	p.click("[data-header='duty.fan.1'] button", "Learn it")
	p.see("h1", `Fan sweep \d+ under T5`)
	p.see("[data-verdict='held']", "held")
	p.see("main", "Speed")
	p.click("aside a", "Cooling")
	p.see("[data-header='duty.fan.1']", `Stops below 20 %, starts at \d+ %: \d+ to 1.?[89]\d\d rpm`)
	p.see("section", "the cooler’s fan as it was learnt")
	p.see("[data-chart=fan] [data-settles=heavy]", "")
	quieter := must(p.see("[data-quieter]", `dB\(A\) quieter`).Attribute("data-quieter"))
	if by, err := strconv.ParseFloat(*quieter, 64); err != nil || by < 0.5 {
		t.Errorf("a curve is proposed that is quieter by %s dB(A)", *quieter)
	}
	p.click("button", "Draw it")
	p.see("[data-load=heavy]", `±[\s\S]*±[\s\S]*±`)
	point := p.see("[aria-label='fan point 1']", "")
	before := must(point.Attribute("aria-valuetext"))
	if err := point.Focus(); err != nil {
		t.Fatal(err)
	}
	p.press(input.ArrowUp, input.ArrowUp)
	p.see("[aria-label='fan point 1']", "")
	if after := must(point.Attribute("aria-valuetext")); *after == *before {
		t.Errorf("the point stays at %s", *after)
	}
	p.fill("[aria-label='ceiling full load']", "40")
	p.see("aside", `at full speed of the fan it settles at [\d.]+ ± [\d.]+ °C, above 40 °C; give \d+ °C or more`)
	p.click("button", "As usual")
	p.see("[data-quieter]", `dB\(A\) quieter`)
	p.click("button", "Draw it")
	p.click("button", "Make a trim")
	p.see("h1", `T\d+ fan curve`)
	p.click("button", "Fit T")
	p.see("[data-fitting='in force']", "Every setting reads back as asked")
	ended(t, start(t, int(rig.Id), `[{"load":"idle","seconds":900},{"load":"light","seconds":400},{"load":"heavy","seconds":900}]`))
	_, now := rigCalled(t, "Gannet")
	quiet := now[len(now)-1]
	p = open(t, at)
	p.see("[data-load=heavy]", `full load\s+[\d.]+ ± `)
	p = open(t, fmt.Sprintf("/rig/%d/compare/%d/%d", rig.Id, trims[len(trims)-1].Id, quiet.Id))
	p.see(fmt.Sprintf("[data-words='T%d']", quiet.Number), "quieter at idle")
}
