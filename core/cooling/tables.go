package cooling

import (
	"fmt"
	"math"

	"zerokeel/core/forecast"
	"zerokeel/core/heat"
	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/trim"
)

// tableSteps is at how many duties a machine is forecast: its temperatures change smoothly between.
const tableSteps = 10

// AskedOf puts what a fit says of a machine under a trim, whatever its fan, into the terms of a quietest curve, in a room of ambientC.
// Ceilings, hours and whether the fan may stand are left to whoever asks. The error is an invalid.List when the board does not take
// the settings.
func AskedOf(f *forecast.Fit, settings trim.Settings, ambientC float64) (*Asked, error) {
	set := f.Set()
	tuning, err := machine.Tune(set, settings)
	if err != nil {
		return nil, err
	}
	fan := set.Cooler.Fan
	out := &Asked{Tables: map[load.Kind]Table{}, Start: math.Max(fan.Starts(), tuning.Fan.StartDuty), Board: boardOf(set.Board),
		FullC: fullC(set, &tuning)}
	out.Noise = func(duty float64) float64 {
		return heat.Together(heat.Noise(fan, heat.Speed(fan, duty)), heat.PumpNoise(set.Cooler.Pump, tuning.Pump))
	}
	duties := []float64{0}
	for i := range tableSteps {
		d := out.Board.Duty.Nearest(math.Ceil(out.Start + (100-out.Start)*math.Pow(float64(i)/(tableSteps-1), 1.5)))
		if d > duties[len(duties)-1] {
			duties = append(duties, d)
		}
	}
	for _, duty := range duties {
		r, err := f.Settled(settings.With(constant(set.Board, duty)), ambientC)
		if err != nil {
			return nil, fmt.Errorf("forecast at %.0f %% of the fan: %w", duty, err)
		}
		for i, s := range r.Loads {
			control := s.HottestC
			if tuning.FanFromCoolant {
				control = s.CoolantC
			}
			out.Tables[s.Load] = append(out.Tables[s.Load], Held{duty, control, s.HottestC, r.Spreads[i].HottestC})
		}
	}
	return out, nil
}

// constant is a curve that holds the fan at a duty.
func constant(b *part.Board, duty float64) trim.Settings {
	out := trim.Settings{}
	if b.Entry("fan.start") != nil {
		out["fan.start"] = part.Number(0)
	}
	for i := 1; i <= b.Fan.Points; i++ {
		out[trim.At("fan.point.*.temperature", i)] = part.Number(float64(10 * i))
		out[trim.At("fan.point.*.duty", i)] = part.Number(duty)
	}
	return out
}

// boardOf is what a board takes for a curve; as most do where its sheet does not say.
func boardOf(b *part.Board) Board {
	out := Board{Points: b.Fan.Points, C: part.BoardSetting{Max: 100, Step: 1}, Duty: part.BoardSetting{Max: 100, Step: 1}}
	if c := b.Entry("fan.point.*.temperature"); c != nil {
		out.C = *c
	}
	if d := b.Entry("fan.point.*.duty"); d != nil {
		out.Duty = *d
	}
	return out
}

const (
	belowLimitC  = 5.0  // K below a processor's limit at which a fan that follows it runs at full speed
	coolantFullC = 55.0 // °C of the coolant at which one that follows that does: hoses and pumps are made for 60
)

func fullC(set *part.Set, t *machine.Tuning) float64 {
	if t.FanFromCoolant {
		return coolantFullC
	}
	limit := t.Limits.TemperatureC
	if maker := set.Processor.Limits.TemperatureC; maker > 0 {
		limit = math.Min(limit, maker)
	}
	return limit - belowLimitC
}

// Settings are a curve as a board's settings.
func (q *Quiet) Settings() trim.Settings {
	out := trim.Settings{}
	for i, p := range q.Curve {
		out[trim.At("fan.point.*.temperature", i+1)] = part.Number(p.C)
		out[trim.At("fan.point.*.duty", i+1)] = part.Number(p.Duty)
	}
	return out
}

// Curve reads the fan curve of settings.
func Curve(set *part.Set, settings trim.Settings) ([]heat.Point, error) {
	tuning, err := machine.Tune(set, settings)
	return tuning.Fan.Curve, err
}
