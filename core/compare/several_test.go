package compare_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"zerokeel/core/channel"
	"zerokeel/core/compare"
	"zerokeel/core/load"
	"zerokeel/core/yardstick"
)

// TestSeveralAtOnce: of four configurations of which three are equals and one is much cooler, one table in twenty at most says
// anything of the equals, marks one of them, or has an interval that misses the truth; and the cooler one is found.
func TestSeveralAtOnce(t *testing.T) {
	r := rand.New(rand.NewPCG(14, 1))
	const tables, cooler = 3000, 9.0
	wrong, missed, found := 0, 0, 0
	for range tables {
		at := r.IntN(4)
		sides := make([]compare.Under, 4)
		for i := range sides {
			for range 1 + r.IntN(2) {
				day, kelvin := 2.4*(r.Float64()-0.5), 50.0
				if i == at {
					kelvin -= cooler
				}
				sides[i].Legs = append(sides[i].Legs, ended(load.Heavy, kelvin+day+0.4*r.NormFloat64(), 150+0.5*r.NormFloat64(), 4900, 1.1, 0.4))
			}
		}
		badly, outside := false, false
		for _, row := range compare.Settled(sides...) {
			for _, p := range row.Pairs {
				same := row.Key != channel.AboveAmbient && row.Key != channel.Temperature || p.Base != at && p.Other != at
				truth := 0.0
				if row.Key == channel.AboveAmbient && p.Base == at {
					truth = cooler
				} else if row.Key == channel.AboveAmbient && p.Other == at {
					truth = -cooler
				}
				badly = badly || same && p.Shown
				if p.Shown && math.Abs(p.Absolute) <= p.Half {
					t.Fatalf("%s: %g ± %g is shown", row.Key, p.Absolute, p.Half)
				}
				outside = outside || row.Key == channel.AboveAmbient && (p.Absolute-p.Half > truth || p.Absolute+p.Half < truth)
			}
			for i, place := range row.Places() {
				badly = badly || place != compare.NoPlace && (i != at || row.Key != channel.AboveAmbient)
				if place == compare.Best {
					found++
				}
			}
		}
		if badly {
			wrong++
		}
		if outside {
			missed++
		}
	}
	if wrong > tables/20 || missed > tables/20 || found < tables*8/10 {
		t.Errorf("of %d tables %d say too much, %d have an interval that misses, and %d find the cooler one", tables, wrong, missed, found)
	}
}

// TestUnlikeMachines: of other models a clock or a fan's speed is no gain, clusters are told apart by name, and noise is judged in
// place of the speed that makes it.
func TestUnlikeMachines(t *testing.T) {
	leg := func(cluster string, mhz, rpm, noise float64) compare.Leg {
		l := ended(load.Heavy, 50, 150, mhz, 1.1, 0.1)
		for _, f := range []channel.Figure{{Key: "clock.effective.cluster.0", Label: cluster, Mean: mhz}, {Key: "speed.fan.0", Mean: rpm},
			{Key: channel.Noise, Mean: noise}} {
			if f.Key == channel.Noise && noise == 0 {
				continue
			}
			f.Settled = &channel.Settled{Value: f.Mean, SD: 0.1}
			l.Figures = append(l.Figures, f)
		}
		return l
	}
	under := func(processor, cooler string, l compare.Leg) compare.Under {
		return compare.Under{Legs: []compare.Leg{l}, Processor: processor, Cooler: cooler}
	}
	own := under("A", "X", leg("P-cores", 4000, 900, 30))
	for _, row := range []struct {
		name                string
		other               compare.Under
		clock, speed, noise bool
		clusters            int
	}{
		{"the same machine", under("A", "X", leg("P-cores", 5000, 1200, 36)), true, false, true, 1},
		{"another processor", under("B", "X", leg("Cores", 5000, 1200, 36)), false, false, true, 2},
		{"another cooler", under("A", "Y", leg("P-cores", 5000, 1200, 36)), true, false, true, 1},
		{"of unknown noise", under("A", "X", leg("P-cores", 5000, 1200, 0)), true, true, false, 1},
		{"another cooler of unknown noise", under("A", "Y", leg("P-cores", 5000, 1200, 0)), true, false, false, 1},
	} {
		got := map[string]bool{}
		clusters := 0
		for _, r := range compare.Settled(own, row.other) {
			got[r.Key] = r.Pairs[0].Gain || r.Pairs[0].Shown
			if channel.Matches(channel.ClusterClock, r.Key) {
				clusters++
			}
		}
		if got[channel.MeanClock] != row.clock || got["speed.fan.0"] != row.speed || got[channel.Noise] != row.noise || clusters != row.clusters {
			t.Errorf("%s: shown are %v, and there are %d rows of clusters", row.name, got, clusters)
		}
	}
}

func ExampleVerdicts() {
	score := func(session string, values ...float64) (runs []compare.Run) {
		for _, x := range values {
			runs = append(runs, compare.Run{Session: session, Score: x})
		}
		return runs
	}
	y, _ := yardstick.Of("single-core")
	tables := []compare.Table{compare.Of(y, score("day", 1000, 1003, 997), score("day", 1001, 1004, 999), score("day", 1051, 1047, 1050))}
	settled := compare.Settled(compare.Under{Legs: []compare.Leg{ended(load.Heavy, 70, 200, 5000, 1.2, 0.5)}},
		compare.Under{Legs: []compare.Leg{ended(load.Heavy, 60, 160, 5000, 1.1, 0.5)}}, compare.Under{})
	for _, v := range compare.Verdicts([]string{"stock", "T2", "T5"}, settled, tables) {
		fmt.Printf("%s: %s\n", v.Goal, v.Text)
	}
	for _, p := range compare.Words(settled, tables, 0, 1) {
		fmt.Println("T2:", p.Text)
	}
	// Output:
	// fast on all cores: no difference shown above 71 MHz; T5 not measured
	// fast on few cores: T5: 4.9 ± 0.7 % faster than stock and 4.8 ± 0.7 % faster than T2
	// cool: T2: 10.0 ± 2.4 K cooler than stock; T5 not measured
	// frugal: T2: 40.0 ± 3.6 W less than stock; T5 not measured
	// T2: 10.0 ± 2.4 K cooler
	// T2: 40.0 ± 3.6 W less
	// T2: no difference shown in clock under lasting load above 71 MHz and single-core speed above 1.0 %
}
