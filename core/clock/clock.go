// Package clock turns ratios into clocks: the bins that a governor may choose from, and the ceiling that the
// processor and the trim set for a number of active cores.
package clock

import (
	"math"
	"slices"

	"zerokeel/core/part"
)

// Bins are the core clocks that a processor can run at: reference clock × ratio, from the lowest ratio up in
// equal steps. Bin 0 is the lowest.
type Bins struct {
	FirstMHz float64
	StepMHz  float64
	Count    int
}

// NewBins returns the bins of p on a reference clock, up to topMHz, the highest clock that any core may be asked for.
// There is always at least one bin.
func NewBins(p *part.Processor, referenceMHz, topMHz float64) Bins {
	b := Bins{FirstMHz: p.MinRatio * referenceMHz, StepMHz: p.RatioStep * referenceMHz}
	b.Count = 1 + max(0, b.below(topMHz))
	return b
}

// MHz returns the clock of a bin.
func (b Bins) MHz(bin int) float64 { return b.FirstMHz + float64(bin)*b.StepMHz }

// AtMost returns the highest bin whose clock does not exceed mhz, bin 0 if none.
func (b Bins) AtMost(mhz float64) int { return min(max(0, b.below(mhz)), b.Count-1) }

func (b Bins) below(mhz float64) int { return int(math.Floor((mhz-b.FirstMHz)/b.StepMHz + 1e-9)) }

// Table is what a trim asks of the clocks: ratios where it sets them, 0 where the processor's own count.
type Table struct {
	ReferenceMHz  float64
	Boost         bool
	OffsetMHz     float64   // boost ceiling offset
	All, P, E     float64   // ratios
	Active        []float64 // by active cores, from 1
	Lift          float64
	Cluster, Core []float64
	Vector        float64 // taken off under wide vector code
	CapMHz        float64 // that the running system asks no core to exceed; 0 for none
}

// Awake counts the cores that are active: of a core's own cluster, of its kind, and of the whole processor.
type Awake struct{ Here, Kind, All int }

// Alone is one core by itself.
var Alone = Awake{1, 1, 1}

// Manual reports whether a core ratio is set by hand.
func (t *Table) Manual() bool {
	set := func(ratio float64) bool { return ratio > 0 }
	return t.All > 0 || t.P > 0 || t.E > 0 || slices.ContainsFunc(t.Cluster, set) || slices.ContainsFunc(t.Core, set)
}

// Top returns the highest clock in MHz of a core while some cores are awake. Ratios by active cores count those of their kind, the
// performance cores. The processor's own ceiling counts where the trim sets nothing; an all-core ratio replaces the tables
// by active cores, and the ratios of a kind, cluster or core bound what they leave.
func (t *Table) Top(p *part.Processor, core int, awake Awake, vector bool) float64 {
	cluster := p.ClusterOf(core)
	efficient := p.Clusters[cluster].Kind == part.KindEfficiency
	scale := t.ReferenceMHz / p.BaseClockMHz
	mhz := p.ClusterCeilingMHz(cluster, max(1, awake.Here), max(1, awake.All)) * scale
	switch {
	case t.All > 0 && !efficient:
		mhz = t.All * t.ReferenceMHz
	case !t.Boost:
		mhz = min(mhz, p.BaseMHz*scale)
	default:
		if n := min(max(1, awake.Kind), len(t.Active)); n > 0 && t.Active[n-1] > 0 && !efficient {
			mhz = t.Active[n-1] * t.ReferenceMHz
		}
		mhz += t.OffsetMHz
		if !efficient {
			mhz += t.Lift * t.ReferenceMHz
		}
	}
	kind := t.P
	if efficient {
		kind = t.E
	}
	switch {
	case t.Core[core] > 0:
		mhz = t.Core[core] * t.ReferenceMHz
	case t.Cluster[cluster] > 0:
		mhz = t.Cluster[cluster] * t.ReferenceMHz
	case kind > 0:
		mhz = kind * t.ReferenceMHz
	}
	if vector {
		mhz -= t.Vector * t.ReferenceMHz
	}
	if t.CapMHz > 0 {
		mhz = min(mhz, t.CapMHz)
	}
	return mhz
}

// InStepMHz returns the fabric clock that keeps step with a memory rate; half a controller's clock halves it.
func InStepMHz(p *part.Processor, memoryMTs float64, half bool) float64 {
	per := p.Uncore.FabricPer
	if per == 0 {
		per = 2.0 / 3
	}
	if half {
		per /= 2
	}
	return per * memoryMTs / 2
}

// FabricMHz returns the fabric clock that "auto" means for a memory rate: in step with it, as long as the fabric can.
func FabricMHz(p *part.Processor, memoryMTs float64) float64 {
	most := p.Uncore.FabricMax
	if most == 0 {
		most = p.Uncore.FabricMHz
	}
	return min(most, InStepMHz(p, memoryMTs, false))
}
