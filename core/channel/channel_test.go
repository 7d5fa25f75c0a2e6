package channel_test

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"zerokeel/core/channel"
	"zerokeel/core/govern"
	"zerokeel/core/load"
	"zerokeel/core/series"
)

// TestRegistry: every definition is complete, is found by its own keys, and by no other's.
func TestRegistry(t *testing.T) {
	quantities := map[string]bool{}
	for _, q := range channel.Quantities {
		quantities[q.Name] = true
	}
	seen := map[string]bool{}
	for _, d := range channel.Registry {
		t.Run(d.Pattern, func(t *testing.T) {
			if seen[d.Pattern] || !quantities[d.Quantity] || d.Label == "" || d.Scope == "" || d.Sum == "" {
				t.Fatalf("twice, or incomplete: %+v", d)
			}
			seen[d.Pattern] = true
			many := strings.HasSuffix(d.Pattern, ".*")
			numbered := d.Scope == channel.ScopeCore || d.Scope == channel.ScopeFan || d.Scope == channel.ScopeCluster
			if many != strings.Contains(d.Label, "%d") || many != numbered {
				t.Errorf("star, label and scope disagree: %+v", d)
			}
			if (d.Sum == channel.SumShare) != (len(d.Categories) > 0) {
				t.Errorf("only categories are summed up by share: %+v", d)
			}
			for _, number := range []int{0, 7, 15} {
				key := channel.At(d.Pattern, number)
				found, got, ok := channel.Find(key)
				if !ok || found.Pattern != d.Pattern || many && got != number || !many && got != -1 {
					t.Errorf("%s is found as %s, %d", key, found.Pattern, got)
				}
				c := channel.Of(key, 0.5)
				if c.Key != key || c.Unit != d.Unit || c.Quantum != 0.5 || (c.Core >= 0) != (d.Scope == channel.ScopeCore) ||
					strings.Contains(c.Label, "%") {
					t.Errorf("%s becomes %+v", key, c)
				}
			}
		})
	}
	for _, key := range []string{"", ".", "temperature", "temperature.core", "temperature.core.", "temperature.core.x",
		"temperature.core.-1", "temperature.core.01",
		"temperature.core.*", "temperature.core.1.2", "limiter.3", "voltage.core.delivered.2"} {
		if d, _, ok := channel.Find(key); ok {
			t.Errorf("%q is found as %s", key, d.Pattern)
		}
	}
}

// TestUnknownChannels: a channel of a board's own takes what its quantity says.
func TestUnknownChannels(t *testing.T) {
	c := channel.Channel{Key: "temperature.chip.temp7", Quantity: "temperature", Label: "chip temp7", Unit: "°C", Core: -1}
	if d := c.Define(); d.Sum != channel.SumMean || d.Label != c.Label || d.Scope != channel.ScopeMachine || c.Category(1) != "" {
		t.Errorf("%+v", d)
	}
	q := channel.QuantityOf("flow")
	if !q.Plausible(-1e9) || channel.QuantityOf("temperature").Plausible(0) || !channel.QuantityOf("temperature").Plausible(-20) ||
		channel.QuantityOf("voltage").Plausible(math.NaN()) {
		t.Error("bounds of quantities")
	}
}

func run(values ...float64) []series.Sample {
	out := make([]series.Sample, len(values))
	for i, v := range values {
		out[i] = series.Sample{T: int64(i) * 1000, V: v}
	}
	return out
}

// TestLimiterIsNeverAMean: categories are named, have no figure, and sum up to one that was there.
func TestLimiterIsNeverAMean(t *testing.T) {
	c := channel.Of(channel.Limiter, 1)
	for i, l := range govern.Limiters {
		if c.Category(float64(i)) != string(l) {
			t.Errorf("%d is %q, want %q", i, c.Category(float64(i)), l)
		}
	}
	for _, x := range []float64{-1, 0.5, 99, math.NaN()} {
		if name := c.Category(x); name != "" {
			t.Errorf("%g is called %s", x, name)
		}
	}
	samples := run(1, 5, 5, 1, 1)
	if list := (channel.Leg{Load: load.Heavy}).Figures([]channel.Channel{c}, channel.Samples{c.Key: samples}); len(list) != 0 {
		t.Errorf("the limiter has a figure: %+v", list)
	}
	if got := series.Modes(samples, 0, 5000, 1); len(got) != 1 || got[0].Mean != 1 || got[0].N != 3 {
		t.Errorf("ratio, 3 of 5 seconds, sums up to %+v", got)
	}
}

// TestDerived: what tells of several cores is derived from those that are awake, and says what it comes from.
func TestDerived(t *testing.T) {
	clocks := []channel.Channel{channel.OfCore(channel.EffectiveClock, 0, 1), channel.OfCore(channel.EffectiveClock, 1, 1),
		channel.OfCore(channel.EffectiveClock, 2, 1)}
	samples := channel.Samples{clocks[0].Key: run(5000, 5000, 50), clocks[1].Key: run(4800, 20, 40), clocks[2].Key: run(math.NaN(), 0, 30)}
	clusters := []channel.Cluster{{Name: "P-cores", Cores: []int{0}}, {Name: "E-cores", Cores: []int{1, 2}}}
	list, derived := channel.Derived(clocks, samples, clusters)
	if len(list) != 5 || list[4].Label != "Effective clock, E-cores" {
		t.Fatalf("%+v", list)
	}
	for key, want := range map[string][]float64{channel.MeanClock: {4900, 5000, 40}, channel.LowestClock: {4800, 5000, 30},
		channel.HighestClock:        {5000, 5000, 50},
		"clock.effective.cluster.0": {5000, 5000, math.NaN()}, "clock.effective.cluster.1": {4800, math.NaN(), math.NaN()}} {
		for i, s := range derived[key] {
			if s.V != want[i] && !(math.IsNaN(s.V) && math.IsNaN(want[i])) {
				t.Errorf("%s at %d s: %g, want %g", key, i, s.V, want[i])
			}
		}
	}
	for _, d := range channel.Registry {
		if sources := channel.Sources(d.Pattern); len(sources) > 0 && !d.Derived || len(sources) == 0 && d.Derived &&
			!slices.Contains([]string{channel.StartOfRun, channel.BoostWindow, channel.CoresAbove, channel.Noise}, d.Pattern) {
			t.Errorf("%s is derived: %t, from %v", d.Pattern, d.Derived, sources)
		}
	}
	bucket := func(t int64, x float64) series.Bucket { return series.Bucket{T: t, Min: x, Mean: x, Max: x, N: 1} }
	above := channel.Above(map[string][]series.Bucket{channel.Temperature: {bucket(0, 60), bucket(2000, 70)},
		channel.Ambient: {bucket(1000, 22), bucket(2000, 25)}}, 99)
	if len(above) != 2 || above[0].Mean != 38 || above[1].Mean != 45 {
		t.Errorf("above ambient: %+v", above)
	}
}

func ExampleFind() {
	def, core, _ := channel.Find("temperature.core.3")
	fmt.Println(def.Quantity, def.Unit, def.Scope, core)
	limiter := channel.Of(channel.Limiter, 1)
	fmt.Println(limiter.Category(2))
	// Output:
	// temperature °C core 3
	// sustained power
}
