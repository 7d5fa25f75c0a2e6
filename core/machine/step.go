package machine

import (
	"math"

	"zerokeel/core/govern"
	"zerokeel/core/heat"
	"zerokeel/core/load"
	"zerokeel/core/part"
)

// Machine is a model with its state in time. It is not safe for concurrent use.
type Machine struct {
	*Model
	ambient  float64
	time     float64
	kind     load.Kind
	cores    []int
	turnS    float64
	loadFrom float64 // time at which the present load started

	want, rest demand
	now        *demand
	leak       leaks
	temps      [part.MaxCores]float64
	nodes      heat.Nodes
	stepper    heat.Stepper
	stepperDT  float64
	fan        heat.Follower
	held       *float64 // duty at which the fan is held; nil where the board drives it
	fast, slow govern.Filter
	fanDue     float64
	window     govern.Window
	op         operating
	limiter    govern.Limiter
}

// riseBins is how many bins the clock may rise in one step: with steps of 10 ms, from idle to the top in a fraction of a second.
const riseBins = 4

// New returns a machine that has stood idle at an ambient temperature for long.
func New(model *Model, ambient float64) *Machine {
	m := &Machine{Model: model, ambient: ambient, kind: load.Idle, limiter: govern.None}
	m.rest = model.newDemand(load.Idle, nil)
	m.want, m.now = m.rest, &m.rest
	s := model.settle(&m.rest, model.idleBin, ambient, nil)
	m.nodes, m.temps, m.fan.Duty, m.op, m.leak = s.nodes, s.temperature, s.duty, s.op, s.leaks
	m.fan.C = m.control(m.nodes, m.op.worstW)
	m.fast.Value, m.slow.Value = m.op.reportedW, m.op.amps
	m.window.Average.Value = m.op.reportedW
	return m
}

// Retune replaces the model, as a restart with other settings does, and keeps the temperatures.
func (m *Machine) Retune(model *Model) {
	m.Model, m.stepperDT = model, 0
	m.rest = model.newDemand(load.Idle, nil)
	m.SetLoad(load.Idle, nil, 0)
}

// HoldFan holds the fan at a duty in percent from the next time that it is set; nil lets the board drive it again.
func (m *Machine) HoldFan(duty *float64) { m.held = duty }

// FanDuty returns the duty at which the fan is set at this moment, in percent.
func (m *Machine) FanDuty() float64 { return m.fan.Duty }

// SetAmbient changes the ambient temperature.
func (m *Machine) SetAmbient(c float64) { m.ambient = c }

// Warm raises all that holds heat by so many kelvin, as work that ended before leaves it.
func (m *Machine) Warm(k float64) {
	m.nodes = heat.Nodes{Die: m.nodes.Die + k, Base: m.nodes.Base + k, Coolant: m.nodes.Coolant + k}
}

// SetLoad starts a load on the given cores, all when nil. A one-core load visits them in turn for turnS seconds
// each; turnS of 0 stays on the first.
func (m *Machine) SetLoad(kind load.Kind, cores []int, turnS float64) {
	if cores == nil {
		cores = m.OnCores()
	}
	m.kind, m.cores, m.turnS, m.loadFrom = kind, cores, turnS, m.time
	m.chooseDemand(true)
}

// Time returns the seconds stepped so far.
func (m *Machine) Time() float64 { return m.time }

// Load returns the load that is set, and the seconds since it was.
func (m *Machine) Load() (load.Kind, float64) { return m.kind, m.time - m.loadFrom }

// Active reports whether a core is under load at this moment.
func (m *Machine) Active(core int) bool { return m.now.active[core] }

// chooseDemand works out which cores are active at this moment.
func (m *Machine) chooseDemand(fresh bool) {
	since := m.time - m.loadFrom
	switch {
	case m.kind.OneCore() && len(m.cores) > 0:
		turn := 0
		if m.turnS > 0 {
			turn = int(since/m.turnS) % len(m.cores)
		}
		if fresh || m.want.single != m.cores[turn] {
			m.want = m.newDemand(m.kind, m.cores[turn:turn+1])
			fresh = true
		}
	case fresh:
		m.want = m.newDemand(m.kind, m.cores)
	}
	next := &m.want
	if m.kind == load.Transition && !load.Bursting(since) {
		next = &m.rest
	}
	if next == m.now && !fresh {
		return
	}
	m.now = next
	m.op.bin = m.now.top
}

