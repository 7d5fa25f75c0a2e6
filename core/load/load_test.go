package load_test

import (
	"math"
	"slices"
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
		if class, share := k.Class(); !slices.Contains(load.Classes, class) || !(share > 0 && share <= 1) || k.Finds() == "" {
			t.Errorf("%s is %g of %q, and finds %q", k, share, class, k.Finds())
		}
		if k.OneCore() != (k == load.Light) {
			t.Errorf("%s runs on one core: %v", k, k.OneCore())
		}
	}
	if len(regimes) != 5 {
		t.Errorf("the loads probe %d regimes, want heavy, light, transition, idle and memory", len(regimes))
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

// TestEveryCoreBurstsInEachCycle: in each cycle of a transition load every core works and rests, one core works alone,
// each of them in its turn, and what Burst says lasts as long as it says.
func TestEveryCoreBurstsInEachCycle(t *testing.T) {
	const cores = 5
	alone := map[int]bool{}
	for cycle := range cores {
		end := float64(cycle+1) * load.CycleS
		var worked, rested [cores]float64
		for at := float64(cycle) * load.CycleS; at < end-1e-9; {
			step, busy := end-at, []int{}
			for place := range cores {
				works, forS := load.Burst(at+1e-9, place, cores)
				if works {
					busy = append(busy, place)
				}
				step = min(step, max(forS, 1e-6))
			}
			for place := range cores {
				if slices.Contains(busy, place) {
					worked[place] += step
				} else {
					rested[place] += step
				}
			}
			if len(busy) == 1 {
				alone[busy[0]] = true
			}
			at += step
		}
		for place := range cores {
			if worked[place] < 1 || rested[place] < 1 || math.Abs(worked[place]+rested[place]-load.CycleS) > 1e-3 {
				t.Errorf("cycle %d, core %d: worked %.3f s, rested %.3f s of %.3f", cycle, place, worked[place], rested[place], load.CycleS)
			}
		}
	}
	if len(alone) != cores {
		t.Errorf("only the cores %v worked alone", alone)
	}
}
