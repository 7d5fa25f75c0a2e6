package trim_test

import (
	"testing"

	"zerokeel/core/part"
	"zerokeel/core/part/parttest"
	"zerokeel/core/trim"
)

// TestWithinSpec: on every machine, the maker's limits leave nothing beyond them, and asking again changes nothing.
func TestWithinSpec(t *testing.T) {
	for _, name := range parttest.Rigs {
		set := parttest.Rig(t, name)
		stock := trim.Stock(set.Processor, set.Board)
		changes := trim.WithinSpec(set.Processor, set.Board, stock)
		within := stock.With(changes)
		if again := trim.WithinSpec(set.Processor, set.Board, within); len(again) > 0 {
			t.Errorf("%s: asked again it changes %v", name, again)
		}
		if groups := trim.NextGroups(set.Processor, set.Board, within); len(groups) != 1 {
			t.Errorf("%s: inside the maker's limits the work goes on with %v", name, groups)
		}
		for key := range changes {
			def, _, _ := trim.Find(key)
			if def.Group != trim.GroupLimits || key == "limit.trip" {
				t.Errorf("%s: %s is changed", name, key)
			}
			loose := within.With(trim.Settings{key: stock[key]})
			if x, ok := stock[key].Number(); ok {
				if spec, _ := changes[key].Number(); x <= spec {
					continue // tighter than the maker's, which is nothing beyond
				}
			} else if stock[key] != part.Choice(trim.Unlimited) && stock[key] != part.Switch(true) {
				continue
			}
			if groups := trim.NextGroups(set.Processor, set.Board, loose); groups[0] != trim.GroupLimits {
				t.Errorf("%s: with %s = %s the work goes on with %v", name, key, stock[key], groups)
			}
		}
	}
}

// TestFirstKeysAreSettings: what the work begins with is in the registry.
func TestFirstKeysAreSettings(t *testing.T) {
	n := 0
	for _, d := range trim.Registry {
		if d.First() {
			n++
		}
	}
	if n != trim.FirstKeys {
		t.Errorf("%d settings of %d keys", n, trim.FirstKeys)
	}
}
