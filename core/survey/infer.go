package survey

import "math"

// negligible is a probability that nothing hangs on.
const negligible = 1e-6

// infer computes how likely each limit makes what was seen, where that has changed.
func (b *belief) infer() {
	for c := range b.core {
		k := &b.core[c]
		for r := range b.regimes {
			e := &b.seen[c][r]
			if e.sum[0] == 0 && len(e.quick) == 0 || k.known[r].same(e) {
				continue
			}
			b.inferRegime(k, r, e)
			k.known[r] = e.clone()
		}
	}
}

// grid returns zeros by slope and limit.
func (b *belief) grid() [][]float64 {
	out := make([][]float64, len(b.slopes))
	for i := range out {
		out[i] = make([]float64, len(b.limits))
	}
	return out
}

// inferRegime computes how likely limits make what a core went through in a regime.
func (b *belief) inferRegime(k *coreBelief, r int, e *exposures) {
	n := len(b.limits)
	if k.lik[r] == nil {
		k.lik[r], k.about[r] = b.grid(), b.grid()
	}
	kernel := b.kernel[r]
	padded := make([]float64, n+len(kernel))
	for i, s := range b.slopes {
		lik := k.lik[r][i]
		top := math.Inf(-1)
		rise, y := math.Exp(b.step/s), math.Exp((b.limits[0]-b.origin())/s)
		for x := range lik {
			lik[x] = -usualRate*y*e.sum[i] + e.faults*(b.limits[x]-b.origin())/s
			for _, q := range e.quick {
				lik[x] += q.share * math.Log(-math.Expm1(-usualRate*q.minutes*math.Exp((b.limits[x]-q.offset)/s)))
			}
			top = math.Max(top, lik[x])
			y *= rise
		}
		for x := range lik {
			lik[x] = math.Exp(lik[x] - top)
		}
		top += e.faults*math.Log(usualRate) - e.at/s
		// Beyond the grid the likelihood goes on as at its end.
		for x := range padded {
			padded[x] = lik[b.place(x+b.low)]
		}
		from, to := b.support[r][0], b.support[r][1]
		for x := range n {
			sum := 0.0
			for j, p := range kernel[from:to] {
				sum += p * padded[x+from+j]
			}
			k.about[r][i][x] = top + math.Log(sum+1e-300)
		}
	}
}
