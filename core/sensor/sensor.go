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

// Apply returns the corrected reading.
func (c Correction) Apply(raw float64) float64 { return raw*c.Scale + c.Shift }
