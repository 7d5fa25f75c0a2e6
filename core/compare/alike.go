package compare

import (
	"fmt"
	"math"
	"slices"

	"zerokeel/core/channel"
	"zerokeel/core/yardstick"
)

// Runs are alike when they began within startK of one another, or coolK where a rest is part of the yardstick, since its score
// hangs on heat; and, under one trim, when their boost windows were within boostS of the scored time, or a share of it, as long.
const (
	startK     = 15.0
	coolK      = 5.0
	boostS     = 3.0
	boostShare = 0.15
)

// alike marks the runs that are unlike the others that they would be compared with.
func alike(y yardstick.Yardstick, sides ...[]Run) {
	for _, side := range sides {
		sameBoost(y, side)
	}
	if !y.WarmsUp() {
		near := startK
		if y.RestS > 0 {
			near = coolK
		}
		sameStart(near, sides...)
	}
}

// sameStart leaves out the runs that began elsewhere in temperature: above the room, where it was measured for all of them.
func sameStart(near float64, sides ...[]Run) {
	key, where := startAbove, "%.0f K above the room"
	for _, side := range sides {
		for i := range side {
			if _, known := startAbove(&side[i]); !known {
				key, where = startOf, "%.0f °C"
			}
		}
	}
	usual := apart(near, key, sides...)
	if usual == nil {
		return
	}
	fellows := fmt.Sprintf(where, usual[0])
	if most := slices.Max(usual); most-usual[0] >= 1 {
		fellows = fmt.Sprintf("%.0f to ", usual[0]) + fmt.Sprintf(where, most)
	}
	leave(key, usual, func(at float64) string {
		return fmt.Sprintf("it began at "+where+", those that count at %s", at, fellows)
	}, sides...)
}

func startOf(r *Run) (float64, bool) { return r.mean(channel.StartOfRun) }

func startAbove(r *Run) (float64, bool) {
	start, ok := r.mean(channel.StartOfRun)
	room, measured := r.mean(channel.Ambient)
	return start - room, ok && measured
}

// sameBoost leaves out the runs of a side that lay in another part of the boost window than the others.
func sameBoost(y yardstick.Yardstick, runs []Run) {
	near := math.Max(boostS, boostShare*y.WindowS)
	key := func(r *Run) (float64, bool) {
		if _, told := r.mean(channel.PackagePower); !told {
			return 0, false
		}
		s, _ := r.mean(channel.BoostWindow) // without one it had none
		return s, true
	}
	usual := apart(near, key, runs)
	if usual == nil {
		return
	}
	leave(key, usual, func(at float64) string {
		return fmt.Sprintf("its boost window lasted %.0f s, of those that count %.0f s", at, usual[0])
	}, runs)
}

// apart returns, sorted, the values of the runs that lie within a width of one another, as many as can be, of each side some if
// that can be; nil when all of them do.
func apart(width float64, key func(*Run) (float64, bool), sides ...[]Run) []float64 {
	type placed struct {
		at   float64
		side int
	}
	var all []placed
	for s := range sides {
		for i := range sides[s] {
			if at, known := key(&sides[s][i]); known && sides[s][i].Left == "" {
				all = append(all, placed{at, s})
			}
		}
	}
	slices.SortStableFunc(all, func(a, b placed) int { return int(math.Copysign(1, a.at-b.at)) })
	if len(all) == 0 || all[len(all)-1].at-all[0].at <= width {
		return nil
	}
	var best []float64
	most := [2]int{-1, -1}
	for i := range all {
		count := make([]int, len(sides))
		var values []float64
		for _, p := range all[i:] {
			if p.at <= all[i].at+width {
				count[p.side]++
				values = append(values, p.at)
			}
		}
		if now := [2]int{slices.Min(count), len(values)}; slices.Compare(now[:], most[:]) > 0 {
			best, most = values, now
		}
	}
	return best
}

// leave marks the runs whose value is none of the usual ones.
func leave(key func(*Run) (float64, bool), usual []float64, why func(float64) string, sides ...[]Run) {
	for _, side := range sides {
		for i := range side {
			if at, known := key(&side[i]); known && side[i].Left == "" && (at < usual[0] || at > usual[len(usual)-1]) {
				side[i].Left = why(at)
			}
		}
	}
}
