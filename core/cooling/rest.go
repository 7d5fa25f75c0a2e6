// Package cooling works out which fan curve makes a machine quietest under the temperatures that are put up with, and how a fan would have
// followed what was recorded.
package cooling

import (
	"math"
	"slices"

	"zerokeel/core/heat"
	"zerokeel/core/load"
)

// Held is where a load settles while its fan is held at a duty: the temperature that the fan would follow, and the hottest core with
// the half width of its 90 % interval, in °C.
type Held struct {
	Duty, ControlC, HottestC, HalfC float64
}

// Table is where a load settles, by rising duty from 0 or the least at which the fan turns up to 100 %.
type Table []Held

// At returns where a load settles at a duty, straight lines between those of the table. At 0 the fan stands; from there to the least
// duty of the table at which it turns there is nothing between.
func (t Table) At(duty float64) Held {
	if duty <= 0 && t[0].Duty <= 0 {
		return t[0]
	}
	turning := t
	if t[0].Duty <= 0 && len(t) > 1 {
		turning = t[1:]
	}
	i, _ := slices.BinarySearchFunc(turning, duty, func(h Held, d float64) int { return int(math.Copysign(1, h.Duty-d)) })
	switch {
	case i == 0:
		return turning[0]
	case i == len(turning):
		return turning[i-1]
	}
	a, b := turning[i-1], turning[i]
	x := (duty - a.Duty) / (b.Duty - a.Duty)
	mid := func(p, q float64) float64 { return p + x*(q-p) }
	return Held{duty, mid(a.ControlC, b.ControlC), mid(a.HottestC, b.HottestC), mid(a.HalfC, b.HalfC)}
}

// Rest is where a load settles under a curve.
type Rest struct {
	Load load.Kind
	Held
	NoiseDB float64
	Hunts   bool // the fan stops and starts again and again: where it stands it is too hot, and where it turns too cool
}

// Rests finds where a load settles under a curve. start is the least duty at which the fan turns: below it it stands.
func (t Table) Rests(curve []heat.Point, start float64) (Held, bool) {
	duty := func(c float64) float64 {
		if d := heat.Duty(curve, c); d >= start {
			return d
		}
		return 0
	}
	low, high := 0.0, 150.0
	for range 36 {
		mid := (low + high) / 2
		if t.At(duty(mid)).ControlC > mid {
			low = mid
		} else {
			high = mid
		}
	}
	below, above := duty(low), duty(high)
	hunts := below < start && above >= start
	return t.At(above), hunts
}
