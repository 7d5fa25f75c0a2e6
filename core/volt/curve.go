// Package volt holds the voltage models: the fused voltage/frequency curve, the request that follows from it,
// and what the die receives behind the load line. Volts, amperes and ohms throughout; clocks in MHz.
package volt

import (
	"fmt"
	"math"

	"gonum.org/v1/gonum/interp"

	"zerokeel/core/part"
)

// Curve is a monotone voltage/frequency curve through fused points. Between the points it is the monotone
// cubic of Fritsch and Butland (1984), outside it goes on straight with the slope at the end point.
type Curve struct {
	fit                    interp.FritschButland
	lowMHz, highMHz        float64
	lowV, highV            float64
	lowSlope, highSlopeVpM float64
}

// NewCurve returns the curve through points, which must number at least three, rise strictly in clock and not
// fall in voltage.
func NewCurve(points []part.VFPoint) (*Curve, error) {
	if len(points) < 3 {
		return nil, fmt.Errorf("voltage/frequency curve: %d points, at least 3 are needed", len(points))
	}
	mhz, v := make([]float64, len(points)), make([]float64, len(points))
	for i, p := range points {
		mhz[i], v[i] = p.MHz, p.V
		if math.IsNaN(p.MHz+p.V) || math.IsInf(p.MHz+p.V, 0) {
			return nil, fmt.Errorf("voltage/frequency curve: point %d is no finite number", i)
		}
		if i > 0 && (mhz[i] <= mhz[i-1] || v[i] < v[i-1]) {
			return nil, fmt.Errorf("voltage/frequency curve: point %d (%g MHz, %g V) does not rise above point %d", i, p.MHz, p.V, i-1)
		}
	}
	c := &Curve{lowMHz: mhz[0], highMHz: mhz[len(mhz)-1], lowV: v[0], highV: v[len(v)-1]}
	if err := c.fit.Fit(mhz, v); err != nil {
		return nil, fmt.Errorf("voltage/frequency curve: %w", err)
	}
	c.lowSlope = c.fit.PredictDerivative(c.lowMHz)
	c.highSlopeVpM = c.fit.PredictDerivative(c.highMHz)
	return c, nil
}

// At returns the voltage at a clock. It never falls with rising clock.
func (c *Curve) At(mhz float64) float64 {
	switch {
	case mhz < c.lowMHz:
		return c.lowV + (mhz-c.lowMHz)*c.lowSlope
	case mhz > c.highMHz:
		return c.highV + (mhz-c.highMHz)*c.highSlopeVpM
	}
	return c.fit.Predict(mhz)
}
