package workshop

import (
	"math"
	"testing"

	"zerokeel/core/channel"
	"zerokeel/core/load"
	"zerokeel/store"
)

// TestWhatTeaches: a leg says how the machine settles where its figures do, on all the cores that run; what was recorded before
// settled values were noted counts by its length.
func TestWhatTeaches(t *testing.T) {
	near := &channel.Settled{Value: 150, SD: 1.5}
	all := []int{0, 1, 2, 3}
	rows := []struct {
		name    string
		load    load.Kind
		seconds float64
		cores   []int
		running []int
		settled *channel.Settled
		watts   float64 // NaN where it teaches nothing
	}{
		{"three minutes", load.Heavy, 179, all, all, near, 150},
		{"three minutes that did not settle", load.Heavy, 179, all, all, nil, math.NaN()},
		{"ten, of before", load.Heavy, 599, all, all, nil, 140},
		{"ten, of before trials noted their cores", load.Heavy, 599, all, nil, nil, 140},
		{"half of the cores", load.Heavy, 599, all[:2], all, near, math.NaN()},
		{"each core in turn", load.Light, 179, all, all, near, 150},
		{"idle for a quarter of an hour, of before", load.Idle, 899, all, all, nil, math.NaN()},
		{"idle for longer, of before", load.Idle, 901, all, all, nil, 140},
		{"a load that is not forecast", load.Transform, 599, all, all, near, math.NaN()},
	}
	for _, row := range rows {
		r := record{HeldLeg: store.HeldLeg{Load: row.load, SeenS: row.seconds, Cores: store.AsJSON(row.cores), Running: store.AsJSON(row.running),
			Figures: store.AsJSON([]channel.Figure{{Key: channel.PackagePower, Unit: "W", Mean: 140, Peak: 160, Settled: row.settled}})}}
		got, sd := r.figure(channel.PackagePower)
		if teaches := !math.IsNaN(row.watts); r.tells() != teaches || teaches && (got != row.watts || row.settled != nil && sd != near.SD) {
			t.Errorf("%s: tells %t, %g W ±%g; want %g W", row.name, r.tells(), got, sd, row.watts)
		}
	}
}
