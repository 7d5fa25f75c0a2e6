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
		return d, m.settle(&d, m.idleBin, ambient, nil), govern.None, nil
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
	return d, m.settle(&d, bin, ambient, near), limiter, nil
}

// visit is a core that stands for its cluster when a load goes from core to core, with the cluster's share of them.
type visit struct {
	core  int
	share float64
}

// visits lists one core of each cluster.
func (m *Model) visits() []visit {
	p := m.set.Processor
	var list []visit
	on := 0.0
	for cluster := range p.Clusters {
		v := visit{core: -1}
		first := p.FirstCore(cluster)
		for c := first; c < first+p.Clusters[cluster].Cores; c++ {
			if m.tuning.On[c] {
				if v.core < 0 {
					v.core = c
				}
				v.share++
				on++
			}
		}
		if v.core >= 0 {
			list = append(list, v)
		}
	}
	for i := range list {
		list[i].share /= on
	}
	return list
}

// SteadyInTurn is Steady for a load as a trial runs it: one that goes from core to core shows the mean over the clusters,
// by their cores. Its Cores, Limiter and words are those of the first.
func (m *Model) SteadyInTurn(kind load.Kind, ambient float64) (State, error) {
	visits := m.visits()
	if !kind.OneCore() || len(visits) < 2 {
		return m.Steady(kind, nil, ambient)
	}
	var out State
	for i, v := range visits {
		s, err := m.Steady(kind, []int{v.core}, ambient)
		if err != nil {
			return State{}, err
		}
		if i == 0 {
			out = s
			for _, x := range out.means() {
				*x *= v.share
			}
			continue
		}
		other := s.means()
		for j, x := range out.means() {
			*x += v.share * *other[j]
		}
		out.Overheats = out.Overheats || s.Overheats
		out.VoltageMaxV, out.LowestMHz = max(out.VoltageMaxV, s.VoltageMaxV), min(out.LowestMHz, s.LowestMHz)
		for c := range out.Cores {
			if s.Cores[c].Active {
				out.Cores[c] = s.Cores[c]
			}
		}
	}
	return out, nil
}

// means lists the figures of a state that are averaged over the turns of a load.
func (s *State) means() []*float64 {
	return []*float64{&s.RequestV, &s.DeliveredV, &s.DipV, &s.OvershootV, &s.Amps, &s.PackageW, &s.ReportedW, &s.VRMLossW, &s.WallW, &s.HottestC, &s.DieC, &s.CoolantC, &s.VRMC, &s.FanDuty, &s.FanRPM, &s.NoiseDB, &s.MeanMHz}
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
			s.temperature[c] = ambient + 30
		}
	}
	miss := func(control float64) float64 {
		m.relax(d, bin, ambient, control, &s)
		return m.control(s.nodes, s.op.worstW) - control
	}
	if near != nil && !math.IsInf(near.op.worstW, 0) && m.settleNear(m.control(near.nodes, near.op.worstW), miss) {
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
	s.duty = m.tuning.duty(control)
	air := m.path.AirR(s.duty)
	for range 50 {
		m.leaks(&s.temperature, &s.leaks)
		s.op = m.at(d, bin, &s.leaks)
		s.nodes = m.path.Steady(s.op.packageW, air, ambient)
		change := 0.0
		for c := range m.cores {
			t := m.path.Core(s.nodes, m.corePower(d, &s.op, &s.leaks, c))
			change = math.Max(change, math.Abs(t-s.temperature[c]))
			s.temperature[c] = t
		}
		if change < settleC/10 || math.IsInf(s.op.packageW, 0) || math.IsNaN(change) {
			return
		}
	}
}

// At is what a machine shows while a load holds it at a clock for good.
type At struct {
	MHz, RequestV, DeliveredV, PackageW, HottestC, CoolantC, Amps float64

	settled *settled
	turns   []At // of a load that goes from core to core over several clusters
}

