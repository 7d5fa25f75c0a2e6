package settle

import (
	"math"

	"zerokeel/core/series"
)

// jump is where a figure jumps from one course to another, as when a governor finds another place below its limit.
type jump struct {
	at        int64   // ms; 0 where there is none
	once      bool    // it does not jump to and fro
	value, sd float64 // the mean of what comes after, or of the whole of a figure that jumps to and fro; and its doubt
}

// A jump explains the blocks better than any approach alone, by so many times their variance, leaves no more than this share of the
// squares, makes up that share of how far they went, and has some blocks on either side.
const (
	jumpTells  = 40.0
	jumpLeaves = 0.5
	jumpMakes  = 0.5
	jumpBlocks = 2
)

// lastJump finds the last jump of a leg after its lead, and whether the one before went the other way.
func lastJump(values []series.Sample, quantum float64) jump {
	out, first, last := jump{once: true}, values[0].T+int64(1000*leadS), values[len(values)-1].T
	from, size := first, 0.0
	for {
		blocks := means(values, from, last)
		k, by := jumpOf(blocks, quantum)
		if k == 0 {
			break
		}
		rest := blocks[k:]
		from, size = last+int64(1000*(blocks[k-1].t+blocks[k].t)/2), by
		out.at, out.value, out.sd = from, meanOf(rest), math.Hypot(by/2, math.Sqrt(noiseOf(blocks)/float64(len(rest))))
	}
	if out.at == 0 {
		return out
	}
	blocks := means(values, first, out.at)
	if k, by := jumpOf(blocks, quantum); k > 0 && by*size < 0 {
		out.once, out.value = false, meanOf(means(values, out.at+int64(1000*blocks[k].t), last))
		out.sd = math.Max(math.Abs(by), math.Abs(size)) / 2
	}
	return out
}

// jumpOf returns the first block after the jump that explains blocks best, and by how much it goes up; 0 if none does.
func jumpOf(blocks []block, quantum float64) (at int, by float64) {
	n := len(blocks)
	if n < leastBlocks {
		return 0, 0
	}
	low, high := spanOf(blocks)
	variance := noiseOf(blocks) + quantum*quantum/48
	smooth, best := math.Inf(1), math.Inf(1)
	decays, left := make([]float64, n), make([]float64, n)
	for i := range tausOnGrid {
		tau := tauOf(i)
		fit, rest := decay(blocks, tau, variance, math.Inf(1))
		var squares, x, xx float64
		for k, b := range blocks {
			decays[k] = math.Exp((blocks[0].t - b.t) / tau)
			left[k] = b.y - fit.value - rest*decays[k]
			squares, x, xx = squares+left[k]*left[k], x+decays[k], xx+decays[k]*decays[k]
		}
		smooth = math.Min(smooth, squares)
		// What a jump before block k adds to the fit hangs on what it has not in common with the other two terms.
		var m, decayed, sum float64 // of the blocks from k on
		for k := n - 1; k >= jumpBlocks; k-- {
			m, decayed, sum = m+1, decayed+decays[k], sum+left[k]
			own := m - (m*(xx*m-x*decayed)+decayed*(float64(n)*decayed-x*m))/(float64(n)*xx-x*x)
			if n-k < jumpBlocks || own < 1e-6 {
				continue
			}
			if s := squares - sum*sum/own; s < best {
				best, at, by = s, k, sum/own
			}
		}
	}
	if smooth-best < jumpTells*variance || best > jumpLeaves*smooth || math.Abs(by) < jumpMakes*(high-low) {
		return 0, 0
	}
	return at, by
}

func meanOf(blocks []block) float64 {
	sum := 0.0
	for _, b := range blocks {
		sum += b.y
	}
	return sum / float64(len(blocks))
}
