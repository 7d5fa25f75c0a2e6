package identify

import (
	"math"
	"slices"

	"zerokeel/core/govern"
	"zerokeel/core/load"
	"zerokeel/core/part"
)

// few is how many active cores have the highest clock, on processors of any kind.
const few = 2

// usualShare is what all cores together reach of the highest clock, where limits held them back whenever it was tried.
const usualShare = 0.96

// ceilings returns the sheets with the clock ceilings of all cores as the records show them: the processor tells the ceiling of few alone.
func ceilings(sketch *part.Set, used []one) *part.Set {
	p := *sketch.Processor
	p.Clusters = slices.Clone(p.Clusters)
	out := *sketch
	out.Processor = &p
	if p.HasKind(part.KindEfficiency) && p.HasKind(part.KindPerformance) {
		ofBothKinds(&p, used)
		return &out
	}
	top := p.HighestMHz()
	all := top * usualShare
	if seen, is := atRatio(used, func(r *one) bool { return len(r.Settings) == 0 }); is {
		all = seen
	}
	p.Boost = rows(p.Cores(), top, all)
	for i := range p.Clusters {
		if own := p.Clusters[i].Boost; len(own) > 0 {
			p.Clusters[i].Boost = rows(p.Clusters[i].Cores, own[0].MHz, all)
		}
	}
	return &out
}

// ofBothKinds tells the ceilings of all performance cores, which run alone in one of the steps, from those of all efficiency cores.
func ofBothKinds(p *part.Processor, used []one) {
	large := 0.0
	for _, c := range p.Clusters {
		if c.Kind == part.KindPerformance {
			large += float64(c.Cores)
		}
	}
	small := float64(p.Cores()) - large
	performance, is := atRatio(used, func(r *one) bool {
		if len(r.Settings) != int(small) { // no ceiling beside
			return false
		}
		for c, on := range r.tuning.On {
			if on != (p.Clusters[p.ClusterOf(c)].Kind == part.KindPerformance) {
				return false
			}
		}
		return true
	})
	if !is {
		return
	}
	mean, both := atRatio(used, func(r *one) bool { return len(r.Settings) == 0 })
	for i := range p.Clusters {
		own := p.Clusters[i].Boost
		if len(own) == 0 {
			continue
		}
		switch most := own[0].MHz; {
		case p.Clusters[i].Kind == part.KindPerformance:
			p.Clusters[i].Boost = rows(p.Clusters[i].Cores, most, performance)
		case both:
			if e := (mean*(large+small) - performance*large) / small; e > most/2 && e < most {
				p.Clusters[i].Boost = rows(p.Clusters[i].Cores, most, e)
			}
		}
	}
}

// atRatio is the highest clock at which loads on all cores were held by nothing but their ratio, of some records.
func atRatio(used []one, of func(*one) bool) (mhz float64, is bool) {
	for i := range used {
		if r := &used[i]; r.Load != load.Idle && !r.Load.OneCore() && r.Held == govern.Ratio && of(r) {
			mhz, is = math.Max(mhz, r.MHz), true
		}
	}
	return mhz, is
}

// rows is a table of ceilings: of few cores, and of all.
func rows(cores int, most, all float64) []part.Boost {
	if cores <= few {
		return []part.Boost{{Cores: cores, MHz: most}}
	}
	return []part.Boost{{Cores: few, MHz: most}, {Cores: cores, MHz: math.Min(most, all)}}
}
