package machine

import (
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
	control    govern.Filter
	fast, slow govern.Filter
	duty       float64
	fanDue     float64
	op         operating
	limiter    govern.Limiter
}

// fanEveryS is how often the board sets the fan's duty anew.
const fanEveryS = 0.5

// riseBins is how many bins the clock may rise in one step.
const riseBins = 4

// New returns a machine that has stood idle at an ambient temperature for long.
func New(model *Model, ambient float64) *Machine {
	m := &Machine{Model: model, ambient: ambient, kind: load.Idle, limiter: govern.None}
	m.rest = model.newDemand(load.Idle, nil)
	m.want, m.now = m.rest, &m.rest
	s := model.settle(&m.rest, 0, ambient, nil)
	m.nodes, m.temps, m.duty, m.op, m.leak = s.nodes, s.temperature, s.duty, s.op, s.leaks
	m.control.Value = m.path.Core(m.nodes, m.op.worstW)
	m.fast.Value, m.slow.Value = m.op.packageW, m.op.amps
	return m
}

// Retune replaces the model, as a restart with other settings does, and keeps the temperatures.
func (m *Machine) Retune(model *Model) {
	m.Model, m.stepperDT = model, 0
	m.SetLoad(load.Idle, nil, 0)
}

// SetAmbient changes the ambient temperature.
func (m *Machine) SetAmbient(c float64) { m.ambient = c }

// SetLoad starts a load on the given cores, all when nil. A one-core load visits them in turn for turnS seconds
// each; turnS of 0 stays on the first.
func (m *Machine) SetLoad(kind load.Kind, cores []int, turnS float64) {
	if cores == nil {
		cores = AllCores(m.Model.cores)
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
	m.op.bin = m.topBin(m.now)
}

// Step advances the machine by dt seconds (0 < dt ≤ 1), during which nothing is set anew. Steps of 10 ms follow
// the governor closely.
func (m *Machine) Step(dt float64) {
	if m.kind == load.Transition || m.kind.OneCore() {
		m.chooseDemand(false)
	}
	m.leaks(m.now, &m.temps, &m.leak)
	m.govern()
	m.fast.Step(m.op.packageW, dt, govern.PowerFilterS)
	m.slow.Step(m.op.amps, dt, govern.CurrentFilterS)
	hottest := m.path.Core(m.nodes, m.op.worstW)
	if smooth := m.set.Board.Fan.SmoothingS; smooth > 0 {
		m.control.Step(hottest, dt, smooth)
	} else {
		m.control.Value = hottest
	}
	if m.time >= m.fanDue || dt != m.stepperDT {
		m.fanDue, m.stepperDT = m.time+fanEveryS, dt
		m.duty = heat.Duty(m.tuning.Fan, m.control.Value)
		m.stepper = heat.NewStepper(m.path, m.path.AirR(m.duty), dt)
	}
	m.nodes = m.stepper.Step(m.nodes, m.op.packageW, m.ambient)
	for c := range m.Model.cores {
		m.temps[c] = m.path.Core(m.nodes, m.corePower(m.now, &m.op, &m.leak, c))
	}
	m.time += dt
}

// govern lowers the clock to the highest bin that keeps every limit as the limits' own filters see it, or raises
// it when the next bin would keep them for good, the temperature with some margin. Without that foresight the
// clock would swing between two bins for ever.
func (m *Machine) govern() {
	top := m.topBin(m.now)
	m.op = m.at(m.now, min(m.op.bin, top), &m.leak)
	if m.now.count == 0 {
		m.limiter = govern.None
		return
	}
	filtered := func(bin int) govern.Limiter {
		op := m.at(m.now, bin, &m.leak)
		r := m.reading(&op, m.nodes)
		r.PowerW, r.SustainedA = min(r.PowerW, m.fast.Value), min(r.SustainedA, m.slow.Value)
		return m.tuning.Limits.Breaks(r, m.place(bin), 0)
	}
	r := m.reading(&m.op, m.nodes)
	r.PowerW, r.SustainedA = min(r.PowerW, m.fast.Value), min(r.SustainedA, m.slow.Value)
	switch m.tuning.Limits.Breaks(r, m.place(m.op.bin), 0) {
	case govern.None:
		m.rise(top)
		return
	case govern.SustainedPower, govern.SustainedCurrent:
		// The filter is over its limit: go where the limit is kept for good.
		bin, why := govern.Highest(m.op.bin, func(bin int) govern.Limiter {
			op := m.at(m.now, bin, &m.leak)
			return m.tuning.Limits.Breaks(m.reading(&op, m.nodes), m.place(bin), 0)
		})
		m.op, m.limiter = m.at(m.now, bin, &m.leak), why
	default:
		bin, why := govern.Highest(m.op.bin, filtered)
		m.op, m.limiter = m.at(m.now, bin, &m.leak), why
	}
}

func (m *Machine) rise(top int) {
	for range riseBins {
		if m.op.bin >= top {
			m.limiter = govern.Ratio
			return
		}
		next := m.at(m.now, m.op.bin+1, &m.leak)
		r := m.reading(&next, m.nodes)
		r.PowerW *= 1 + riseMargin
		r.SustainedA *= 1 + riseMargin
		if why := m.tuning.Limits.Breaks(r, m.place(next.bin), govern.HysteresisC); why != govern.None {
			m.limiter = why
			return
		}
		m.op = next
	}
	m.limiter = govern.None
	if m.op.bin >= top {
		m.limiter = govern.Ratio
	}
}

// riseMargin is the share by which a higher bin must stay below the power and sustained-current limits before it
// is tried, since the leakage grows as the die warms at it.
const riseMargin = 0.003

// State returns the state at this moment.
func (m *Machine) State() State {
	return m.state(m.now, &m.op, &m.leak, m.nodes, m.temps[:m.Model.cores], m.duty, m.ambient, m.limiter)
}
