// Package govern holds the limits that a processor keeps, and tells which of them holds the clock down.
package govern

import "math"

// Limiter names what holds the clock down at a moment.
type Limiter string

const (
	None             Limiter = "none"              // nothing asks for more
	Ratio            Limiter = "ratio"             // the clock ceiling itself
	SustainedPower   Limiter = "sustained power"   // PPT, or PL1 once the window is used up
	SustainedCurrent Limiter = "sustained current" // TDC
	PeakCurrent      Limiter = "peak current"      // EDC, ICCmax, or the regulator's own protection
	Temperature      Limiter = "temperature"
	ShortPower       Limiter = "short power" // PL2
	Voltage          Limiter = "voltage"     // the voltage ceiling
)

// Limiters lists every limiter. Telemetry holds a limiter by its place in this list, so it only grows at its end.
var Limiters = []Limiter{None, Ratio, SustainedPower, SustainedCurrent, PeakCurrent, Temperature, ShortPower, Voltage}

// Time constants of the filters through which the ceiling style measures, in seconds: power about as quick as the firmware
// looks, current about as slow as the regulator warms.
const (
	PowerFilterS   = 0.1
	CurrentFilterS = 5.0
)

// KneeC, in °C, is how far below the temperature limit the highest clock is given up; the lowest is given up at the
// limit itself, so the clock bends away instead of breaking off.
const KneeC = 1.0

// HysteresisC, in °C, is how far the temperature must have fallen below the knee before a higher bin is tried again: more than
// a bin more heats a core at once.
const HysteresisC = 1.2

// Limits are the limits of a processor, of either style. A limit that is off is +Inf.
//
// The ceiling style holds SustainedW (PPT) against package power over PowerFilterS, SustainedA (TDC) against current
// over CurrentFilterS, and PeakA (EDC) against current at any moment. The window style holds SustainedW (PL1) against
// the running average over WindowS (tau), and ShortW (PL2) and PeakA (ICCmax) at any moment; there WindowS is above 0.
type Limits struct {
	SustainedW, ShortW, WindowS float64
	SustainedA, PeakA           float64
	TemperatureC                float64
	VoltageV                    float64 // requested; of the rail's own cores
}

// Windowed reports whether these are limits of the window style.
func (l *Limits) Windowed() bool { return l.WindowS > 0 }

// FilterS returns the time constant of the filter through which package power is held against SustainedW.
func (l *Limits) FilterS() float64 {
	if l.Windowed() {
		return l.WindowS
	}
	return PowerFilterS
}

// Reading is what the limits look at, measured or predicted: package power over the time that SustainedW means and at
// this moment, current over the time that SustainedA means and at this moment, the hottest core, and by how much the
// requested voltage exceeds its ceiling.
type Reading struct {
	PowerW, NowW, Amps, SustainedA, HottestC, OverV float64
}

// KneeAt returns the temperature at which a clock is given up: the limit less KneeC times the clock's place
// (0 to 1) between the lowest and the highest.
func (l *Limits) KneeAt(place float64) float64 { return l.TemperatureC - KneeC*place }

// Breaks returns the limit that a reading breaks, None if it keeps all. The place of the clock (see KneeAt)
// and the margin in °C that the temperature must keep are the caller's.
func (l *Limits) Breaks(r *Reading, place, marginC float64) Limiter {
	switch {
	case r.OverV > overTolerance:
		return Voltage
	case r.Amps > l.PeakA:
		return PeakCurrent
	case r.NowW > l.ShortW:
		return ShortPower
	case r.PowerW > l.SustainedW:
		return SustainedPower
	case r.SustainedA > l.SustainedA:
		return SustainedCurrent
	case r.HottestC > l.KneeAt(place)-marginC:
		return Temperature
	}
	return None
}

// overTolerance keeps a request that equals its ceiling from breaking it by rounding.
const overTolerance = 1e-9

// BoostWindow returns for how many seconds a load that would draw loadW may run above PL1 after the running average
// stood at idleW: τ·ln((P−P_idle)/(P−PL1)), with P no more than PL2. It is 0 when the average is already used up, and
// +Inf when the load never uses it up. The limits must be of the window style.
func (l *Limits) BoostWindow(idleW, loadW float64) float64 {
	p := math.Min(loadW, l.ShortW)
	switch {
	case p <= l.SustainedW:
		return math.Inf(1)
	case idleW >= l.SustainedW:
		return 0
	}
	return l.WindowS * math.Log((p-idleW)/(p-l.SustainedW))
}

// Window is the running average of the window style in time, and whether it has been used up. Once it has, power stays
// at PL1 until the average has fallen to RefillShare of it: without that the clock would swing for ever.
type Window struct {
	Average Filter
	Spent   bool
}

// RefillShare is the share of PL1 to which the average must fall before power above PL1 is given again; without it the clock
// would swing at PL1.
const RefillShare = 0.9

// Step moves the average by dt seconds at a power, and notes when it is used up or refilled.
func (w *Window) Step(l *Limits, watts, dt float64) {
	w.Average.Step(watts, dt, l.WindowS)
	switch {
	case w.Average.Value >= l.SustainedW:
		w.Spent = true
	case w.Average.Value < RefillShare*l.SustainedW:
		w.Spent = false
	}
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
