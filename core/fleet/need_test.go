package fleet_test

import (
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"zerokeel/core/fleet"
	"zerokeel/core/proof"
)

// TestWorstFirst: whatever else is true of a rig, what is broken is told before what is troubled, that before what lacks proof, and nothing
// is said to be needed only of a rig with nothing wrong that is proven, or at work.
func TestWorstFirst(t *testing.T) {
	r := rand.New(rand.NewPCG(14, 3))
	some := func(words ...string) string { return words[r.IntN(len(words))] }
	for range 5000 {
		g := fleet.Glance{Absence: some("", "", "", "froze"), Linked: r.IntN(2) == 0, Heard: r.IntN(4) > 0, Parts: r.IntN(4) > 0,
			Busy: some("", "", "on trial"), Lost: some("", "", "", "T3"), Stock: r.IntN(4) == 0, None: r.IntN(5) == 0, Lacks: some("", "2 h"),
			Standing: proof.Standing(some("draft", "fitted", "tried", "held", "proven", "failed")), Next: proof.Proven,
			Warmer: some("", "", "4 K warmer than it was")}
		if r.IntN(4) == 0 {
			g.Raised = []string{"too warm"}
		}
		broken := g.Lost != "" || g.Standing == proof.Failed || g.Absence != ""
		troubled := len(g.Raised) > 0 || g.Warmer != ""
		need := g.Need()
		if broken != (need.Urgency == fleet.Broken) || !broken && troubled != (need.Urgency == fleet.Troubled) {
			t.Fatalf("%+v needs %+v", g, need)
		}
		if need.Urgency == fleet.Satisfied && (broken || troubled || g.Busy == "" && (g.Standing != proof.Proven || g.None)) {
			t.Fatalf("%+v needs nothing", g)
		}
		if need.Words == "" || !slices.Contains([]fleet.Place{fleet.OnTrim, fleet.OnTrial, fleet.OnRig, fleet.OnLog, fleet.OnTuning, fleet.OnFitting}, need.At) ||
			strings.HasPrefix(need.Words, ":") {
			t.Fatalf("%+v needs %+v", g, need)
		}
	}
}
