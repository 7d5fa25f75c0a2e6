package workshop

import (
	"context"
	"errors"
	"slices"
	"strings"

	"zerokeel/core/fleet"
	"zerokeel/core/forecast"
	"zerokeel/core/sounding"
	"zerokeel/core/trim"
)

// Kin are rigs with the same processor, side by side in what they differ in by nature.
type Kin struct {
	Processor string // its name
	MHz       float64
	Traits    []KinTrait
}

// KinTrait is what the rigs of a kind are found to be in one thing.
type KinTrait struct {
	What string
	Unit string
	Rigs []KinRig
}

// KinRig is what one of them is found to be, and whether it stands out.
type KinRig struct {
	Rig    int64
	Value  float64
	Half   float64 // half the width of its 90 % interval
	Strays bool
}

// leastKin is from how many rigs on something is shown of a kind.
const leastKin = 2

// traits lists what the records of a rig tell of it beside the trims that it ran; nothing of one whose parts are not known.
func (w *Workshop) traits(ctx context.Context, rig int64) ([]forecast.Trait, error) {
	r, k, err := w.rigKnown(ctx, rig)
	if stands := (*Conflict)(nil); errors.As(err, &stands) {
		return nil, nil
	} else if err != nil {
		return nil, err
	}
	out := k.fit.Traits()
	if told, err := w.showed(ctx, r, k); err != nil || !told {
		return out, err
	}
	x, err := w.surveyOf(ctx, r, k, trim.Stock(k.set.Processor, k.set.Board), false)
	if none := (*sounding.None)(nil); errors.As(err, &none) {
		return out, nil
	} else if err != nil {
		return nil, err
	}
	if x.tells() {
		x.mu.Lock()
		defer x.mu.Unlock()
		const ninety = 1.645
		chip, mV := x.survey.Chip(), 1000*x.axis.StepV
		out = append(out, forecast.Trait{What: forecast.TraitLimit, Value: -mV * chip.Limit, Half: ninety * mV * chip.LimitSD, Unit: "mV"})
	}
	return out, nil
}

// Kin returns the kinds of which there are several rigs, the largest first. What was not worked out yet, Fleet works out.
func (w *Workshop) Kin(ctx context.Context) ([]Kin, error) {
	rigs, err := w.Rigs(ctx)
	if err != nil {
		return nil, err
	}
	lines, err := w.store.FleetLines(ctx)
	if err != nil {
		return nil, err
	}
	of := map[string][]*Rig{}
	for i := range rigs {
		if r := &rigs[i]; r.Set != nil {
			of[r.Processor.String] = append(of[r.Processor.String], r)
		}
	}
	var out []Kin
	for _, list := range of {
		if len(list) < leastKin {
			continue
		}
		p := list[0].Set.Processor
		k := Kin{Processor: p.Name.String(), MHz: forecast.TraitMHz(p)}
		for _, what := range []string{forecast.TraitLimit, forecast.TraitVolts, forecast.TraitLeakage, forecast.TraitMount} {
			one := KinTrait{What: what}
			var values, halves []float64
			for _, r := range list {
				line := lines[r.ID]
				if line == nil {
					continue
				}
				for _, t := range line.Won.V.Traits {
					if t.What == what {
						one.Unit = t.Unit
						one.Rigs = append(one.Rigs, KinRig{Rig: r.ID, Value: t.Value, Half: t.Half})
						values, halves = append(values, t.Value), append(halves, t.Half)
					}
				}
			}
			for i, strays := range fleet.Strays(values, halves) {
				one.Rigs[i].Strays = strays
			}
			if len(one.Rigs) >= leastKin {
				k.Traits = append(k.Traits, one)
			}
		}
		if len(k.Traits) > 0 {
			out = append(out, k)
		}
	}
	slices.SortFunc(out, func(a, b Kin) int {
		if n := len(b.Traits[0].Rigs) - len(a.Traits[0].Rigs); n != 0 {
			return n
		}
		return strings.Compare(a.Processor, b.Processor)
	})
	return out, nil
}
