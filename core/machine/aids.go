package machine

import (
	"fmt"
	"math"
	"slices"

	"zerokeel/core/clock"
	"zerokeel/core/govern"
	"zerokeel/core/load"
	"zerokeel/core/part"
	"zerokeel/core/silicon"
	"zerokeel/core/trim"
)

// LineLevel is one load-line level under a heavy load: what is asked for, what the die gets, and how far it dips when
// the load attacks and overshoots when it ends.
type LineLevel struct {
	Level      int     `json:"level"`
	MilliOhm   float64 `json:"mOhm"`
	RequestV   float64 `json:"requestV"`
	SteadyV    float64 `json:"steadyV"`
	DipV       float64 `json:"dipV"`
	OvershootV float64 `json:"overshootV"`
	Best       bool    `json:"best"` // the highest dip among those whose overshoot the part stands
	Now        bool    `json:"now"`
}

// LoadLines compares every load-line level of the board for a trim, on a typical chip, at the clock and temperature
// that the trim's own level settles at under heavy load: only the line differs. The best level has the highest dip
// of those whose overshoot stays below the part's transient ceiling (of all, where none does). Levels at which the machine could
// not run are left out.
func LoadLines(set *part.Set, settings trim.Settings) ([]LineLevel, error) {
	tuning, err := Tune(set, settings)
	if err != nil {
		return nil, err
	}
	m, err := NewModel(set, tuning, silicon.Typical(set.Processor))
	if err != nil {
		return nil, err
	}
	const roomC = 24
	d, at, _, err := m.solve(load.Heavy, nil, roomC)
	if err != nil {
		return nil, err
	}
	out := make([]LineLevel, 0, len(set.Board.LoadLine))
	best, bestV, allowed := -1, math.Inf(-1), false
	for _, line := range set.Board.LoadLine {
		other := *m
		other.tuning.LoadLine = line
		other.tuning.LoadLine.StepMOhm *= tuning.Regulator.Step
		other.lineOhms, other.liftOhms = other.line(line)
		op := other.at(&d, at.op.bin, &at.leaks, m.every)
		if math.IsInf(op.packageW, 0) {
			continue // at this level the machine could not run the load
		}
		s := other.state(&d, &op, &at.leaks, at.nodes, at.temperature[:], at.duty, roomC, govern.None)
		out = append(out, LineLevel{Level: line.Level, MilliOhm: line.MilliOhm, RequestV: s.RequestV, SteadyV: s.DeliveredV, DipV: s.DipV,
			OvershootV: s.OvershootV, Now: line.Level == tuning.LoadLine.Level})
		keeps := s.OvershootV <= set.Processor.TransientMaxV
		if (keeps && !allowed) || (keeps == allowed && s.DipV > bestV) {
			best, bestV, allowed = len(out)-1, s.DipV, keeps
		}
	}
	if best >= 0 {
		out[best].Best = true
	}
	slices.SortFunc(out, func(a, b LineLevel) int { return a.Level - b.Level })
	return out, nil
}

// Window is how a load runs from idle under limits of the window style.
type Window struct {
	Load    load.Kind     `json:"load"`
	Seconds *float64      `json:"seconds"` // that power above PL1 lasts; nil when it always does
	ShortW  float64       `json:"shortW"`  // mean power in that time
	LaterW  float64       `json:"laterW"`  // once the window is used up
	Points  []WindowPoint `json:"points"`
}

// WindowPoint is a moment of the curve.
type WindowPoint struct {
	AtS      float64 `json:"atS"`
	PowerW   float64 `json:"powerW"`
	AverageW float64 `json:"averageW"`
	MHz      float64 `json:"mhz"`
}

// drawnS is for how long a load is run at most, in s: longer, its power no longer changes by itself.
const drawnS = 2000.0

// BoostWindow runs a load from idle through the trim's time window, and tells how long power above PL1 lasts. The
// model's limits must be of the window style. What a window longer than drawnS comes to is worked out from the power until then.
func (m *Model) BoostWindow(kind load.Kind, ambientC float64) (Window, error) {
	l := m.tuning.Limits
	if !l.Windowed() {
		return Window{}, fmt.Errorf("%s has no time window: its limits are of the ceiling style", m.set.Processor.Name)
	}
	const dt, points = 0.05, 120
	idle, err := m.Steady(load.Idle, nil, ambientC)
	if err != nil {
		return Window{}, err
	}
	w := Window{Load: kind}
	live := New(m, ambientC)
	live.SetLoad(kind, nil, 0)
	span := math.Min(2.2*l.WindowS, drawnS)
	every := span / points
	sum, steps, last := 0.0, 0.0, 0.0
	for next := 0.0; live.time < span; {
		live.Step(dt)
		if !live.window.Spent && w.Seconds == nil {
			sum, steps = sum+live.op.reportedW, steps+1
		}
		if live.window.Spent && w.Seconds == nil && live.op.reportedW > 0 {
			// The closed form with the mean power: free of the step's own length.
			mean := sum / max(1, steps)
			s := l.BoostWindow(idle.ReportedW, mean)
			if math.IsInf(s, 1) {
				s = live.time
			}
			w.Seconds, w.ShortW = &s, mean
		}
		if live.time >= next {
			next += every
			w.Points = append(w.Points, WindowPoint{live.time, live.op.reportedW, live.window.Average.Value, live.State().MeanMHz})
		}
		last = live.op.reportedW
	}
	w.LaterW = last
	if w.Seconds != nil {
		return w, nil
	}
	w.ShortW = sum / max(1, steps)
	if s := l.BoostWindow(idle.ReportedW, w.ShortW); span == drawnS && !math.IsInf(s, 1) {
		later, err := m.Steady(kind, nil, ambientC)
		if err != nil {
			return Window{}, err
		}
		w.Seconds, w.LaterW = &s, later.ReportedW
	}
	return w, nil
}

// CurvePoint is what one core asks for at a clock: along its fused curve, and under the trim, cold and hot.
type CurvePoint struct {
	MHz    float64 `json:"mhz"`
	FusedV float64 `json:"fusedV"`
	ColdV  float64 `json:"coldV"`
	HotV   float64 `json:"hotV"`
}

// Curve returns the voltage curve of a core at about n clocks, up to the highest that it may run at.
func (m *Model) Curve(core, n int) []CurvePoint {
	top := m.bins.AtMost(m.tuning.Clocks.Top(m.set.Processor, core, clock.Alone, false))
	step := max(1, top/max(1, n-1))
	var out []CurvePoint
	for bin := 0; ; bin = min(bin+step, top) {
		out = append(out, CurvePoint{m.bins.MHz(bin), m.fused[core][bin], m.cold[core][bin], m.hot[core][bin]})
		if bin == top {
			return out
		}
	}
}
