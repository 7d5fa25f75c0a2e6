package server_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"sync"
	"testing"
	"time"

	"zerokeel/server/api"
	"zerokeel/server/servertest"
	"zerokeel/standin"
)

// BenchmarkSilence freezes, restarts or shuts down machines that idle, at random moments, and prints after how long on their own
// clocks they were told as silent at the latest, after how long the right word was there, and how many never got it.
func BenchmarkSilence(b *testing.B) {
	const rigs, speed = 100, 3.0
	for b.Loop() {
		bench := servertest.Start(b)
		r := rand.New(rand.NewPCG(100, 2))
		var all []*servertest.Rig
		for i := range rigs {
			cfg := petrel(b, func(c *standin.Config) { c.Name, c.Seed = fmt.Sprintf("rig-%d", i), uint64(i) })
			all = append(all, bench.AddRig(cfg, speed))
		}
		for _, rig := range all {
			bench.Call("POST", fmt.Sprintf("/api/rigs/%d/fittings", rig.ID), api.FitRequest{Trim: rig.Trims()[0].Id}, 201, nil)
		}
		bench.Until("all of them idle", func() bool {
			for _, rig := range all {
				if rig.Get().State != "idle" {
					return false
				}
			}
			return true
		})
		var mu sync.Mutex
		var each sync.WaitGroup
		silent, named, wrong := 0.0, 0.0, 0
		for _, rig := range all {
			kind, after := r.IntN(3), time.Duration(r.Float64()*20*float64(time.Second))
			each.Go(func() {
				time.Sleep(after)
				begun := time.Now()
				word := []string{"froze", "restarted", "switched off"}[kind]
				switch kind {
				case 2:
					rig.Enter(nil, "GracefulShutdown")
				default:
					rig.Standin.Fault(kind == 1)
				}
				since := func() float64 { return speed * time.Since(begun).Seconds() }
				told, right := math.Inf(1), math.Inf(1)
				for since() < 240 && math.IsInf(right, 1) {
					g := rig.Get()
					if math.IsInf(told, 1) && g.State != "idle" {
						told = since()
					}
					is := g.State == word
					if kind == 1 {
						var list []api.Incident
						rig.Call("GET", fmt.Sprintf("/api/rigs/%d/incidents", rig.ID), nil, 200, &list)
						is = len(list) == 1 && list[0].Kind == word
					}
					if is {
						right = since()
					}
					time.Sleep(200 * time.Millisecond)
				}
				mu.Lock()
				defer mu.Unlock()
				silent = max(silent, min(told, right))
				if math.IsInf(right, 1) {
					wrong++
				} else {
					named = max(named, right)
				}
			})
		}
		each.Wait()
		b.ReportMetric(silent, "s_silent_latest")
		b.ReportMetric(named, "s_named_latest")
		b.ReportMetric(float64(wrong), "never_named")
		bench.Stop()
	}
}

// BenchmarkIdling lets ten machines idle, a day on their own clocks at each turn, and prints how many rig-days that were in all and
// how often one was said to be away.
func BenchmarkIdling(b *testing.B) {
	const rigs, speed, day = 10, 1200.0, 86400.0
	bench := servertest.Start(b)
	var all []*servertest.Rig
	for i := range rigs {
		cfg := petrel(b, func(c *standin.Config) { c.Name, c.Seed = fmt.Sprintf("rig-%d", i), uint64(i) })
		all = append(all, bench.AddRig(cfg, speed))
	}
	away, passed := 0, 0.0
	for b.Loop() {
		begun := make([]float64, rigs)
		for i, rig := range all {
			begun[i] = rig.Standin.Clock()
		}
		for i := 0; i < rigs; {
			for _, rig := range all {
				if rig.Get().AbsentSince != nil {
					away++
				}
			}
			for i < rigs && all[i].Standin.Clock()-begun[i] >= day {
				i++
			}
			time.Sleep(100 * time.Millisecond)
		}
		for i, rig := range all {
			passed += (rig.Standin.Clock() - begun[i]) / day
		}
	}
	b.ReportMetric(passed, "rig-days")
	b.ReportMetric(float64(away), "false")
}
