// Package yardstick defines what scores are taken with: verified work, of which a fixed amount is timed or which is counted over
// a stated window, or a fixed number of waits, under a load that a rig runs; and how a score follows. Results of other programs
// are held against yardsticks too; those are the workshop's own, and not listed here.
package yardstick

import (
	"slices"

	"zerokeel/core/load"
)

// Better tells which of two scores is the better one.
type Better string

const (
	Higher Better = "higher"
	Lower  Better = "lower"
)

// Measure tells how a score follows from the work.
type Measure string

const (
	Rate     Measure = "rate"      // work ÷ time, of all cores together
	BestRate Measure = "best rate" // work ÷ time of the fastest core, one after the other
	Time     Measure = "time"      // the time that the work took
	Each     Measure = "each"      // time ÷ work
	Waits    Measure = "waits"     // how late small work is done, beside the load
	Rest     Measure = "rest"      // power while nothing runs
)

// Yardstick is a definition. Work counts floating-point or whole-number operations, bytes, or memory accesses. Of Work and
// WindowS one is given, but at rest.
type Yardstick struct {
	ID, Name, Unit string
	Better         Better
	Load           load.Kind
	Measure        Measure
	Work           float64 // per core, or Whole; of Waits how many there are
	Whole          bool    // all cores share the work
	Alone          bool    // only the first core runs
	Per            float64 // work per second that makes one of the unit; of Each and Time how many of the unit a second has
	RestS          float64 // at rest before the run, so that all begin cool and with their whole boost window
	WarmS          float64 // before the work counts; of BestRate for each core
	WindowS        float64 // after WarmS: the work of this time counts, however much it is
	TypicalS       float64 // how long a run takes on a common desktop machine, or, at rest, on every one
	MemoryMB       int     // per core
	Runs           int
}

// MostS is the time in seconds after which a run that has not done its work is given up.
const MostS = 900.0

// The two kinds of an all-core yardstick: from a cool start and in the boost window, if there is one; and after it, warm.
const (
	Burst     = "burst"
	Sustained = "sustained"
)

// BigNumber is the time of big numbers. One whose way of working changes gets another id, so that nobody takes that for the machine's: its
// earlier scores, of "big-number", were taken by transforms that worked at less than half the rate.
const BigNumber = "big-number-2"

// own is listed as scores are shown.
var own = []Yardstick{
	{ID: Burst, Name: "All-core burst", Unit: "pt", Better: Higher, Load: load.Heavy, Measure: Rate, Per: 55.296e6,
		RestS: 120, WarmS: 2, WindowS: 20, TypicalS: 22, Runs: 3},
	{ID: Sustained, Name: "All-core sustained", Unit: "pt", Better: Higher, Load: load.Heavy, Measure: Rate, Per: 55.296e6,
		WarmS: 480, WindowS: 120, TypicalS: 600, Runs: 3},
	{ID: "single-core", Name: "Single-core throughput", Unit: "pt", Better: Higher, Load: load.Light, Measure: BestRate, Work: 3e9, Per: 2e6,
		WarmS: 0.3, TypicalS: 40, Runs: 3},
	{ID: BigNumber, Name: "Big-number time", Unit: "s", Better: Lower, Load: load.Transform, Measure: Time, Work: 1.2e12, Whole: true,
		Per: 1, RestS: 60, WarmS: 5, TypicalS: 20, Runs: 3},
	{ID: "memory-bandwidth", Name: "Memory bandwidth", Unit: "GB/s", Better: Higher, Load: load.Memory, Measure: Rate, Work: 6e10, Per: 1e9,
		WarmS: 1, TypicalS: 15, MemoryMB: 192, Runs: 3},
	{ID: "memory-latency", Name: "Memory latency", Unit: "ns", Better: Lower, Load: load.Memory, Measure: Each, Work: 1.5e8, Alone: true,
		Per: 1e9, WarmS: 1, TypicalS: 14, MemoryMB: 256, Runs: 3},
	{ID: "response", Name: "Response under load", Unit: "ms", Better: Lower, Load: load.Heavy, Measure: Waits, Work: 2000, Per: 1e3,
		RestS: 60, WarmS: 2, TypicalS: 25, Runs: 3},
	{ID: "idle", Name: "Idle power", Unit: "W", Better: Lower, Load: load.Idle, Measure: Rest, RestS: 120, TypicalS: 60, Runs: 2},
}

// List returns every yardstick that rigs take themselves, in the order in which they are shown.
func List() []Yardstick { return slices.Clone(own) }

// Of returns the yardstick with an id.
func Of(id string) (Yardstick, bool) {
	i := slices.IndexFunc(own, func(y Yardstick) bool { return y.ID == id })
	if i < 0 {
		return Yardstick{}, false
	}
	return own[i], true
}

// WarmsUp reports whether a run warms the machine up for so long that it does not matter how warm it began.
func (y *Yardstick) WarmsUp() bool { return y.WarmS >= 300 }

// Cores returns those, of the cores that a machine runs, that a run uses.
func (y *Yardstick) Cores(running []int) []int {
	if y.Alone && len(running) > 1 {
		return running[:1]
	}
	return running
}

// Amount is the work of a run on some cores: of all of them together, or of BestRate the work of each; 0 of one with a window.
func (y *Yardstick) Amount(cores int) float64 {
	if y.Whole || y.Measure == BestRate || y.Measure == Waits {
		return y.Work
	}
	return y.Work * float64(cores)
}

// Score returns the score of an amount of work done in some seconds.
func (y *Yardstick) Score(amount, seconds float64) float64 {
	switch y.Measure {
	case Time:
		return seconds * y.Per
	case Each:
		return seconds / amount * y.Per
	}
	return amount / seconds / y.Per
}

// Seconds returns how long an amount of work takes at a score: the reverse of Score.
func (y *Yardstick) Seconds(amount, score float64) float64 {
	switch y.Measure {
	case Time:
		return score / y.Per
	case Each:
		return score * amount / y.Per
	}
	return amount / score / y.Per
}

// WaitEveryS is the time, in s, between two waits of a core, and LateShare the share of the waits that are done sooner than a
// score of Waits tells.
const (
	WaitEveryS = 0.01
	LateShare  = 0.99
)

// Late returns the score of waits that ended so many seconds late: their 99th percentile. late is sorted here.
func (y *Yardstick) Late(late []float64) float64 {
	slices.Sort(late)
	return late[min(len(late)-1, int(LateShare*float64(len(late))))] * y.Per
}
