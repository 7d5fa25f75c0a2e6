package trim_test

import (
	"slices"
	"testing"

	"zerokeel/core/part"
	"zerokeel/core/part/parttest"
	"zerokeel/core/trim"
)

// TestWayBack: the steps back from a trim take every setting of their groups that it changed to where it was, the depths first and the
// memory last, leave the limits alone, and every state on the way is one that the board takes.
func TestWayBack(t *testing.T) {
	for _, name := range parttest.Rigs {
		set := parttest.Rig(t, name)
		stock := trim.Stock(set.Processor, set.Board)
		changed := trim.Settings{}
		for _, key := range trim.Keys(set.Processor, set.Board) {
			entry, _ := set.Board.Lookup(key)
			def, _, _ := trim.Find(key)
			if def.Type != trim.TypeNumber || trim.Inert(set, stock, key) != "" || def.Group == trim.GroupCooling || def.Recorded {
				continue
			}
			if now, ok := stock[key].Number(); ok && now-entry.Step >= entry.Min && len(entry.Among) == 0 {
				changed[key] = part.Number(entry.Nearest(now - entry.Step))
			}
		}
		if len(changed) < 3 {
			t.Fatalf("%s: only %d settings can be changed", name, len(changed))
		}
		at := stock.With(changed)
		var order []trim.Group
		for _, step := range trim.WayBack(set, changed) {
			order = append(order, step.Groups[0])
			for _, l := range step.Lines {
				at = at.With(trim.Settings{l.Key: stock[l.Key]})
			}
			if faults := trim.Check(set.Processor, set.Board, at); len(faults) > 0 {
				t.Errorf("%s: on the way back the board refuses %v", name, faults)
			}
		}
		for _, c := range trim.Diff(stock, at) {
			if def, _, _ := trim.Find(c.Key); def.Group != trim.GroupLimits && def.Group != trim.GroupPlatform && def.Group != trim.GroupCooling {
				t.Errorf("%s: %s does not come back", name, c.Key)
			}
		}
		if !slices.IsSortedFunc(order, func(a, b trim.Group) int {
			places := []trim.Group{trim.GroupCurve, trim.GroupClocks, trim.GroupMemory}
			return slices.Index(places, a) - slices.Index(places, b)
		}) || len(order) == 0 {
			t.Errorf("%s goes back by %v", name, order)
		}
	}
}
