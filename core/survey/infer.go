package survey

import (
	"math"
	"slices"
)

// negligible is a probability that nothing hangs on.
const negligible = 1e-7

// infer computes what is believed from what was seen.
func (b *belief) infer() {
	for c := range b.core {
		b.inferCore(c)
	}
	b.inferShared()
}

func (b *belief) inferCore(c int) {
	k := &b.core[c]
	if k.all == nil {
		k.known = make([]exposures, len(b.regimes))
		k.lik, k.about, k.tops = make([][][]float64, len(b.regimes)), make([][][]float64, len(b.regimes)), make([][]float64, len(b.regimes))
		k.all, k.log = b.grid(), make([]float64, len(b.slopes))
	}
	for i := range b.slopes {
		k.log[i] = 0
		for x := range k.all[i] {
			k.all[i][x] = 1
		}
	}
	for r := range b.regimes {
		e := &b.seen[c][r]
		if e.sum[0] == 0 && len(e.quick) == 0 {
			continue
		}
		if !k.known[r].same(e) {
			b.inferRegime(k, r, e)
			k.known[r] = e.clone()
		}
		for i := range b.slopes {
			k.log[i] += k.tops[r][i]
			for x, p := range k.about[r][i] {
				k.all[i][x] *= p
			}
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
		k.lik[r], k.about[r], k.tops[r] = b.grid(), b.grid(), make([]float64, len(b.slopes))
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
		k.tops[r][i] = top + e.faults*math.Log(usualRate) - e.at/s
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
			k.about[r][i][x] = sum
		}
	}
}

// inferShared weighs the slopes and means of the chip.
func (b *belief) inferShared() {
	sd := b.coreSD()
	spans := int(math.Ceil(3.5 * sd / b.step))
	weights := make([]float64, 2*spans+1)
	for j := range weights {
		weights[j] = bell(float64(j-spans)*b.step, sd)
	}
	normalise(weights)
	shift := int(math.Round(b.tilt() / b.step))
	byMean := make([][]float64, len(b.slopes))
	for c := range b.core {
		k := &b.core[c]
		for i := range b.slopes {
			if byMean[i] == nil {
				byMean[i] = make([]float64, len(b.means))
			}
			for m := range b.means {
				sum := 0.0
				for j, w := range weights {
					x := m*meansStep + shift + j - spans
					sum += w * k.all[i][b.place(x)]
				}
				byMean[i][m] = k.log[i] + math.Log(sum+1e-300)
			}
		}
		if k.mean == nil {
			k.mean = make([][]float64, len(b.chips))
			for i := range k.mean {
				k.mean[i] = make([]float64, len(b.means))
			}
		}
		for i := range b.chips {
			for m := range b.means {
				top := math.Inf(-1)
				for s := range b.slopes {
					if b.ratio[i][s] > 1e-6 {
						top = math.Max(top, byMean[s][m])
					}
				}
				sum := 0.0
				for s := range b.slopes {
					if w := b.ratio[i][s]; w > 1e-6 {
						sum += w * math.Exp(byMean[s][m]-top)
					}
				}
				k.mean[i][m] = top + math.Log(sum)
			}
		}
	}
	b.inferClusters()
}

// clusters returns the prior of a cluster's mean about the chip's, by places of means on either side.
func (b *belief) clusters() (weights []float64, reach int) {
	sd, grid := b.setup.Prior.ClusterSD, b.step*meansStep
	if !b.several() || sd < grid/4 {
		return []float64{1}, 0
	}
	reach = int(math.Ceil(2.5 * sd / grid))
	for j := -reach; j <= reach; j++ {
		weights = append(weights, bell(float64(j)*grid, sd))
	}
	normalise(weights)
	return weights, reach
}

// several tells whether the chip has several clusters; of one alone the mean is the chip's.
func (b *belief) several() bool {
	return slices.ContainsFunc(b.setup.Cores, func(c Core) bool { return c.Cluster != b.setup.Cores[0].Cluster })
}

func (b *belief) inferClusters() {
	weights, reach := b.clusters()
	most := 0
	for _, c := range b.setup.Cores {
		most = max(most, c.Cluster)
	}
	// by cluster, chip slope and mean: the logarithm of the evidence of all its cores
	b.group = make([][][]float64, most+1)
	for g := range b.group {
		b.group[g] = make([][]float64, len(b.chips))
		for i := range b.chips {
			b.group[g][i] = make([]float64, len(b.means))
		}
	}
	for c, core := range b.setup.Cores {
		for i := range b.chips {
			for m := range b.means {
				b.group[core.Cluster][i][m] += b.core[c].mean[i][m]
			}
		}
	}
	p := b.setup.Prior
	spread := p.ChipSD
	if !b.several() {
		spread = math.Hypot(p.ChipSD, p.ClusterSD)
	}
	b.joint = make([]float64, len(b.chips)*len(b.means))
	top := math.Inf(-1)
	for i := range b.chips {
		for m, mean := range b.means {
			z := (mean - p.LimitMean) / spread
			log := math.Log(b.chipP[i]) - z*z/2
			for g := range b.group {
				log += logSum(b.group[g][i], weights, m, reach)
			}
			b.joint[i*len(b.means)+m] = log
			top = math.Max(top, log)
		}
	}
	for i := range b.joint {
		b.joint[i] = math.Exp(b.joint[i] - top)
	}
	normalise(b.joint)
}

// logSum returns the logarithm of the mean of exponentials about a place.
func logSum(logs, weights []float64, at, reach int) float64 {
	if reach == 0 {
		return logs[at]
	}
	top := math.Inf(-1)
	for j := range weights {
		top = math.Max(top, logs[min(len(logs)-1, max(0, at+j-reach))])
	}
	sum := 0.0
	for j, w := range weights {
		sum += w * math.Exp(logs[min(len(logs)-1, max(0, at+j-reach))]-top)
	}
	return top + math.Log(sum)
}
