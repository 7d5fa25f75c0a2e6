package standin

import (
	"testing"

	"zerokeel/demo/rigs"
	"zerokeel/link"
)

// BenchmarkHeavyLeg simulates a whole stand-in under heavy load, at its 10 ms steps: models, faults, sensors and frames.
// It reports how many times faster than real time that is.
func BenchmarkHeavyLeg(b *testing.B) {
	text, err := rigs.Standin("petrel")
	if err != nil {
		b.Fatal(err)
	}
	cfg, err := ParseConfig(text)
	if err != nil {
		b.Fatal(err)
	}
	rig, err := NewRig(cfg, Options{Speed: 1})
	if err != nil {
		b.Fatal(err)
	}
	rig.Advance(30)
	rig.agent.order(link.Order{ID: "bench", Do: link.Run, Load: "heavy", Cores: []int{0, 1, 2, 3, 4, 5, 6, 7}, Seconds: 1e9})
	for b.Loop() {
		rig.Advance(1)
		if rig.agent.leg == nil {
			b.Fatal("the leg ended")
		}
	}
	b.ReportMetric(float64(b.N)/b.Elapsed().Seconds(), "x_realtime")
}
