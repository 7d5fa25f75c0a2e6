package chips_test

import (
	"math/rand/v2"
	"slices"
	"testing"

	"zerokeel/core/load"
	"zerokeel/core/survey"
	"zerokeel/core/verdict"
	"zerokeel/standin/chips"
)

// TestSurveysKeepTheirPromise: of simulated chips that differ otherwise than the planner believes, what a survey recommends is neither
// far too shallow nor too deep, and its limits are where it says. Each bound lies far from what BenchmarkSurveyed prints.
func TestSurveysKeepTheirPromise(t *testing.T) {
	const n = 6
	for name, kind := range map[string]chips.Kind{"usual": chips.Usual, "nameless": {Nameless: true}} {
		found, err := chips.Measure(chips.Setup(3, 45), kind, n, 7)
		if err != nil {
			t.Fatal(err)
		}
		if found.FalselyStable > 2.0/n || found.Awful > 0 {
			t.Errorf("%s: %.0f %% falsely stable, %d above one in two", name, 100*found.FalselyStable, found.Awful)
		}
		if found.Short < 1 || found.Short > 16 {
			t.Errorf("%s: %.1f steps short of an oracle", name, found.Short)
		}
		if found.Inside < 0.65 {
			t.Errorf("%s: %.0f %% of limits inside their bounds", name, 100*found.Inside)
		}
		if found.Over > 2.0/n {
			t.Errorf("%s: the true risk of %.0f %% is above what was stated at most", name, 100*found.Over)
		}
		if found.BenchMin > 45+15 {
			t.Errorf("%s: %.0f minutes", name, found.BenchMin)
		}
	}
}

// TestAChipFailsAsItMust: the deeper, the riskier; and an order far too deep does not come up.
func TestAChipFailsAsItMust(t *testing.T) {
	setup := chips.Setup(8, 60)
	c := chips.Draw(&setup, chips.Usual, rand.New(rand.NewPCG(1, 2)))
	at := func(x int) []int { return slices.Repeat([]int{x}, len(setup.Cores)) }
	before := 0.0
	for x := setup.MaxSteps; x >= setup.MinSteps; x-- {
		if risk := c.Risk(at(x)); risk < before {
			t.Fatalf("at %d the risk is %g, shallower it was %g", x, risk, before)
		} else {
			before = risk
		}
	}
	if before < 0.999 {
		t.Errorf("the risk of the deepest is %g", before)
	}
	if out := c.Run(&survey.Order{Offsets: at(-60)}); out.Posted {
		t.Error("it came up far below every limit")
	}
	legs := []survey.Leg{{Load: load.Heavy, Cores: []int{0, 1}, Minutes: 5}, {Load: load.Idle, Minutes: 1}}
	out := c.Run(&survey.Order{Offsets: at(40), Legs: legs})
	if !out.Posted || out.Legs[0].Verdict != verdict.Held || out.Legs[1].Minutes != 1 {
		t.Errorf("far above every limit: %+v", out)
	}
}
