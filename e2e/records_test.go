package e2e

import (
	"fmt"
	"testing"
)

// TestSamplesAreKept: a builder keeps the samples of one trial for good, and the owner says for how long all others' are kept.
func TestSamplesAreKept(t *testing.T) {
	rig, _ := rigCalled(t, "Tern 5")
	p := open(t, fmt.Sprintf("/rig/%d/trial", rig.Id))
	p.see("main", "paler is less") // drawn to the last strip, it moves no more
	p.click("[data-samples=there] button", "Keep them for good")
	p.see("[data-samples=kept]", "Kept for good")
	p.click("nav a", "Records")
	p.see("[data-month=kept]", "kept for good")
	p.see("main", "samples are kept for good")
	p.see("[aria-label='Keep samples']", "").MustSelect("2 years")
	p.click("button:not(:disabled)", "Keep them so")
	p.see("main", "samples are kept 2 years")
}
