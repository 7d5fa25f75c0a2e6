// Package throughput computes what a machine gets done: the points of a yardstick from the clocks that its
// cores keep. The all-core figure follows every core's effective clock and in part the memory; the single-core
// figure follows the best core that the load visits, those of the memory its rate, timings and fabric.
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

// pointOps is how many operations per second of the heavy load make a point, chosen so that eight cores make some ten
// thousand; and transformShare the share of them that the transform load gets done in the same time.
const (
	pointOps       = 55.296e6
	transformShare = 0.22
)

// BigNumberOps returns the operations per second that the transform load does on all cores, whose throughput is given in
// points.
func BigNumberOps(allCorePoints float64) float64 { return allCorePoints * pointOps * transformShare }

// BandwidthGBs returns what two channels of memory carry, in GB/s: of eight bytes per transfer and channel, the share that
// streams reach, less where a row takes long to open or the fabric is slow.
func BandwidthGBs(m *memory.Running) float64 {
	const channels, bytes, share = 2, 8, 0.78
	return channels * bytes * m.MTs / 1000 * share / math.Pow(m.SlowAlone(), 0.15)
}

// LatencyNS returns how long a core waits for a word that no cache holds: the way through the caches at its clock and
// through the fabric, then the kit, which has to open a row nearly every time.
func LatencyNS(m *memory.Running, mhz float64) float64 {
	const cycles, pathNS, perWord = 75, 28, 2.2
	return cycles/mhz*1000 + pathNS + perWord*m.LatencyNS()
}

// ResponseMS returns how late small work is done beside a load on every core, 99 times of a hundred: waking, and waiting
// for the load to be put aside, both in cycles.
func ResponseMS(mhz float64) float64 {
	const cycles = 2.6e6
	return cycles / (mhz * 1000)
}
