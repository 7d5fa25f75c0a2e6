package identify

import (
	"fmt"
	"maps"
	"math"
	"slices"

	"zerokeel/core/load"
	"zerokeel/core/part"
)

// unknown is a figure that is looked for: what it is believed to be before anything was measured, and where it stands.
type unknown struct {
	kind     part.Kind
	path     string
	unit     string
	mean, sd float64 // of its logarithm, or of itself where it may be of either sign
	log      bool
	put      func(*part.Set, float64)
}

// of returns the figure at so many standard deviations from what it is believed to be.
func (u *unknown) of(z float64) float64 {
	if u.log {
		return u.mean * math.Exp(u.sd*z)
	}
	return u.mean + u.sd*z
}

// The points of a curve of voltage by clock, as shares of the highest clock, and what processors of any kind ask for there: at the first,
// and by how much more at each of the others.
var (
	shares  = []float64{0.15, 0.4, 0.6, 0.75, 0.88, 1}
	firstV  = 0.65
	risesV  = []float64{0.10, 0.11, 0.12, 0.14, 0.20}
	leastMV = 0.002 // by which a curve rises from point to point
)

// unknownsOf lists what is looked for on a machine.
func unknownsOf(sketch *part.Set) []unknown {
	p := sketch.Processor
	processor := func(path, unit string, mean, sd float64, put func(*part.Processor, float64)) unknown {
		return unknown{part.KindProcessor, path, unit, mean, sd, true, func(s *part.Set, x float64) { put(s.Processor, x) }}
	}
	activity := func(kind load.Kind, mean, sd float64) unknown {
		return processor("power.activity."+string(kind), "", mean, sd, func(p *part.Processor, x float64) { p.Power.Activity[kind] = min(2, x) })
	}
	list := []unknown{
		processor("vf[0].v", "V", firstV, 0.08, func(p *part.Processor, x float64) { p.VF[0].V = x }),
	}
	for i, rise := range risesV {
		list = append(list, processor(fmt.Sprintf("vf[%d].v above vf[%d].v", i+1, i), "V", rise, 0.4, func(p *part.Processor, x float64) {
			p.VF[i+1].V = p.VF[i].V + leastMV + x
		}))
	}
	list = append(list,
		processor("power.switchedNF", "nF", 2.4, 0.4, func(p *part.Processor, x float64) { p.Power.SwitchedNF = min(20, x) }),
		activity(load.Mixed, 0.6, 0.2), activity(load.Light, 0.55, 0.25), activity(load.Idle, 0.02, 0.6),
		processor("power.oneThread", "", 0.83, 0.1, func(p *part.Processor, x float64) { p.Power.OneThread = max(0.4, min(1, x)) }),
		processor("power.leakA", "A", 0.9, 0.5, func(p *part.Processor, x float64) { p.Power.LeakA = min(20, x) }),
		processor("power.leakPerV", "1/V", 3, 0.3, func(p *part.Processor, x float64) { p.Power.LeakPerV = min(12, x) }),
		processor("power.leakPerK", "1/K", 0.012, 0.3, func(p *part.Processor, x float64) { p.Power.LeakPerK = min(0.05, x) }),
		processor("uncore.baseW", "W", 13, 0.6, func(p *part.Processor, x float64) { p.Uncore.BaseW = min(200, x) }),
		unknown{part.KindProcessor, "uncore.idleShare", "", 0.8, 0.15, false, func(s *part.Set, x float64) {
			s.Processor.Uncore.IdleShare = max(0.1, min(1, x))
		}},
		processor("heat.coreKPerW", "K/W", 0.7, 0.4, func(p *part.Processor, x float64) { p.Heat.CoreKPerW = min(5, x) }),
		processor("heat.dieKPerW", "K/W", 0.14, 0.5, func(p *part.Processor, x float64) { p.Heat.DieKPerW = max(0.01, min(2, x)) }),
		unknown{part.KindCooler, "baseKPerW", "K/W", 0.06, 0.4, true, func(s *part.Set, x float64) { s.Cooler.BaseKPerW = max(0.005, min(1, x)) }},
		unknown{part.KindCooler, "airKPerW", "K/W", 0.12, 0.7, true, func(s *part.Set, x float64) { s.Cooler.AirKPerW = max(0.01, min(3, x)) }},
		unknown{part.KindCooler, "airExponent", "", 0.68, 0.25, true, func(s *part.Set, x float64) { s.Cooler.AirExponent = min(1.5, x) }},
		unknown{part.KindBoard, "Slope of its load line", "mΩ", 0.45, 0.25, false, func(s *part.Set, x float64) {
			for i := range s.Board.LoadLine {
				s.Board.LoadLine[i].MilliOhm = max(0, min(5, x))
			}
		}},
	)
	if p.Style == part.StyleWindow {
		list = append(list, unknown{part.KindBoard, "acMOhm", "mΩ", 0.5, 0.35, false, func(s *part.Set, x float64) {
			s.Board.ACMOhm = max(0, min(5, x))
		}})
	}
	if p.HasKind(part.KindEfficiency) && p.HasKind(part.KindPerformance) {
		ofSmall := func(put func(*part.Processor, int, float64)) func(*part.Processor, float64) {
			return func(p *part.Processor, x float64) {
				for i := range p.Clusters {
					if p.Clusters[i].Kind == part.KindEfficiency {
						put(p, i, x)
					}
				}
			}
		}
		list = append(list,
			processor("Size of an efficiency core", "", 0.4, 0.3, ofSmall(func(p *part.Processor, i int, x float64) {
				p.Clusters[i].Size = max(0.05, min(4, x))
			})),
			unknown{part.KindProcessor, "Efficiency cores' voltage at their highest clock, against the usual", "V", 0, 0.06, false,
				func(s *part.Set, x float64) {
					ofSmall(func(p *part.Processor, i int, x float64) { p.Clusters[i].VF = small(p, i, x) })(s.Processor, x)
				}})
	}
	return list
}

