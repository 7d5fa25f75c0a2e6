package survey

import "zerokeel/core/load"

// Beside is what lies beside the cores on the rail that they share, and may fail at too little of it as they do, such as a ring. It has a
// slope and a limit of its own, works whenever a core does, and nothing names it. Inside a survey it counts as one core more than
// those that it was asked for.
type Beside struct {
	SD         float64                 // how far its limit strays from the cores', in steps
	Lift, Gain map[load.Regime]float64 // as of a Core
}

// asked is how many cores a survey was asked for.
func (s *Setup) asked() int {
	if s.Beside != nil {
		return len(s.Cores) - 1
	}
	return len(s.Cores)
}

// isBeside reports whether a place among the cores is of what lies beside them.
func (s *Setup) isBeside(core int) bool { return core == s.asked() }

// addBeside adds it to the cores, as a cluster of its own.
func (s *Setup) addBeside() {
	if s.Beside == nil {
		return
	}
	own := 0
	for _, c := range s.Cores {
		own = max(own, c.Cluster+1)
	}
	s.Cores = append(append([]Core(nil), s.Cores...), Core{Cluster: own, Lift: s.Beside.Lift, Gain: s.Beside.Gain})
}

// whole adds what lies beside the cores to their settings: it gets what they do.
func (s *Setup) whole(offsets []int) []int {
	if s.Beside == nil || len(offsets) == len(s.Cores) {
		return offsets
	}
	return append(append([]int(nil), offsets...), offsets[0])
}
