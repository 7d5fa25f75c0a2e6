package heat

import "math"

// Control is how a board drives a fan by a temperature. Without points it runs at full speed; below StartDuty it stands. The
// temperature is averaged over SmoothingS, and another duty is set only once it has been called for ResponseS, in seconds.
type Control struct {
	Curve      []Point // sorted by temperature
	StartDuty  float64
	ResponseS  float64
	SmoothingS float64
}

// Duty returns the duty, in percent, that a temperature in °C calls for.
func (c *Control) Duty(controlC float64) float64 {
	d := Duty(c.Curve, controlC)
	if d < c.StartDuty {
		return 0
	}
	return d
}

// SetEveryS is how often, in s, a board sets the fan's duty anew: slower than a core warms, quicker than a heatsink.
const SetEveryS = 0.5

// Follower is a fan that follows a temperature through time.
type Follower struct {
	C     float64 // the temperature as the board averages it
	Duty  float64
	calls float64 // since when another duty has been called for
}

// Feel takes in the temperature that the fan follows, dt seconds after the last.
func (f *Follower) Feel(c *Control, nowC, dt float64) {
	if c.SmoothingS > 0 {
		f.C += (nowC - f.C) * -math.Expm1(-dt/c.SmoothingS)
	} else {
		f.C = nowC
	}
}

// Turn sets the duty anew at a time in seconds, if it has been called for long enough or must be set at once.
func (f *Follower) Turn(c *Control, time float64, atOnce bool) {
	want := c.Duty(f.C)
	if want == f.Duty {
		f.calls = time
	}
	if time-f.calls >= c.ResponseS || atOnce {
		f.Duty = want
	}
}
