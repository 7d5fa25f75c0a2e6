package survey

import "math"

// Surveyed is what a survey found of a chip as a whole, which tells of others of its model.
type Surveyed struct {
	Limit, LimitSD float64 // mean of its cores' governing limits, in steps, and its standard deviation
	CoreSD         float64 // how far its cores stray from that within their clusters, steps
	Apart          int     // by how many cores that is told: one less than there are, for each cluster
	Slope, SlopeSD float64 // mean of the natural logarithms of its cores' slopes, and its standard deviation
}

// Chip returns what is believed of the chip as a whole.
func (s *Survey) Chip() Surveyed {
	worlds := s.draw()
	clusters, cores := map[int]float64{}, s.setup.Cores[:s.setup.asked()]
	for _, c := range cores {
		clusters[c.Cluster]++
	}
	out := Surveyed{Apart: len(cores) - len(clusters)}
	var limit, slope spread
	squares := 0.0
	for i := range worlds {
		w := &worlds[i]
		governing, slopes := make([]float64, len(cores)), 0.0
		means, all := map[int]float64{}, 0.0
		for c, core := range cores {
			governing[c] = math.Inf(-1)
			for r := range s.setup.Regimes {
				governing[c] = math.Max(governing[c], w.limit(c, r))
			}
			means[core.Cluster] += governing[c] / clusters[core.Cluster]
			all += governing[c] / float64(len(governing))
			slopes += math.Log(w.slopes[c]) / float64(len(governing))
		}
		for c, core := range cores {
			d := governing[c] - means[core.Cluster]
			squares += d * d / float64(len(worlds))
		}
		limit.add(all)
		slope.add(slopes)
	}
	out.Limit, out.LimitSD = limit.mean(), limit.sd()
	out.Slope, out.SlopeSD = slope.mean(), slope.sd()
	if out.Apart > 0 {
		out.CoreSD = math.Sqrt(squares / float64(out.Apart))
	}
	return out
}

// spread gathers a mean and a standard deviation.
type spread struct{ n, sum, squares float64 }

func (s *spread) add(x float64) { s.n, s.sum, s.squares = s.n+1, s.sum+x, s.squares+x*x }
func (s *spread) mean() float64 { return s.sum / s.n }
func (s *spread) sd() float64   { return math.Sqrt(math.Max(0, s.squares/s.n-s.mean()*s.mean())) }

// As how many cores a sheet counts for how far they stray, and how uncertain its other figures are: its means, as a share of the
// spread between chips, and that spread, as a standard deviation of its natural logarithm.
const (
	sheetCores  = 8.0
	sheetMean   = 0.7
	sheetSpread = 0.6
)

// Fleet returns what is to be expected of another chip of a model whose sheet says so much, from chips that were surveyed. Without any
// it is what the sheet says.
func Fleet(sheet Prior, chips []Surveyed) Prior {
	if len(chips) == 0 {
		return sheet
	}
	out := sheet
	var limits, slopes []estimate
	n, squares := sheetCores, sheetCores*sheet.CoreSD*sheet.CoreSD
	for _, c := range chips {
		limits = append(limits, estimate{c.Limit, c.LimitSD})
		slopes = append(slopes, estimate{c.Slope, c.SlopeSD})
		n += float64(c.Apart)
		squares += float64(c.Apart) * c.CoreSD * c.CoreSD
	}
	out.CoreSD = math.Sqrt(squares / n)
	out.LimitMean, out.ChipSD = another(limits, sheet.LimitMean, sheet.ChipSD)
	slope, slopeSpread := sheet.Slope, sheet.SlopeSD
	if slope == 0 {
		slope = usualSlope
	}
	if slopeSpread == 0 {
		slopeSpread = slopeSD
	}
	ln, sd := another(slopes, math.Log(slope), slopeSpread)
	out.Slope, out.SlopeSD = math.Exp(ln), sd
	return out
}

type estimate struct{ value, sd float64 }

// another tells what is to be expected of another member of a family of which some are known, each with its own doubt: their mean is
// normal about a sheet's, and how far they stray is weighed on a grid about what the sheet says.
func another(known []estimate, mean, stray float64) (value, sd float64) {
	const each, reach = 20, 2.5
	var weights, means, squares float64
	top := math.Inf(-1)
	var logs, values, variances []float64
	for i := -each; i <= each; i++ {
		z := reach * float64(i) / each
		tau := stray * math.Exp(sheetSpread*z)
		before := sheetMean * stray
		precision, sum, log := 1/(before*before), mean/(before*before), -z*z/2
		for _, k := range known {
			v := tau*tau + k.sd*k.sd
			precision += 1 / v
			sum += k.value / v
			log -= math.Log(v)/2 + (k.value-mean)*(k.value-mean)/(2*v)
		}
		at := sum / precision
		// the evidence, with the mean integrated out
		log += (at-mean)*(at-mean)*precision/2 - math.Log(precision)/2
		logs, values, variances = append(logs, log), append(values, at), append(variances, 1/precision+tau*tau)
		top = math.Max(top, log)
	}
	for i, log := range logs {
		w := math.Exp(log - top)
		weights += w
		means += w * values[i]
		squares += w * (variances[i] + values[i]*values[i])
	}
	value = means / weights
	return value, math.Sqrt(squares/weights - value*value)
}
