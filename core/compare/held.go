package compare

import (
	"zerokeel/core/govern"
	"zerokeel/core/load"
)

// HeldRow is the share of the time under a load for which a limiter held the clock, on every side: NaN where that was not told.
type HeldRow struct {
	Load   load.Kind
	By     govern.Limiter
	Shares []float64 // 0 to 1
}

// leastHeld is the share below which a limiter is not worth a row.
const leastHeld = 0.005

// Held tells load by load what held the clock, and for how much of the time.
func Held(sides ...Under) []HeldRow {
	var out []HeldRow
	for _, kind := range compared {
		seconds, whole := make([]map[govern.Limiter]float64, len(sides)), make([]float64, len(sides))
		for i := range sides {
			seconds[i] = map[govern.Limiter]float64{}
			for _, l := range sides[i].Legs {
				if l.Load != kind {
					continue
				}
				for by, s := range l.Limiters {
					seconds[i][by] += s
					whole[i] += s
				}
			}
		}
		for _, by := range govern.Limiters {
			row, most := HeldRow{Load: kind, By: by}, 0.0
			for i := range sides {
				share := seconds[i][by] / whole[i] // NaN of nothing
				row.Shares, most = append(row.Shares, share), max(most, seconds[i][by]/max(1, whole[i]))
			}
			if most >= leastHeld {
				out = append(out, row)
			}
		}
	}
	return out
}
