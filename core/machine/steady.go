package machine

import (
	"errors"
	"fmt"
	"math"

	"zerokeel/core/govern"
	"zerokeel/core/heat"
	"zerokeel/core/load"
	"zerokeel/core/part"
)

// ErrNoSteadyState reports that a load never settles; step it through time instead.
var ErrNoSteadyState = errors.New("this load changes all the time and has no steady state")

// ErrNoPoint reports that a machine cannot run a load at all: even at its lowest clock the load line leaves no voltage at which
// its cores could run.
var ErrNoPoint = errors.New("there is no voltage and current at which this machine could run the load")

// Steady returns where the machine settles under a load on the given cores (all when nil; of a one-core load
// the first), at an ambient temperature in °C, −20 to 60. The clock is the highest bin that keeps every limit
// once the temperatures have settled at it.
func (m *Model) Steady(kind load.Kind, cores []int, ambient float64) (State, error) {
	if kind == load.Transition {
		return State{}, ErrNoSteadyState
	}
	d, at, limiter, err := m.solve(kind, cores, ambient)
	if err != nil {
		return State{}, err
	}
	return m.state(&d, &at.op, &at.leaks, at.nodes, at.temperature[:], at.duty, ambient, limiter), nil
}

// solve finds the demand, where it settles, and what holds it there.
func (m *Model) solve(kind load.Kind, cores []int, ambient float64) (d demand, at settled, limiter govern.Limiter, err error) {
	if d, err = m.checkedDemand(kind, cores, ambient); err != nil {
		return d, at, "", err
	}
	if d.count == 0 {
		at = m.settle(&d, m.idleBin, ambient, nil)
		return d, at, govern.None, at.possible()
	}
	var near *settled
	bin, limiter := govern.Highest(d.top, func(bin int) govern.Limiter {
		s := m.settle(&d, bin, ambient, near)
		near = &s
		r := m.reading(&s.op, s.nodes)
		return m.tuning.Limits.Breaks(&r, m.place(bin), 0)
	})
	if limiter == govern.Ratio {
		limiter = d.atTop()
	}
	at = m.settle(&d, bin, ambient, near)
	return d, at, limiter, at.possible()
}

// possible is ErrNoPoint for a machine that could not run where it was solved.
func (s *settled) possible() error {
	if math.IsInf(s.op.packageW, 0) || math.IsNaN(s.op.packageW) {
		return ErrNoPoint
	}
	return nil
}

func (m *Model) checkedDemand(kind load.Kind, cores []int, ambient float64) (demand, error) {
	if !kind.Valid() {
		return demand{}, fmt.Errorf("%q is no load; use one of %q", kind, load.Kinds)
	}
	if !(ambient >= -20 && ambient <= 60) {
		return demand{}, fmt.Errorf("ambient %g °C is out of range; give -20 to 60 °C", ambient)
	}
	if cores == nil {
		cores = m.OnCores()
	}
	for _, c := range cores {
		if c < 0 || c >= m.cores {
			return demand{}, fmt.Errorf("core %d does not exist; give 0 to %d", c, m.cores-1)
		}
	}
	if kind.OneCore() && len(cores) > 1 {
		cores = cores[:1]
	}
	return m.newDemand(kind, cores), nil
}

// AllCores returns 0 … n−1.
func AllCores(n int) []int {
	cores := make([]int, n)
	for i := range cores {
		cores[i] = i
	}
	return cores
}

// settled is a machine that has settled at one bin.
type settled struct {
	op          operating
	leaks       leaks
	nodes       heat.Nodes
	temperature [part.MaxCores]float64
	duty        float64
}

// settle finds the temperatures at which the machine rests while it runs at a bin. The fan follows the hottest
// core, so the temperature that controls it is the unknown: the hotter it is assumed, the cooler the machine
// comes out, which makes the root unique. It is found by the Illinois variant of the secant method; from near, the solution
// of a like case, by plain secants, as long as they get there.
func (m *Model) settle(d *demand, bin int, ambient float64, near *settled) settled {
	var s settled
	if near != nil {
		s.temperature = near.temperature
	} else {
		for c := range m.cores {
			s.temperature[c] = ambient + usualRiseC
		}
	}
	miss := func(control float64) float64 {
		m.relax(d, bin, ambient, control, &s)
		return m.control(s.nodes, s.op.worstW) - control
	}
	switch {
	case near == nil:
		if m.settleNear(ambient+usualRiseC, miss) {
			return s
		}
	case !math.IsInf(near.op.worstW, 0) && m.settleNear(m.control(near.nodes, near.op.worstW), miss):
		return s
	}
	low, high := ambient, runawayC*2
	missLow, missHigh := miss(low), miss(high)
	if math.IsInf(missLow, 0) || missHigh > 0 {
		return s
	}
	for range 60 {
		x := (low*missHigh - high*missLow) / (missHigh - missLow)
		y := miss(x)
		if math.Abs(y) < settleC || high-low < settleC {
			break
		}
		if y > 0 {
			low, missLow, missHigh = x, y, missHigh/2
		} else {
			high, missHigh, missLow = x, y, missLow/2
		}
	}
	return s
}

// usualRiseC is where the search for the temperatures of a machine begins, in °C above the room. It counts for speed only.
const usualRiseC = 30.0

// settleNear looks for the root of miss by secants from a temperature close to it, and reports whether it got there.
func (m *Model) settleNear(x float64, miss func(float64) float64) bool {
	const rounds, usualSlope = 7, -1.4
	y := miss(x)
	slope := usualSlope
	for range rounds {
		if math.Abs(y) < settleC {
			return true
		}
		next := x - y/slope
		after := miss(next)
		if math.IsNaN(after) || math.IsInf(after, 0) || next == x {
			return false
		}
		if s := (after - y) / (next - x); s < -0.5 && s > -20 {
			slope = s
		}
		x, y = next, after
	}
	return math.Abs(y) < settleC
}

// control returns the temperature that the fan follows.
func (m *Model) control(n heat.Nodes, worstW float64) float64 {
	if m.tuning.FanFromCoolant {
		return n.Coolant
	}
	return m.path.Core(n, worstW)
}

// settleC is how close, in °C, a settled temperature is found.
const settleC = 2e-4

// relax iterates power against temperature while the fan is held where the control temperature puts it. Leakage
// feeds back with a gain of some percent only, so a few rounds suffice; a machine in thermal runaway is stopped
// by the bound on the leakage law.
func (m *Model) relax(d *demand, bin int, ambient, control float64, s *settled) {
	s.duty = m.tuning.Fan.Duty(control)
	air := m.path.AirR(s.duty)
	for range 50 {
		m.leaksAlike(d, &s.temperature, &s.leaks)
		s.op = m.at(d, bin, &s.leaks, d.firsts)
		s.nodes = m.path.Steady(s.op.packageW, air, ambient)
		change := 0.0
		for _, c := range d.firsts {
			t := m.path.Core(s.nodes, m.hotter[c]*m.corePower(d, &s.op, &s.leaks, c))
			change = max(change, math.Abs(t-s.temperature[c]))
			s.temperature[c] = t
		}
		for c, first := range d.alike {
			s.temperature[c] = s.temperature[first]
		}
		if change < settleC/10 || math.IsInf(s.op.packageW, 0) || math.IsNaN(change) {
			return
		}
	}
}
