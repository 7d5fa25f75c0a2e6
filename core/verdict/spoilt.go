package verdict

import (
	"fmt"
	"math"
)

// A score is spoilt when other programs used more of the machine than this share, or when its run began so many °C from the
// other runs of its trial: either shifts a score by about as much as runs spread.
const (
	spoiltOthers = 0.03
	spoiltC      = 8.0
)

// Spoilt says why a run does not count: others is the share of the machine that other programs used meanwhile, startC the
// temperature at which the run began, and earlier those of the runs before it in its trial. A temperature that is not
// known is NaN. It is "" for a run that counts.
func Spoilt(others, startC float64, earlier []float64) string {
	if others > spoiltOthers {
		return fmt.Sprintf("other programs used %.0f %% of the machine", 100*others)
	}
	if len(earlier) == 0 || math.IsNaN(startC) {
		return ""
	}
	if usual := median(earlier); math.Abs(startC-usual) > spoiltC {
		return fmt.Sprintf("it began at %.0f °C, the runs before it at %.0f °C", startC, usual)
	}
	return ""
}