// small is the curve of a cluster of efficiency cores: the performance cores', stretched to their own highest clock, with some volts more
// or less there.
func small(p *part.Processor, cluster int, more float64) []part.VFPoint {
	top := p.ClusterCeilingMHz(cluster, 1, 1)
	scale := top / p.VF[len(p.VF)-1].MHz
	const below = 0.09 // V less than performance cores at their highest clock, of usual ones
	out := slices.Clone(p.VF)
	for i := range out {
		share := p.VF[i].MHz / p.VF[len(p.VF)-1].MHz
		out[i].MHz *= scale
		out[i].V = max(0.31, out[i].V+(more-below)*share)
		if i > 0 {
			out[i].V = max(out[i].V, out[i-1].V)
		}
	}
	return out
}

// What a second thread adds and what follows the memory, of usual processors: scores tell of both, and none was run.
const (
	usualSMTGain     = 0.25
	usualMemoryShare = 0.1
)

// unscored are figures that stay at what they begin with, and are said to.
var unscored = []unknown{
	{part.KindProcessor, "work.smtGain", "", usualSMTGain, 0.06, false, nil},
	{part.KindProcessor, "work.memoryShare", "", usualMemoryShare, 0.05, false, nil},
}

// unboundV is a voltage that no processor asks for.
const unboundV = 1.9

// begin returns the sheets with which the search begins: what the sketch knows, and for the rest what machines of any kind are like.
// Nothing that the sketch holds is changed.
func begin(sketch *part.Set) *part.Set {
	p, b, c := *sketch.Processor, *sketch.Board, *sketch.Cooler
	set := &part.Set{Processor: &p, Board: &b, Cooler: &c, Memory: sketch.Memory}
	p.Source, c.Source = part.Measured, part.Measured
	if b.Source = part.Measured; sketch.Board.OfSystem() {
		b.Source = part.MeasuredSystem
	}
	p.Clusters = slices.Clone(p.Clusters)
	b.LoadLine = slices.Clone(b.LoadLine)
	p.Power.Activity = maps.Clone(p.Power.Activity)
	if p.Power.Activity == nil {
		p.Power.Activity = map[load.Kind]float64{}
	}
	p.Power.Activity[load.Heavy], p.Power.Activity[load.Transition] = 1, 0.8
	p.VoltageMaxV, p.TransientMaxV = unboundV, unboundV // what was seen was allowed
	p.Power.LeakV0, p.Power.LeakT0C = 1.1, 60
	p.Uncore = part.Uncore{SoCV: p.Uncore.SoCV, FabricMHz: p.Uncore.FabricMHz, FabricMax: p.Uncore.FabricMax}
	p.Work = part.Work{PerMHz: p.Work.PerMHz, SMTGain: usualSMTGain, MemoryShare: usualMemoryShare}
	p.Ring = nil
	p.Spread = part.Spread{ChipV: 0.008, CoreV: 0.002, Leakage: 0.08, CoreR: 0.03}
	p.Heat = part.DieHeat{CoreKPerW: 0.7, DieKPerW: 0.14, DieJPerK: 8, BaseJPerK: 115}
	top := p.HighestMHz()
	p.VF = make([]part.VFPoint, len(shares))
	for i, s := range shares {
		p.VF[i].MHz = math.Round(s * top)
	}
	return set
}
