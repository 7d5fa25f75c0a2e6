package channel_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"zerokeel/core/channel"
	"zerokeel/core/load"
)

// warming is a leg under heavy load: power as told, the processor on its way to 80 °C in a room of 22 °C.
func warming(seconds int, watts func(s int) float64) ([]channel.Channel, channel.Samples) {
	r := rand.New(rand.NewPCG(8, 2))
	keys := []string{channel.PackagePower, channel.Temperature, channel.Ambient, "speed.fan.1", "temperature.core.0", "temperature.core.1"}
	samples, list := channel.Samples{}, []channel.Channel{}
	for _, key := range keys {
		list = append(list, channel.Of(key, 0.1))
		values := make([]float64, seconds)
		for s := range values {
			switch key {
			case channel.PackagePower:
				values[s] = watts(s)
			case channel.Temperature, "temperature.core.0", "temperature.core.1":
				values[s] = 80 - 25*math.Exp(-float64(s)/70)
			case channel.Ambient:
				values[s] = 22
			default:
				values[s] = 1200
			}
			values[s] += 0.1 * r.NormFloat64()
		}
		samples[key] = run(values...)
	}
	return list, samples
}

func of(list []channel.Figure, key string) channel.Figure {
	for _, f := range list {
		if f.Key == key {
			return f
		}
	}
	return channel.Figure{}
}

// TestFiguresSettle: a leg tells what its figures go to, above the room too, and says nothing where nothing has settled.
func TestFiguresSettle(t *testing.T) {
	flat := func(int) float64 { return 140 }
	rows := []struct {
		name    string
		leg     channel.Leg
		seconds int
		watts   func(int) float64
		settles bool
	}{
		{"as usual", channel.Leg{Load: load.Heavy}, 240, flat, true},
		{"held by its limit", channel.Leg{Load: load.Heavy, Most: map[string]float64{channel.PackagePower: 141}}, 240, flat, true},
		{"too short", channel.Leg{Load: load.Heavy}, 90, flat, false},
		{"from core to core", channel.Leg{Load: load.Light}, 240, flat, true},
		{"from core to core, too short", channel.Leg{Load: load.Light}, 120, flat, false},
		{"in the boost window", channel.Leg{Load: load.Heavy, Most: map[string]float64{channel.PackagePower: 125}}, 240, flat, false},
		{"after it", channel.Leg{Load: load.Heavy, Most: map[string]float64{channel.PackagePower: 125}}, 240, func(s int) float64 {
			return 125 + 60*math.Max(0, math.Min(1, float64(30-s)))
		}, true},
	}
	for _, row := range rows {
		t.Run(row.name, func(t *testing.T) {
			channels, samples := warming(row.seconds, row.watts)
			list := row.leg.Figures(channels, samples)
			hot, above := of(list, channel.Temperature), of(list, channel.AboveAmbient)
			if (hot.Settled != nil) != row.settles || (above.Settled != nil) != row.settles {
				t.Fatalf("settled %v, above the room %v; want %t", hot.Settled, above.Settled, row.settles)
			}
			if *hot.Low > hot.Mean || hot.Mean > hot.Peak || math.Abs(hot.Mean-above.Mean-22) > 0.1 || above.Unit != "K" {
				t.Errorf("%+v, above the room %+v", hot, above)
			}
			if s := hot.Settled; s != nil && (math.Abs(s.Value-80) > 1.5 || s.SD > 1.5 || math.Abs(s.Value-above.Settled.Value-22) > 0.1) {
				t.Errorf("it goes to %+v, above the room to %+v; truth is 80 °C", s, above.Settled)
			}
		})
	}
}

// TestRefigure: figures that are put right are those of readings that are put right.
func TestRefigure(t *testing.T) {
	leg := channel.Leg{Load: load.Heavy}
	for _, key := range []string{channel.Temperature, channel.Ambient, channel.PackagePower, "no.such"} {
		channels, samples := warming(240, func(int) float64 { return 140 })
		got := leg.Figures(channels, samples)
		anew := func(x float64) float64 { return 0.96*x - 3 }
		channel.Refigure(got, key, anew)
		for i := range samples[key] {
			samples[key][i].V = anew(samples[key][i].V)
		}
		want := leg.Figures(channels, samples)
		for i := range want {
			a, b := got[i], want[i]
			far := math.Max(math.Abs(a.Mean-b.Mean), math.Max(math.Abs(*a.Low-*b.Low), math.Abs(a.Peak-b.Peak)))
			if a.Key != b.Key || far > 1e-6 || math.Abs(a.Settled.Value-b.Settled.Value) > 0.5 {
				t.Errorf("%s put right: %+v %v, of the readings put right %+v %v", key, a, a.Settled, b, b.Settled)
			}
		}
	}
}
