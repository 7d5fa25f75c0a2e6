package standin

import (
	"fmt"
	"math"

	"zerokeel/core/channel"
	"zerokeel/core/fan"
	"zerokeel/core/heat"
	"zerokeel/core/part"
	"zerokeel/link"
)

// wheel is what hangs on a header, with its speed: it gains and loses speed over some seconds, and needs more to start than to go on.
type wheel struct {
	number, speed int
	fan           *part.Fan // nil for nothing
	rpm           float64
	duty          float64 // that the board drives it at; of the cooler's fan, that of its curve
	held          *float64
}

// wheelTauS is how long, in s, a fan takes to come most of the way to another speed.
const wheelTauS = 1.3

// turning is the speed in rpm below which a fan counts as standing.
const turning = 30.0

// neverOff is the duty, in percent, that what has no stall duty counts as having at 0: it goes on turning.
const neverOff = 0.01

func (w *wheel) step(dt float64) {
	if w.fan == nil {
		return
	}
	duty, least := w.set(), w.fan.StallDuty
	if w.rpm < turning {
		least = w.fan.Starts()
	}
	target := 0.0
	if duty >= least {
		target = heat.Speed(*w.fan, math.Max(duty, neverOff))
	}
	w.rpm += (target - w.rpm) * -math.Expm1(-dt/wheelTauS)
}

func (w *wheel) set() float64 {
	if w.held != nil {
		return *w.held
	}
	return w.duty
}

func newWheels(c *Config) []wheel {
	cooler := c.made().Cooler.Fan
	out := []wheel{{number: 1, speed: 1, fan: &cooler}}
	for _, h := range c.Headers {
		w := wheel{number: h.Number, speed: h.Speed, fan: h.Fan, duty: h.Duty}
		if w.speed == 0 {
			w.speed = h.Number
		}
		out = append(out, w)
	}
	for i := range out {
		if out[i].fan != nil {
			out[i].rpm = heat.Speed(*out[i].fan, out[i].duty)
		}
	}
	return out
}

// spin follows what hangs on the headers by a time step.
func (r *Rig) spin(dt float64) {
	r.wheels[0].duty = r.machine.FanDuty()
	for i := range r.wheels {
		r.wheels[i].step(dt)
	}
}

// headers lists those whose duty the operating system can set.
func (r *Rig) headers() []link.Header {
	var out []link.Header
	for i := range r.wheels {
		n := r.wheels[i].number
		out = append(out, link.Header{Key: channel.At(channel.FanDuty, n), Label: fmt.Sprintf("Fan header %d", n)})
	}
	return out
}

// hold holds a header at a duty, and reports whether there is such a header; nil gives it back to the board.
func (r *Rig) hold(key string, duty *float64) bool {
	for i := range r.wheels {
		if w := &r.wheels[i]; channel.At(channel.FanDuty, w.number) == key {
			w.held = duty
			if i == 0 {
				r.machine.HoldFan(duty)
			}
			return true
		}
	}
	return false
}

// sweepable says why the rig does not sweep a header now, as the real agent does; empty where it may.
func (a *agent) sweepable(s *fan.Sweep) string {
	switch c := a.rig.machine.HottestC(); {
	case s == nil:
		return ""
	case !a.rig.hold(s.Header, nil):
		return fmt.Sprintf("the duty of %.60q cannot be set on this machine", s.Header)
	case c > fan.BeginC:
		return fmt.Sprintf("the processor is at %.0f °C, and fans are slowed below %.0f °C only; let it cool down first", c, fan.BeginC)
	}
	return ""
}

// sweep sets the duty that belongs to the moment of a leg that sweeps a header.
func (a *agent) sweep() {
	if s := a.leg.order.Sweep; s != nil {
		duty := s.At(a.leg.at)
		a.rig.hold(s.Header, &duty)
	}
}