// SettleAt returns where the machine settles when a load runs on all cores (on one of each cluster in turn, for a one-core load) at a mean clock
// in MHz of the active cores, whatever the limits say. Between two bins it goes in a straight line, so it is smooth in
// the clock as well as in everything the model was made from. near may give where a like model settled, and saves time.
// Loads without a steady state are an error.
func (m *Model) SettleAt(kind load.Kind, mhz, ambient float64, near At) (At, error) {
	if kind == load.Transition {
		return At{}, ErrNoSteadyState
	}
	visits := m.visits()
	if !kind.OneCore() || len(visits) < 2 {
		return m.settleAt(kind, nil, mhz, ambient, near)
	}
	// From core to core, each cluster runs at its share of its own ceiling.
	mean := 0.0
	tops := make([]float64, len(visits))
	for i, v := range visits {
		ratio := m.bins.AtMost(m.tuning.Clocks.Top(m.set.Processor, v.core, 1, 1, false))
		tops[i] = m.bins.MHz(min(ratio, m.highest[v.core]))
		mean += v.share * tops[i]
	}
	var out At
	for i, v := range visits {
		var from At
		if i < len(near.turns) {
			from = near.turns[i]
		}
		one, err := m.settleAt(kind, []int{v.core}, mhz*tops[i]/mean, ambient, from)
		if err != nil {
			return At{}, err
		}
		out.turns = append(out.turns, one)
		for to, x := range map[*float64]float64{&out.MHz: one.MHz, &out.RequestV: one.RequestV, &out.DeliveredV: one.DeliveredV, &out.PackageW: one.PackageW, &out.HottestC: one.HottestC, &out.CoolantC: one.CoolantC, &out.Amps: one.Amps} {
			*to += v.share * x
		}
	}
	return out, nil
}

func (m *Model) settleAt(kind load.Kind, cores []int, mhz, ambient float64, near At) (At, error) {
	d, err := m.checkedDemand(kind, cores, ambient)
	if err != nil {
		return At{}, err
	}
	if d.count == 0 {
		s := m.settle(&d, m.idleBin, ambient, near.settled)
		return m.shows(&d, &s), nil
	}
	bin := m.binOfMean(&d, mhz)
	low := m.settle(&d, bin, ambient, near.settled)
	a := m.shows(&d, &low)
	if bin >= d.top || mhz <= a.MHz {
		return a, nil
	}
	high := m.settle(&d, bin+1, ambient, &low)
	b := m.shows(&d, &high)
	if b.MHz <= a.MHz {
		return a, nil
	}
	x := math.Min(1, (mhz-a.MHz)/(b.MHz-a.MHz))
	mix := func(low, high float64) float64 { return low + x*(high-low) }
	return At{mix(a.MHz, b.MHz), mix(a.RequestV, b.RequestV), mix(a.DeliveredV, b.DeliveredV), mix(a.PackageW, b.PackageW), mix(a.HottestC, b.HottestC), mix(a.CoolantC, b.CoolantC), mix(a.Amps, b.Amps), a.settled, nil}, nil
}

// binOfMean returns the highest bin at which the mean clock of the active cores does not exceed mhz.
func (m *Model) binOfMean(d *demand, mhz float64) int {
	mean := func(bin int) float64 {
		sum := 0.0
		for c, on := range d.active {
			if on {
				sum += m.clockOf(d, c, bin)
			}
		}
		return sum / float64(d.count)
	}
	low, high := 0, d.top
	for low < high {
		if mid := (low + high + 1) / 2; mean(mid) <= mhz+1e-6 {
			low = mid
		} else {
			high = mid - 1
		}
	}
	return low
}

func (m *Model) shows(d *demand, s *settled) At {
	lead := m.leadFeed(d, &s.op)
	a := At{RequestV: s.op.request[lead], DeliveredV: s.op.die[lead], PackageW: s.op.reportedW, CoolantC: s.nodes.Coolant, Amps: s.op.amps, settled: s}
	n := 0
	for c := range m.cores {
		if !m.tuning.On[c] {
			continue
		}
		a.HottestC = math.Max(a.HottestC, s.temperature[c])
		if d.active[c] || d.count == 0 {
			a.MHz += m.clockOf(d, c, s.op.bin)
			n++
		}
	}
	a.MHz /= float64(max(1, n))
	return a
}
