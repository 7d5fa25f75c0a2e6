package channel_test

import (
	"maps"
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

// TestWhatEachCoreAsksFor: under a load that goes from core to core each has what was requested while it alone was awake; samples taken
// as one hands over to the next count for none, and neither do other loads.
func TestWhatEachCoreAsksFor(t *testing.T) {
	channels := []channel.Channel{channel.Of(channel.RequestedVoltage, 0.001)}
	samples := channel.Samples{channel.RequestedVoltage: run(1.3, 1.3, 1.3, 1.4, 1.25, 1.25, 1.25, 1.25, 1.2, 1.2)}
	for core, values := range [][]float64{{5500, 5500, 5500, 5500, 20, 20, 20, 20, 20, 20}, {20, 20, 20, 900, 5400, 5400, 5400, 5400, 20, 20},
		{20, 20, 20, 20, 20, 20, 20, 20, 5300, 5300}} {
		c := channel.OfCore(channel.EffectiveClock, core, 1)
		channels = append(channels, c)
		samples[c.Key] = run(values...)
	}
	for kind, want := range map[load.Kind]map[int]float64{load.Light: {0: 1.3, 1: 1.25}, load.Heavy: {}} {
		got := map[int]float64{}
		for _, f := range (channel.Leg{Load: kind}).Figures(channels, samples) {
			if def, core, _ := channel.Find(f.Key); def.Pattern == channel.AloneVoltage {
				got[core] = f.Mean
			}
		}
		if !maps.Equal(got, want) {
			t.Errorf("%s: %v, want %v", kind, got, want)
		}
	}
}

// TestClocksByCluster: cores that sleep count for no figure, clusters are told apart, and of a load that goes from core to core
// each cluster has the clock of its own turns.
func TestClocksByCluster(t *testing.T) {
	channels := []channel.Channel{}
	for core := range 4 {
		channels = append(channels, channel.OfCore(channel.EffectiveClock, core, 1))
	}
	at := func(core int) string { return channel.At(channel.EffectiveClock, core) }
	clusters := []channel.Cluster{{Name: "P-cores", Cores: []int{0, 1}}, {Name: "E-cores", Cores: []int{2, 3}}}
	for _, row := range []struct {
		name    string
		leg     channel.Leg
		samples channel.Samples
		want    map[string]float64
	}{
		{"all", channel.Leg{Load: load.Heavy, Clusters: clusters},
			channel.Samples{at(0): run(5000, 5000), at(1): run(4800, 4800), at(2): run(4000, 4000), at(3): run(10, 12)},
			map[string]float64{channel.MeanClock: 4600, channel.LowestClock: 4000, channel.HighestClock: 5000,
				"clock.effective.cluster.0": 4900, "clock.effective.cluster.1": 4000}},
		{"in turn", channel.Leg{Load: load.Light, Clusters: clusters},
			channel.Samples{at(0): run(5500, 20, 20, 20), at(1): run(20, 5300, 20, 20), at(2): run(20, 20, 4200, 20), at(3): run(20, 20, 20, 4100)},
			map[string]float64{channel.MeanClock: 4775, channel.LowestClock: 4100, channel.HighestClock: 5500,
				"clock.effective.cluster.0": 5400, "clock.effective.cluster.1": 4150}},
		{"the scored turn", channel.Leg{Load: load.Light, Clusters: clusters, Scored: &channel.Span{FromMS: 1000, ToMS: 2000}},
			channel.Samples{at(0): run(5500, 20, 20, 20), at(1): run(20, 5300, 20, 20), at(2): run(20, 20, 4200, 20), at(3): run(20, 20, 20, 4100)},
			map[string]float64{channel.MeanClock: 5300, channel.LowestClock: 5300, channel.HighestClock: 5300, "clock.effective.cluster.0": 5300}},
	} {
		list := row.leg.Figures(channels, row.samples)
		if len(list) != len(row.want) {
			t.Errorf("%s: %+v", row.name, list)
		}
		for _, f := range list {
			if f.Mean != row.want[f.Key] {
				t.Errorf("%s: %s is %g, want %g", row.name, f.Key, f.Mean, row.want[f.Key])
			}
		}
	}
}
