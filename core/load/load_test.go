package load_test

import (
	"math"
	"testing"

	"zerokeel/core/load"
)

func TestEveryKindProbesARegime(t *testing.T) {
	regimes := map[load.Regime]bool{}
	for _, k := range load.Kinds {
		if !k.Valid() {
			t.Errorf("%s is listed but not valid", k)
		}
		regimes[k.Regime()] = true
		if k.OneCore() != (k == load.Light) {
			t.Errorf("%s runs on one core: %v", k, k.OneCore())
		}
	}
	if len(regimes) != 4 {
		t.Errorf("the loads probe %d regimes, want heavy, light, transition and idle", len(regimes))
	}
	if load.Kind("").Valid() || load.Kind("Heavy").Valid() {
		t.Error("what is no load counts as one")
	}
}

// TestBurstsAreSeenByWholeSeconds: figures taken once a second meet bursts and pauses about equally often.
func TestBurstsAreSeenByWholeSeconds(t *testing.T) {
	on, sampled := 0, 0
	const seconds = 700
	for i := range seconds * 100 {
		if load.Bursting(float64(i) / 100) {
			on++
		}
	}
	for s := range seconds {
		if load.Bursting(float64(s) + 0.005) {
			sampled++
		}
	}
	if share := float64(on) / (seconds * 100); math.Abs(share-0.5) > 0.01 {
		t.Errorf("bursts take %.3f of the time", share)
	}
	if share := float64(sampled) / seconds; math.Abs(share-0.5) > 0.08 {
		t.Errorf("a second's figure meets a burst %.3f of the time", share)
	}
}
