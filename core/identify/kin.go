package identify

import (
	"math"
	"slices"
	"strings"

	"zerokeel/core/part"
)

// kinSpread is by how much a figure of a processor strays from machine to machine of one model, in the measure of its prior: of its
// logarithm, or of itself where it may be of either sign.
func (u *unknown) kinSpread() float64 {
	switch {
	case !u.log:
		return 0.2 * u.sd
	case u.path == "vf[0].v":
		return 0.02
	case strings.HasPrefix(u.path, "vf["):
		return 0.08
	case u.path == "power.leakA":
		return 0.25
	case strings.HasPrefix(u.path, "heat."):
		return 0.1
	}
	return 0.04
}

// tells is what a machine alone was found to be, what was believed before taken off: where the figure lies in the measure of its prior, and
// the variance of that; false where it tells next to nothing.
func (r *Result) tells(path string) (at, variance float64, tells bool) {
	const least = 0.05
	i := slices.IndexFunc(r.list, func(u unknown) bool { return u.path == path })
	if i < 0 || 1-r.sd[i]*r.sd[i] < least {
		return 0, 0, false
	}
	v := 1 / (1/(r.sd[i]*r.sd[i]) - 1)
	u := &r.list[i]
	return u.middle() + u.sd*r.z[i]*(1+v), u.sd * u.sd * v, true
}

// middle is where a prior has its middle, in its measure.
func (u *unknown) middle() float64 {
	if u.log {
		return math.Log(u.mean)
	}
	return u.mean
}

// sharpened are unknowns as they are believed once others of the model are known, each of them by itself: the processor's lie where theirs
// lie, as far as these tell it and machines of a model are alike. Board and cooler are others.
func sharpened(list []unknown, kin []*Result) []unknown {
	out := slices.Clone(list)
	for i := range out {
		u := &out[i]
		if u.kind != part.KindProcessor {
			continue
		}
		spread := u.kinSpread() * u.kinSpread()
		weight := 1 / (u.sd * u.sd)
		sum := weight * u.middle()
		for _, k := range kin {
			if at, v, tells := k.tells(u.path); tells {
				w := 1 / (v + spread)
				weight, sum = weight+w, sum+w*at
			}
		}
		variance := 1/weight + spread
		if variance >= u.sd*u.sd {
			continue
		}
		middle := sum / weight
		if u.sd = math.Sqrt(variance); u.log {
			middle = math.Exp(middle)
		}
		u.mean = middle
	}
	return out
}