// Step advances the machine by dt seconds (0 < dt ≤ 1), during which nothing is set anew. Steps of 10 ms follow
// the governor closely.
func (m *Machine) Step(dt float64) {
	if m.kind == load.Transition || m.kind.OneCore() {
		m.chooseDemand(false)
	}
	m.leaks(&m.temps, &m.leak)
	m.govern()
	m.fast.Step(m.op.reportedW, dt, govern.PowerFilterS)
	m.slow.Step(m.op.amps, dt, govern.CurrentFilterS)
	if m.tuning.Limits.Windowed() {
		m.window.Step(&m.tuning.Limits, m.op.reportedW, dt)
	}
	m.fan.Feel(&m.tuning.Fan, m.control(m.nodes, m.op.worstW), dt)
	if m.time >= m.fanDue || dt != m.stepperDT {
		m.fanDue = m.time + heat.SetEveryS
		m.fan.Turn(&m.tuning.Fan, m.time, m.stepperDT == 0)
		if m.held != nil {
			m.fan.Duty = *m.held
		}
		m.stepperDT = dt
		m.stepper = heat.NewStepper(m.path, m.path.AirR(m.fan.Duty), dt)
	}
	m.nodes = m.stepper.Step(m.nodes, m.op.packageW, m.ambient)
	for c := range m.Model.cores {
		m.temps[c] = m.path.Core(m.nodes, m.hotter[c]*m.corePower(m.now, &m.op, &m.leak, c))
	}
	m.time += dt
}

// govern lowers the clock to the highest bin that keeps every limit as the limits' own filters see it, or raises
// it when the next bin would keep them for good, the temperature with some margin. Without that foresight the
// clock would swing between two bins for ever.
func (m *Machine) govern() {
	top := m.now.top
	m.op = m.at(m.now, min(m.op.bin, top), &m.leak, m.every)
	if m.now.count == 0 {
		m.limiter = govern.None
		return
	}
	limits := m.tuning.Limits
	if limits.Windowed() && !m.window.Spent {
		limits.SustainedW = math.Inf(1)
	}
	seen := func(op *operating) govern.Reading {
		r := m.reading(op, m.nodes)
		if !limits.Windowed() {
			r.PowerW = min(r.PowerW, m.fast.Value)
		}
		r.SustainedA = min(r.SustainedA, m.slow.Value)
		return r
	}
	r := seen(&m.op)
	switch limits.Breaks(&r, m.place(m.op.bin), 0) {
	case govern.None:
		m.rise(&limits)
		return
	case govern.SustainedPower, govern.SustainedCurrent:
		// The filter is over its limit: go where the limit is kept for good.
		bin, why := govern.Highest(m.op.bin, func(bin int) govern.Limiter {
			op := m.at(m.now, bin, &m.leak, m.every)
			r := m.reading(&op, m.nodes)
			return limits.Breaks(&r, m.place(bin), 0)
		})
		m.op, m.limiter = m.at(m.now, bin, &m.leak, m.every), why
	default:
		bin, why := govern.Highest(m.op.bin, func(bin int) govern.Limiter {
			op := m.at(m.now, bin, &m.leak, m.every)
			r := seen(&op)
			return limits.Breaks(&r, m.place(bin), 0)
		})
		m.op, m.limiter = m.at(m.now, bin, &m.leak, m.every), why
	}
}

func (m *Machine) rise(limits *govern.Limits) {
	top := m.now.top
	for range riseBins {
		if m.op.bin >= top {
			m.limiter = m.now.atTop()
			return
		}
		next := m.at(m.now, m.op.bin+1, &m.leak, m.every)
		r := m.reading(&next, m.nodes)
		r.PowerW *= 1 + riseMargin
		r.NowW *= 1 + riseMargin
		r.SustainedA *= 1 + riseMargin
		if why := limits.Breaks(&r, m.place(next.bin), govern.HysteresisC); why != govern.None {
			m.limiter = why
			return
		}
		m.op = next
	}
	m.limiter = govern.None
	if m.op.bin >= top {
		m.limiter = m.now.atTop()
	}
}

// riseMargin is the share by which a higher bin must stay below the power and sustained-current limits before it
// is tried, since the leakage grows as the die warms at it.
const riseMargin = 0.003

// HottestC returns the temperature of the hottest core at this moment, in °C.
func (m *Machine) HottestC() float64 {
	hottest := math.Inf(-1)
	for c, on := range m.tuning.On {
		if on {
			hottest = max(hottest, m.temps[c])
		}
	}
	return hottest
}

// State returns the state at this moment.
func (m *Machine) State() State {
	return m.state(m.now, &m.op, &m.leak, m.nodes, m.temps[:m.Model.cores], m.fan.Duty, m.ambient, m.limiter)
}
