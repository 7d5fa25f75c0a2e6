package sensor

import "math"

// Pair is what a sensor of a core's voltage showed on average over a leg, and what is expected of it by the voltage requested and
// the droop of the load line, with the standard deviation of that, in V.
type Pair struct{ Shown, Expected, SD float64 }

// Guess is a correction with the standard deviations of its numbers.
type Guess struct {
	Correction
	ScaleSD, ShiftSD float64
	Pairs            int
}

// What a guess needs: so many pairs that span so many volts, a misfit of no more than mostMisfit standard deviations on average, and
// numbers that lie surely standard deviations away from those of a right sensor, by as much as is worth correcting.
const (
	leastPairs = 3
	leastSpanV = 0.15
	mostMisfit = 1.7
	surely     = 3.0
	leastScale = 0.03
	leastShift = 0.015 // V
)

// Estimate works out over load steps by which factor and shift a sensor is off. Where one of the two explains the pairs alone, the
// other is left out. It is false where the pairs say too little, or the sensor is right.
func Estimate(pairs []Pair) (Guess, bool) {
	low, high := math.Inf(1), math.Inf(-1)
	for _, p := range pairs {
		if !(p.Shown > 0 && p.Expected > 0 && p.SD > 0) {
			return Guess{}, false
		}
		low, high = math.Min(low, p.Expected), math.Max(high, p.Expected)
	}
	if len(pairs) < leastPairs || high-low < leastSpanV {
		return Guess{}, false
	}
	for _, fit := range []func([]Pair) Guess{byShift, byScale, byBoth} {
		g := fit(pairs)
		if g.misfit(pairs) > mostMisfit {
			continue
		}
		off := math.Abs(g.Scale-1) > math.Max(leastScale, surely*g.ScaleSD) || math.Abs(g.Shift) > math.Max(leastShift, surely*g.ShiftSD)
		return g, off
	}
	return Guess{}, false
}

// misfit is the root mean square of what a correction leaves over, in standard deviations.
func (g Guess) misfit(pairs []Pair) float64 {
	sum := 0.0
	for _, p := range pairs {
		z := (g.Apply(p.Shown) - p.Expected) / p.SD
		sum += z * z
	}
	return math.Sqrt(sum / float64(len(pairs)))
}

func byShift(pairs []Pair) Guess {
	w, wy := 0.0, 0.0
	for _, p := range pairs {
		weight := 1 / (p.SD * p.SD)
		w, wy = w+weight, wy+weight*(p.Expected-p.Shown)
	}
	return Guess{Correction: Correction{Scale: 1, Shift: wy / w}, ShiftSD: 1 / math.Sqrt(w), Pairs: len(pairs)}
}

func byScale(pairs []Pair) Guess {
	xx, xy := 0.0, 0.0
	for _, p := range pairs {
		weight := 1 / (p.SD * p.SD)
		xx, xy = xx+weight*p.Shown*p.Shown, xy+weight*p.Shown*p.Expected
	}
	g := Guess{Correction: Correction{Scale: xy / xx}, ScaleSD: 1 / math.Sqrt(xx), Pairs: len(pairs)}
	// Boards show twice or half the voltage more often than anything near it.
	for _, usual := range []float64{0.5, 2} {
		if math.Abs(g.Scale-usual) < surely*g.ScaleSD {
			g.Scale = usual
		}
	}
	return g
}

func byBoth(pairs []Pair) Guess {
	var w, x, y, xx, xy float64
	for _, p := range pairs {
		weight := 1 / (p.SD * p.SD)
		w, x, y = w+weight, x+weight*p.Shown, y+weight*p.Expected
		xx, xy = xx+weight*p.Shown*p.Shown, xy+weight*p.Shown*p.Expected
	}
	det := w*xx - x*x
	if !(det > 0) {
		return Guess{Correction: Correction{Scale: math.NaN(), Shift: math.NaN()}, ScaleSD: math.Inf(1), ShiftSD: math.Inf(1)}
	}
	return Guess{Correction: Correction{Scale: (w*xy - x*y) / det, Shift: (xx*y - x*xy) / det},
		ScaleSD: math.Sqrt(w / det), ShiftSD: math.Sqrt(xx / det), Pairs: len(pairs)}
}
