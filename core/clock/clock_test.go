package clock_test

import (
	"math"
	"testing"

	"zerokeel/core/clock"
	"zerokeel/core/part"
	"zerokeel/core/part/parttest"
)

func TestBinsCoverEveryClock(t *testing.T) {
	p := parttest.Petrel(t).Processor
	b := clock.NewBins(p, 100, 5450)
	if b.FirstMHz != 800 || b.StepMHz != 25 || b.MHz(b.Count-1) != 5450 {
		t.Fatalf("bins from %g by %g to %g MHz", b.FirstMHz, b.StepMHz, b.MHz(b.Count-1))
	}
	for bin := range b.Count {
		mhz := b.MHz(bin)
		for _, row := range []struct {
			mhz  float64
			want int
		}{{mhz, bin}, {mhz + 24.9, bin}, {mhz - 0.1, max(0, bin-1)}} {
			if got := b.AtMost(row.mhz); got != row.want {
				t.Errorf("at most %g MHz: bin %d, want %d", row.mhz, got, row.want)
			}
		}
	}
	if b.AtMost(0) != 0 || b.AtMost(9999) != b.Count-1 {
		t.Error("clocks outside the bins are not held at the ends")
	}
	if low := clock.NewBins(p, 100, 100); low.Count != 1 || low.MHz(0) != 800 {
		t.Errorf("a ceiling below the lowest ratio leaves %+v", low)
	}
}

// TestTopFollowsTheTable walks what a trim may ask of the clocks, on eight like cores and on P- and E-cores.
func TestTopFollowsTheTable(t *testing.T) {
	petrel, skua := parttest.Petrel(t).Processor, parttest.Rig(t, "skua").Processor
	rows := []struct {
		name         string
		p            *part.Processor
		change       func(*clock.Table)
		core, active int
		vector       bool
		want         float64
	}{
		{"one core", petrel, nil, 0, 1, false, 5450},
		{"none counts as one", petrel, nil, 0, 0, false, 5450},
		{"three cores", petrel, nil, 7, 3, false, 5350},
		{"all cores", petrel, nil, 7, 8, false, 5250},
		{"offset", petrel, func(t *clock.Table) { t.OffsetMHz = -500 }, 0, 8, false, 4750},
		{"reference clock", petrel, func(t *clock.Table) { t.ReferenceMHz = 103 }, 0, 8, false, 5407.5},
		{"no boost", petrel, func(t *clock.Table) { t.Boost = false; t.OffsetMHz = 200 }, 0, 1, false, 4200},
		{"all-core ratio", petrel, func(t *clock.Table) { t.All = 48; t.Boost = false }, 0, 1, false, 4800},
		{"core ratio bounds the all-core one", petrel, func(t *clock.Table) { t.All, t.Core[3] = 48, 46.5 }, 3, 8, false, 4650},
		{"vector code", petrel, func(t *clock.Table) { t.Vector = 2 }, 0, 8, true, 5050},
		{"vector offset without vector code", petrel, func(t *clock.Table) { t.Vector = 2 }, 0, 8, false, 5250},
		{"P-core", skua, nil, 0, 6, false, 5000},
		{"E-core", skua, nil, 6, 14, false, 3900},
		{"two active", skua, func(t *clock.Table) { t.Active[1] = 56 }, 0, 2, false, 5600},
		{"two active, E-core", skua, func(t *clock.Table) { t.Active[1] = 56 }, 6, 2, false, 3900},
		{"lift", skua, func(t *clock.Table) { t.Lift = 2; t.Active[5] = 51 }, 0, 6, false, 5300},
		{"P ratio", skua, func(t *clock.Table) { t.P, t.E = 49, 37 }, 0, 1, false, 4900},
		{"E ratio", skua, func(t *clock.Table) { t.P, t.E = 49, 37 }, 13, 1, false, 3700},
		{"cluster ratio", skua, func(t *clock.Table) { t.Cluster[1] = 36; t.E = 40 }, 13, 1, false, 3600},
	}
	for _, row := range rows {
		table := clock.Table{ReferenceMHz: 100, Boost: true, Active: make([]float64, row.p.Cores()),
			Cluster: make([]float64, len(row.p.Clusters)), Core: make([]float64, row.p.Cores())}
		if row.change != nil {
			row.change(&table)
		}
		awake := clock.Awake{Here: row.active, Kind: row.active, All: row.active}
		if got := table.Top(row.p, row.core, awake, row.vector); math.Abs(got-row.want) > 1e-9 {
			t.Errorf("%s: got %g MHz, want %g", row.name, got, row.want)
		}
	}
}
