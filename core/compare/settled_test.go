package compare_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"zerokeel/core/channel"
	"zerokeel/core/compare"
	"zerokeel/core/load"
)

// ended is a leg that settled so far above its room, and at so many watts, MHz and volts.
func ended(kind load.Kind, kelvin, watts, mhz, volts, sd float64) compare.Leg {
	figure := func(key string, value, sd float64) channel.Figure {
		// The mean tells how warm the leg began, and must not count.
		return channel.Figure{Key: key, Mean: value - 20, Peak: value + 5, Settled: &channel.Settled{Value: value, SD: sd}}
	}
	return compare.Leg{Load: kind, Figures: []channel.Figure{
		figure(channel.AboveAmbient, kelvin, sd), figure(channel.Temperature, kelvin+24, sd), figure(channel.PackagePower, watts, 0.3),
		figure(channel.MeanClock, mhz, 1), figure(channel.DeliveredVoltage, volts, 0.001),
	}}
}

// TestSettled: what is compared is where figures settle; raw degrees are never judged, and a side without legs claims nothing.
func TestSettled(t *testing.T) {
	base := []compare.Leg{ended(load.Heavy, 70, 180, 5100, 1.14, 0.5), ended(load.Heavy, 70.4, 179.5, 5100, 1.141, 0.4),
		ended(load.Idle, 10, 12, 0, 0.66, 0.3)}
	cooler := []compare.Leg{ended(load.Heavy, 59, 142, 4870, 1.05, 0.6)}
	unsure := []compare.Leg{ended(load.Heavy, 68.5, 180, 5100, 1.14, 0.5)}
	for _, row := range []struct {
		name  string
		other []compare.Leg
		key   string
		shown bool
		gain  bool
	}{
		{"cooler", cooler, channel.AboveAmbient, true, true},
		{"cooler", cooler, channel.PackagePower, true, true},
		{"cooler", cooler, channel.MeanClock, true, false},
		{"cooler", cooler, channel.DeliveredVoltage, true, false},
		{"cooler", cooler, channel.Temperature, false, false},
		{"as unlike as two days", unsure, channel.AboveAmbient, false, false},
		{"none", nil, channel.AboveAmbient, false, false},
	} {
		found := false
		for _, r := range compare.Settled(compare.Under{Legs: base}, compare.Under{Legs: row.other}) {
			if r.Load == load.Idle && (r.Pairs[0].Both || r.Pairs[0].Shown) {
				t.Errorf("%s: nothing idled under the other trim, and yet %+v", row.name, r)
			}
			if r.Load != load.Heavy || r.Key != row.key {
				continue
			}
			found = true
			if r.Pairs[0].Shown != row.shown || r.Pairs[0].Gain != row.gain || r.Pairs[0].Both != (row.other != nil) {
				t.Errorf("%s, %s: %+v", row.name, row.key, r)
			}
			if row.key == channel.AboveAmbient && row.name == "cooler" && math.Abs(r.Pairs[0].Absolute+11.2) > 0.3 {
				t.Errorf("the difference is %.1f K, 11.2 are true", r.Pairs[0].Absolute)
			}
		}
		if !found {
			t.Errorf("%s: no row %s", row.name, row.key)
		}
	}
}

// settledTables compares trims of which the other is cooler by some kelvin, on days that differ by up to 1.2 K, and returns
// the shares of tables that claim anything, and that claim it is cooler.
func settledTables(tables int, cooler float64) (claims, cooled float64) {
	r := rand.New(rand.NewPCG(12, 3))
	side := func(kelvin float64) []compare.Leg {
		var legs []compare.Leg
		for range 1 + r.IntN(3) {
			day := 2.4 * (r.Float64() - 0.5)
			for _, kind := range []load.Kind{load.Heavy, load.Light, load.Idle} {
				sd := 0.2 + r.Float64()
				legs = append(legs, ended(kind, kelvin+day+sd*r.NormFloat64(), 150+0.6*day+0.6*r.NormFloat64(), 4900+8*r.NormFloat64(),
					1.1+0.0015*r.NormFloat64(), sd))
			}
		}
		return legs
	}
	for range tables {
		any, cold := false, false
		for _, row := range compare.Settled(compare.Under{Legs: side(50)}, compare.Under{Legs: side(50 - cooler)}) {
			any = any || row.Pairs[0].Shown
			cold = cold || row.Pairs[0].Gain && row.Key == channel.AboveAmbient
		}
		if any {
			claims += 1 / float64(tables)
		}
		if cold {
			cooled += 1 / float64(tables)
		}
	}
	return claims, cooled
}

// TestEqualsShowNothing: of comparisons of equal trims on unlike days one in twenty at most claims a difference anywhere, and one
// of 4 K is found.
func TestEqualsShowNothing(t *testing.T) {
	if claims, _ := settledTables(4000, 0); claims > 0.055 {
		t.Errorf("%.1f %% of the tables of equals claim a difference", 100*claims)
	}
	if _, cooled := settledTables(1000, 4); cooled < 0.8 {
		t.Errorf("4 K are found in %.0f %% of the tables", 100*cooled)
	}
}
