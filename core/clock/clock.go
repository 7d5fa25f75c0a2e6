// Package clock turns ratios into clocks: the bins that a governor may choose from, and the ceiling that the
// processor and the trim set for a number of active cores.
package clock

import (
	"math"

	"zerokeel/core/part"
)

// Bins are the core clocks that a processor can run at: reference clock × ratio, from the lowest ratio up in
// equal steps. Bin 0 is the lowest.
type Bins struct {
	FirstMHz float64
	StepMHz  float64
	Count    int
}

// NewBins returns the bins of p up to topMHz, the highest clock that any core may be asked for. There is
// always at least one bin.
func NewBins(p *part.Processor, topMHz float64) Bins {
	b := Bins{FirstMHz: p.MinRatio * p.BaseClockMHz, StepMHz: p.RatioStep * p.BaseClockMHz}
	b.Count = 1 + max(0, b.below(topMHz))
	return b
}

// MHz returns the clock of a bin.
func (b Bins) MHz(bin int) float64 { return b.FirstMHz + float64(bin)*b.StepMHz }

// AtMost returns the highest bin whose clock does not exceed mhz, bin 0 if none.
func (b Bins) AtMost(mhz float64) int { return min(max(0, b.below(mhz)), b.Count-1) }

func (b Bins) below(mhz float64) int { return int(math.Floor((mhz-b.FirstMHz)/b.StepMHz + 1e-9)) }

// Ceiling returns the highest clock, in MHz, for each of active cores at once: the sheet's ceiling for that
// many, moved by the boost ceiling offset.
func Ceiling(p *part.Processor, active int, offsetMHz float64) float64 {
	return p.CeilingMHz(max(1, active)) + offsetMHz
}
