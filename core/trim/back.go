package trim

import "zerokeel/core/part"

// BackStep is one step of the way back from a trim to the machine as delivered: what is entered again as it was, in the board's words.
type BackStep struct {
	Groups []Group
	Lines  []Line
}

// wayBack lists which groups go back together, those first whose settings make a machine fail soonest. The limits and the cooling are
// left as they are: they make it slower or louder, and not less sure.
var wayBack = [][]Group{{GroupCurve, GroupVoltage, GroupLoadLine}, {GroupClocks}, {GroupMemory}}

// WayBack lists the steps back from a trim, each on top of those before it. A step that has nothing to enter is left out.
func WayBack(set *part.Set, settings Settings) []BackStep {
	stock := Stock(set.Processor, set.Board)
	at := stock.With(settings)
	var out []BackStep
	for _, groups := range wayBack {
		next := at.With(nil)
		for key := range at {
			def, _, known := Find(key)
			for _, g := range groups {
				if known && def.Group == g {
					next[key] = stock[key]
				}
			}
		}
		if lines := entered(set, at, next); len(lines) > 0 {
			out = append(out, BackStep{groups, lines})
		}
		at = next
	}
	return out
}

// entered lists what differs and counts under one of the two: what is taken back may count for nothing afterwards.
func entered(set *part.Set, from, to Settings) (out []Line) {
	for _, l := range Card(set, from, to, true) {
		if from[l.Key] != to[l.Key] && (Inert(set, from, l.Key) == "" || Inert(set, to, l.Key) == "") {
			out = append(out, l)
		}
	}
	return out
}
