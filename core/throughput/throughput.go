// Package throughput computes what a machine gets done: the points of a yardstick from the clocks that its
// cores keep. The all-core figure follows every core's effective clock and in part the memory; the single-core
// figure follows the best core that the load visits.
package throughput

import (
	"math"

	"zerokeel/core/part"
)

// referenceMTs is the memory rate at which the memory-bound share runs as fast as the rest.
const referenceMTs = 6000.0

// AllCore returns the points of all cores together, given each core's mean effective clock in MHz, and the
// memory's rate and latency.
func AllCore(p *part.Processor, effectiveMHz []float64, memoryMTs float64, cl int) float64 {
	sum := 0.0
	for _, mhz := range effectiveMHz {
		sum += mhz
	}
	smt := 1.0
	if p.ThreadsPerCore > 1 {
		smt += p.Work.SMTGain
	}
	points := sum * p.Work.PerMHz * smt
	// Amdahl: the memory-bound share takes longer when memory is slower.
	slow := referenceMTs / memoryMTs * math.Sqrt(latencyNS(memoryMTs, cl)/latencyNS(referenceMTs, 32))
	return points / (1 - p.Work.MemoryShare + p.Work.MemoryShare*slow)
}

// SingleCore returns the points of the best core.
func SingleCore(p *part.Processor, effectiveMHz []float64, memoryMTs float64, cl int) float64 {
	best := 0.0
	for _, mhz := range effectiveMHz {
		best = math.Max(best, mhz)
	}
	share := p.Work.MemoryShare / 3
	slow := latencyNS(memoryMTs, cl) / latencyNS(referenceMTs, 32)
	return best * p.Work.PerMHz / (1 - share + share*slow)
}

// latencyNS is the first-word latency of a memory kit: its clocks of latency at half its transfer rate.
func latencyNS(mts float64, cl int) float64 { return float64(cl) / (mts / 2) * 1000 }
