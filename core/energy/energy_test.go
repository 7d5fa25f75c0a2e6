package energy_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"zerokeel/core/energy"
	"zerokeel/core/load"
)

// hidden is a machine as it truly is: a supply whose losses have a fixed part, one that goes with the load and one that goes with its
// square, which no sheet tells; and a meter that shows some percent too much.
type hidden struct{ fixed, linear, square, rest, meter float64 }

func draw(r *rand.Rand) hidden {
	return hidden{6 + 14*r.Float64(), 0.03 + 0.05*r.Float64(), 1e-4 * (0.5 + r.Float64()), 30 + 8*r.NormFloat64(), 1 + 0.012*r.NormFloat64()}
}

func (h hidden) wall(packageW float64) float64 {
	dc := packageW + h.rest
	return dc + h.fixed + h.linear*dc + h.square*dc*dc
}

// TestIntervalsHold: on machines whose supplies and meters are not as a sheet says, the truth lies within the intervals of a year and of a
// saving in at least nineteen of twenty, by a meter and by the sheet; and a saving of a tenth is shown by a meter.
func TestIntervalsHold(t *testing.T) {
	r := rand.New(rand.NewPCG(14, 2))
	packages := map[load.Kind]float64{load.Idle: 15, load.Light: 45, load.Mixed: 90, load.Heavy: 180}
	const machines = 4000
	for _, row := range []struct {
		name        string
		source      energy.Source
		between     bool
		leastShown  int
		mostOutside int
	}{
		{"a meter, one machine", energy.Meter, false, machines * 9 / 10, machines / 20},
		{"the sheet, one machine", energy.Sheet, false, machines * 9 / 10, machines / 20},
		{"a meter each", energy.Meter, true, 0, machines / 20},
		{"a sheet each", energy.Sheet, true, 0, machines / 20},
	} {
		outside, outsideYear, shown := 0, 0, 0
		for range machines {
			one := draw(r)
			other := one
			if row.between {
				other = draw(r)
			}
			hours := energy.Hours{load.Idle: 8 * r.Float64(), load.Light: 6 * r.Float64(), load.Mixed: 4 * r.Float64(), load.Heavy: 4 * r.Float64()}
			machine := func(h hidden, rig int64, share float64) (m energy.Machine, truth float64) {
				m = energy.Machine{Rig: rig, Draws: map[load.Kind]energy.Draw{}}
				day := 1 + 0.01*r.NormFloat64()
				for kind, w := range packages {
					truth += h.wall(w*share) * hours[kind] * 0.365
					d := energy.Draw{Source: row.source}
					if row.source == energy.Meter {
						d.W = h.wall(w*share*day)*h.meter + 0.5*r.NormFloat64()
					} else {
						d.W = (w*share*day + 30) / 0.88 // as a sheet has it
					}
					d.SD = math.Hypot(0.01*d.W, 0.5)
					m.Draws[kind] = d
				}
				return m, truth
			}
			a, trueA := machine(one, 1, 1)
			rig := int64(1)
			if row.between {
				rig = 2
			}
			b, trueB := machine(other, rig, 0.8)
			s := b.Against(&a, hours, 1)
			if math.Abs(s.KWh-(trueA-trueB)) > s.Half {
				outside++
			}
			if y := a.Of(hours); math.Abs(y.KWh-trueA) > y.Half {
				outsideYear++
			}
			if s.Shown {
				shown++
			}
		}
		if outside > row.mostOutside || outsideYear > row.mostOutside || shown < row.leastShown {
			t.Errorf("%s: of %d, %d savings and %d years lie outside, %d savings are shown", row.name, machines, outside, outsideYear, shown)
		}
	}
}

// TestWhatIsNotKnown: hours under a load that was not measured leave no figure, and none of it counts without hours; no day has more
// hours than it has.
func TestWhatIsNotKnown(t *testing.T) {
	m := energy.Machine{Draws: map[load.Kind]energy.Draw{load.Idle: {W: 60, SD: 1, Source: energy.Read}}}
	if y := m.Of(energy.Hours{load.Idle: 10}); !y.Known() || math.Abs(y.KWh-219) > 1e-9 || y.Lacking() != "" {
		t.Errorf("idle alone: %+v", y)
	}
	y := m.Of(energy.Hours{load.Idle: 10, load.Mixed: 1})
	if y.Known() || !math.IsNaN(y.KWh) || y.Lacking() != "the draw was not measured: game-like" {
		t.Errorf("%+v: %s", y, y.Lacking())
	}
	if s := m.Against(&m, energy.Hours{load.Heavy: 1}, 1); s.Known || s.Shown {
		t.Errorf("%+v", s)
	}
	for _, h := range []energy.Hours{{load.Idle: -1}, {load.Idle: math.NaN()}, {load.Idle: 20, load.Heavy: 5}, {load.Light: 25}} {
		if len(h.Validate()) == 0 {
			t.Errorf("%v hours a day are taken", h)
		}
	}
	if len(energy.Usual.Validate()) > 0 {
		t.Error("the usual day is none")
	}
}

func ExampleAfter() {
	fmt.Println(energy.After(60, 20, 5).Words())
	fmt.Println(energy.After(60, 4, 5).Words())
	// Output:
	// it pays for itself after 3.0 years (2.4 to 4.0)
	// no saving is shown that would pay for it
}
