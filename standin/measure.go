package standin

import (
	"math"

	"zerokeel/core/throughput"
	"zerokeel/core/yardstick"
	"zerokeel/link"
)

// scoreNoise is the run-to-run spread of a yardstick that a quiet machine shows; waits spread more.
const (
	scoreNoise = 0.0035
	waitNoise  = 0.03
)

// measure ends the run of a yardstick once its work or window is done, at the clocks that the cores kept since it was warm.
func (a *agent) measure() {
	l := a.leg
	y, _ := yardstick.Of(l.order.Yardstick)
	cores := len(l.order.Cores)
	score := a.score(&y)
	if !(score > 0) {
		return // nothing ran yet
	}
	took := y.Seconds(l.order.Work, score)
	switch {
	case l.order.WindowS > 0:
		took = l.order.WindowS
	case y.Measure == yardstick.Waits:
		took = math.Ceil(l.order.Work/float64(cores)) * yardstick.WaitEveryS
	case y.Measure == yardstick.BestRate: // each core in its turn
		took = float64(cores) * max(l.order.TurnS, y.Seconds(l.order.Work, score))
	}
	if l.at < l.order.WarmS+took {
		return
	}
	noise := scoreNoise
	if y.Measure == yardstick.Waits {
		noise = waitNoise
	}
	score *= 1 + noise*l.random.NormFloat64()
	a.finish(link.Finished{How: link.Done, Score: &score, Scored: a.scored(&y)})
}

// scored tells which part of the run the score comes from.
func (a *agent) scored(y *yardstick.Yardstick) *link.Scored {
	l := a.leg
	if y.Measure != yardstick.BestRate || len(l.order.Cores) < 2 {
		return &link.Scored{FromS: l.order.WarmS, ToS: l.at, Core: -1}
	}
	best, place := 0.0, 0
	for i, core := range l.order.Cores {
		if p := a.rig.cfg.Parts.Processor; l.busyS[core] > 0 {
			if rate := l.clock[core] / l.busyS[core] * p.Clusters[p.ClusterOf(core)].WorkFactor(); rate > best {
				best, place = rate, i
			}
		}
	}
	from := float64(place) * l.order.TurnS
	return &link.Scored{FromS: from + l.order.WarmS, ToS: from + l.order.TurnS, Core: l.order.Cores[place]}
}

// score is what the machine would score by what it did since it was warm, without noise; 0 before anything ran.
func (a *agent) score(y *yardstick.Yardstick) float64 {
	l, tuning := a.leg, a.rig.machine.Tuning()
	p, m := a.rig.cfg.Parts.Processor, &tuning.Memory
	clocks, sum, busy := make([]float64, len(l.clock)), 0.0, 0.0
	for i, c := range l.clock {
		clocks[i] = c / math.Max(1, l.busyS[i])
		sum += c
		busy += l.busyS[i]
	}
	if busy == 0 {
		return 0
	}
	switch y.ID {
	case yardstick.Burst, yardstick.Sustained:
		return throughput.AllCore(p, clocks, tuning.SMT, m)
	case "single-core":
		return throughput.SingleCore(p, clocks, m)
	case yardstick.BigNumber:
		return l.order.Work / throughput.BigNumberOps(throughput.AllCore(p, clocks, tuning.SMT, m))
	case "memory-bandwidth":
		return throughput.BandwidthGBs(m)
	case "memory-latency":
		return throughput.LatencyNS(m, sum/busy)
	}
	return throughput.ResponseMS(sum / busy)
}
