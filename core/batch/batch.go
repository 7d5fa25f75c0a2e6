// Package batch tells which of several machines may work at once, so that together they draw no more than a fuse bears.
package batch

import (
	"fmt"

	"zerokeel/core/invalid"
)

// Draw is what a machine draws at the wall, in W: at the most while it works, and at rest.
type Draw struct{ Works, Rests float64 }

// Fits reports whether one more of some machines may begin to work under a ceiling in W, 0 for none, while those that go work and all
// others rest.
func Fits(ceiling float64, all []Draw, going []bool, next int) bool {
	if ceiling == 0 {
		return true
	}
	return sum(all, going)-all[next].Rests+all[next].Works <= ceiling
}

// sum is what all draw while those that go work.
func sum(all []Draw, going []bool) float64 {
	total := 0.0
	for i, d := range all {
		if going[i] {
			total += d.Works
		} else {
			total += d.Rests
		}
	}
	return total
}

// Now is what all draw at the most while those that go work.
func Now(all []Draw, going []bool) float64 { return sum(all, going) }

// Check lists which machines could never work under a ceiling, by name, even if all others rested.
func Check(ceiling float64, all []Draw, names []string) (f invalid.List) {
	if ceiling == 0 {
		return nil
	}
	none := make([]bool, len(all))
	rest := sum(all, none)
	for i, d := range all {
		if alone := rest - d.Rests + d.Works; alone > ceiling {
			f.Add("mostW", fmt.Sprintf("give %.0f W or more, or leave %s out", alone, names[i]),
				"%s draws up to %.0f W while the others rest at %.0f W: %g W never lets it begin", names[i], d.Works, rest-d.Rests, ceiling)
		}
	}
	return f
}
