// Package throughput computes what a machine gets done: the points of a yardstick from the clocks that its
// cores keep. The all-core figure follows every core's effective clock and in part the memory; the single-core
// figure follows the best core that the load visits.
package throughput

import (
	"math"

	"zerokeel/core/memory"
	"zerokeel/core/part"
)

// AllCore returns the points of all cores together, given each core's mean effective clock in MHz, whether two threads
// run on a core that can, and the memory.
func AllCore(p *part.Processor, effectiveMHz []float64, smt bool, m *memory.Running) float64 {
	points := 0.0
	for core, mhz := range effectiveMHz {
		cluster := p.ClusterOf(core)
		work := p.Clusters[cluster].WorkFactor()
		if smt && p.ClusterThreads(cluster) > 1 {
			work *= 1 + p.Work.SMTGain
		}
		points += mhz * p.Work.PerMHz * work
	}
	// Amdahl: the memory-bound share takes longer when memory is slower.
	share := p.Work.MemoryShare
	return points / (1 - share + share*m.Slow())
}

// SingleCore returns the points of the best core.
func SingleCore(p *part.Processor, effectiveMHz []float64, m *memory.Running) float64 {
	best := 0.0
	for core, mhz := range effectiveMHz {
		best = math.Max(best, mhz*p.Clusters[p.ClusterOf(core)].WorkFactor())
	}
	share := p.Work.MemoryShare / 3
	return best * p.Work.PerMHz / (1 - share + share*m.SlowAlone())
}
