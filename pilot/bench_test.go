package pilot_test

import (
	"flag"
	"fmt"
	"math"
	"math/rand/v2"
	"net/url"
	"sync"
	"testing"

	"zerokeel/core/part/parttest"
	"zerokeel/core/trim"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
	"zerokeel/standin"
)

var rigsSurveyed = flag.Int("rigs", 12, "of the benchmark of surveyed rigs")

// soldRig draws rigs until one comes that a maker would sell: as delivered it does not fail more often than is allowed.
func soldRig(t testing.TB, n int, r *rand.Rand, of []string, ceiling float64) *standin.Config {
	for {
		cfg := randomRig(t, n, r, of)
		faults, err := cfg.DailyFaults(trim.Stock(cfg.Parts.Processor, cfg.Parts.Board))
		if err != nil {
			t.Fatal(err)
		}
		if -math.Expm1(-faults) <= ceiling {
			return cfg
		}
	}
}

// randomRig draws a rig of one of the demo's part sheets, whose chip nobody has seen: reserves, weak cores, slope.
func randomRig(t testing.TB, n int, r *rand.Rand, of []string) *standin.Config {
	name := of[r.IntN(len(of))]
	v := func(mean, sd float64) float64 { return mean + sd*r.NormFloat64() }
	shared := v(0, 0.015)
	cfg := &standin.Config{Format: standin.Format, Name: fmt.Sprintf("%s-%d", name, n), Parts: *parttest.Rig(t, name), Seed: r.Uint64(),
		AmbientC: v(24, 2), SpreadV: 0.003 + 0.006*r.Float64(), Weaker: map[int]standin.Reserve{},
		Reserve: standin.Reserve{Heavy: v(0.16, 0.012) + shared, Light: v(0.135, 0.01) + shared, Transition: v(0.2, 0.015) + shared,
			Idle: v(0.15, 0.012) + shared}}
	if r.Float64() < 0.5 { // an outlier, as one chip in two has
		weak := standin.Reserve{}
		*[]*float64{&weak.Heavy, &weak.Light, &weak.Idle}[r.IntN(3)] = 0.02 + 0.03*r.Float64()
		cfg.Weaker[r.IntN(cfg.Parts.Processor.Cores())] = weak
	}
	return cfg
}

// BenchmarkSurveyedRigs surveys random rigs through the server for four hours of bench time each, and BenchmarkTunedRigs tunes them for
// eight with the goal cool. They tell how many end proven, how many of these at a true risk under the ceiling, and by how many mV they
// went down on average.
func BenchmarkSurveyedRigs(b *testing.B) {
	flown(b, api.StartPilotRequest{Minutes: 240}, parttest.Rigs)
}

// BenchmarkTunedRigs: see BenchmarkSurveyedRigs.
func BenchmarkTunedRigs(b *testing.B) {
	flown(b, api.StartPilotRequest{Goal: text("cool"), Minutes: 480}, parttest.Rigs)
}

// BenchmarkOverclockedRigs overclocks random rigs of the part whose board leaves the most room for it: see BenchmarkSurveyedRigs. Depths
// are below what would be delivered at the clock that was found.
func BenchmarkOverclockedRigs(b *testing.B) {
	watts := 253.0
	flown(b, api.StartPilotRequest{Goal: text("overclock"), Minutes: 480, Watts: &watts}, []string{"skua"})
}

// refused says why a tuning of a rig would not begin; empty where it would.
func refused(rig *servertest.Rig, ask *api.StartPilotRequest) string {
	if ask.Goal == nil {
		return ""
	}
	query := url.Values{"goal": {*ask.Goal}, "trim": {fmt.Sprint(ask.Trim)}, "minutes": {fmt.Sprint(ask.Minutes)}}
	if ask.Watts != nil {
		query.Set("watts", fmt.Sprint(*ask.Watts))
	}
	var drawn api.Tuning
	rig.Call("GET", fmt.Sprintf("/api/rigs/%d/tuning?%s", rig.ID, query.Encode()), nil, 200, &drawn)
	for _, f := range drawn.Faults {
		return f.Problem
	}
	return ""
}

func flown(b *testing.B, ask api.StartPilotRequest, of []string) {
	const ceiling, sideBySide = 0.05, 4
	for b.Loop() {
		bench := servertest.Start(b)
		bench.Rest = 200
		var mu sync.Mutex
		var begun, proven, under, above, stated, truly, mV float64
		var all sync.WaitGroup
		places := make(chan struct{}, sideBySide)
		r := rand.New(rand.NewPCG(13, 13))
		for n := range *rigsSurveyed {
			rig := bench.AddRig(soldRig(b, n, r, of, ceiling), 4000)
			places <- struct{}{}
			all.Go(func() {
				defer func() { rig.End(); <-places }()
				risk, ask := ceiling, ask
				ask.Trim, ask.Risk = rig.Trims()[0].Id, &risk
				if why := refused(rig, &ask); why != "" {
					b.Logf("%s: refused, %s", rig.Config.Name, why)
					return
				}
				p := survey(rig, ask)
				p.until("the pilot ends", func() bool { return p.State == api.Ended })
				var s api.Soundings
				rig.Call("GET", fmt.Sprintf("/api/rigs/%d/soundings", rig.ID), nil, 200, &s)
				held := trim.Stock(rig.Config.Parts.Processor, rig.Config.Parts.Board)
				if p.Found != nil {
					held = settings(b, rig, *p.Found)
				}
				is, mean := trueRisk(b, rig, held), 0.0
				for _, c := range s.Cores {
					mean -= float64(c.Own) * s.StepMV / float64(len(s.Cores))
				}
				by, _ := rig.Config.DailyFaultsBy(standin.MixedUse, held)
				mu.Lock()
				defer mu.Unlock()
				b.Logf("%s: %q, %d orders, %d clears, %.0f min, true risk %.4f, stated %.4f to %.4f, %.0f mV deeper, faults a day %.3v",
					rig.Config.Name, p.Problem, p.Orders, p.Clears, p.SpentMin, is, s.At.Risk, s.At.High, mean, by)
				if is > s.At.High {
					above++
				}
				begun, stated, truly = begun+1, stated+s.At.Risk, truly+is
				if p.Problem == "" {
					proven++
					mV += mean
					if is <= ceiling {
						under++
					}
				}
			})
		}
		all.Wait()
		n := max(1, begun)
		b.ReportMetric(n, "begun")
		b.ReportMetric(100*proven/n, "%proven")
		b.ReportMetric(100*under/n, "%under-ceiling")
		b.ReportMetric(100*above/n, "%above-high")
		b.ReportMetric(truly/stated, "true/stated")
		b.ReportMetric(mV/max(1, proven), "mV-deeper")
	}
}
