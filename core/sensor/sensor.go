// Package sensor models how a sensor shows a value: sampled, quantised, noisy, and on some boards doubled,
// halved or shifted. A correction undoes the last; what is stored stays raw.
package sensor

import (
	"math"
	"math/rand/v2"
)

// Sensor is the way from a true value to what is read. Quantum is the smallest step shown (0 for none), Noise
// the standard deviation, Scale and Shift the board's own error (a Scale of 0 counts as 1).
type Sensor struct {
	Quantum, Noise, Scale, Shift float64
}

// Read returns what the sensor shows for a true value.
func (s Sensor) Read(truth float64, r *rand.Rand) float64 {
	scale := s.Scale
	if scale == 0 {
		scale = 1
	}
	x := truth*scale + s.Shift
	if s.Noise > 0 {
		x += s.Noise * r.NormFloat64()
	}
	if s.Quantum > 0 {
		x = math.Round(x/s.Quantum) * s.Quantum
	}
	return x
}

// Correction turns a raw reading into the value meant: raw·Scale + Shift.
type Correction struct {
	Scale float64 `json:"scale"`
	Shift float64 `json:"shift"`
}

// Doubt compares what a sensor of a core's voltage shows with what was requested meanwhile: both are means in V. Boards are
// known to show twice or half the voltage; it returns the correction that would put that right.
func Doubt(requested, shown float64) (Correction, bool) {
	if !(requested > 0.3 && shown > 0) {
		return Correction{}, false
	}
	switch ratio := shown / requested; {
	case ratio > 1.7 && ratio < 2.3:
		return Correction{Scale: 0.5}, true
	case ratio > 0.42 && ratio < 0.58:
		return Correction{Scale: 2}, true
	}
	return Correction{}, false
}

// Apply returns the corrected reading.
func (c Correction) Apply(raw float64) float64 { return raw*c.Scale + c.Shift }

// Undo returns the raw reading that a corrected one was made of. The scale must not be zero.
func (c Correction) Undo(right float64) float64 { return (right - c.Shift) / c.Scale }
