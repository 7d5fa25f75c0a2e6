// Package govern holds the limits that a processor keeps, and tells which of them holds the clock down.
package govern

import "math"

// Limiter names what holds the clock down at a moment.
type Limiter string

const (
	None             Limiter = "none"              // nothing asks for more
	Ratio            Limiter = "ratio"             // the clock ceiling itself
	SustainedPower   Limiter = "sustained power"   // PPT
	SustainedCurrent Limiter = "sustained current" // TDC
	PeakCurrent      Limiter = "peak current"      // EDC
	Temperature      Limiter = "temperature"
)

// Limiters lists every limiter, in the order in which they are shown.
var Limiters = []Limiter{None, Ratio, SustainedPower, SustainedCurrent, PeakCurrent, Temperature}

// Time constants of the filters through which the ceiling style measures, in seconds.
const (
	PowerFilterS   = 0.1
	CurrentFilterS = 5.0
)

// KneeC is how far below the temperature limit the highest clock is given up; the lowest is given up at the
// limit itself, so the clock bends away instead of breaking off.
const KneeC = 1.0

// HysteresisC is how far the temperature must have fallen below the knee before a higher bin is tried again.
const HysteresisC = 1.2

// Ceiling is the set of limits of the ceiling style. A limit that is off is +Inf.
type Ceiling struct {
	PPTW, TDCA, EDCA, TemperatureC float64
}

// Reading is what the limits look at, measured or predicted: package power, current now and over the longer
// time that TDC means, and the hottest core.
type Reading struct {
	PowerW, Amps, SustainedA, HottestC float64
}

// KneeAt returns the temperature at which a clock is given up: the limit less KneeC times the clock's place
// (0 to 1) between the lowest and the highest.
func (c Ceiling) KneeAt(place float64) float64 { return c.TemperatureC - KneeC*place }

// Breaks returns the limit that a reading breaks, None if it keeps all. The place of the clock (see KneeAt)
// and the margin in °C that the temperature must keep are the caller's.
func (c Ceiling) Breaks(r Reading, place, marginC float64) Limiter {
	switch {
	case r.Amps > c.EDCA:
		return PeakCurrent
	case r.PowerW > c.PPTW:
		return SustainedPower
	case r.SustainedA > c.TDCA:
		return SustainedCurrent
	case r.HottestC > c.KneeAt(place)-marginC:
		return Temperature
	}
	return None
}

// Highest returns the highest of bins 0 … top that keeps every limit, by bisection, and the limiter that
// rejects the bin above it (Ratio when top is kept). keeps must be monotone: once a bin breaks a limit, so do
// all above. Bin 0 is returned even when it breaks one, as no lower clock exists.
func Highest(top int, keeps func(bin int) Limiter) (int, Limiter) {
	why := keeps(top)
	if why == None {
		return top, Ratio
	}
	low, high := 0, top
	for high-low > 1 {
		mid := (low + high) / 2
		if l := keeps(mid); l == None {
			low = mid
		} else {
			high, why = mid, l
		}
	}
	return low, why
}

// Filter is a first-order low-pass filter. The zero Filter starts at zero.
type Filter struct{ Value float64 }

// Step moves the filter towards x by dt seconds at a time constant.
func (f *Filter) Step(x, dt, tau float64) { f.Value += (x - f.Value) * -math.Expm1(-dt/tau) }
