package workshop

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"

	"zerokeel/core/channel"
	"zerokeel/core/compare"
	"zerokeel/core/cooling"
	"zerokeel/core/forecast"
	"zerokeel/core/heat"
	"zerokeel/core/invalid"
	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/trim"
	"zerokeel/store"
)

// CoolingAsk says for which trim a rig's cooling is looked at, and what is wished.
type CoolingAsk struct {
	Trim     int64                // 0 for the one in force, or the newest
	Ceilings map[LoadKind]float64 // °C at which each load may settle; what is missing is as usual
	Stands   bool                 // the fan may stand
}

// Cooling is how a rig is cooled, and how it could be.
type Cooling struct {
	Trim    *store.Trim
	Headers []Header
	Fan     part.Fan  // of the cooler, as forecasts take it to be
	Known   FanSource // by what
	Liquid  bool
	Board   cooling.Board
	Source  string // what the fan follows: trim.SourceCore or trim.SourceCoolant
	FullC   float64

	MaxResponseS, MaxSmoothingS float64 // that the board takes; 0 where it does not offer them

	Today    CurveView
	Proposed *CurveView
	None     string // why nothing is proposed
	Pumps    []PumpView
	Seen     []SeenView
	SeenAll  bool // what was seen under any trim, since too little was under this one
	Recorded *Recorded
}

// FanSource says by what a fan is known.
type FanSource string

const (
	FanBySheet FanSource = "sheet"
	FanBySweep FanSource = "sweep"
	FanByHand  FanSource = "entered"
)

// CurveView is a fan curve, with what comes of it.
type CurveView struct {
	heat.Control
	Pump    string
	Loads   []LoadCooled
	Mean    float64 // noise in dB(A) over the hours of the workshop's day
	Changes trim.Settings
	Scale   []ScaleMark
	Follows *cooling.Followed // the recorded temperature; nil where none is recorded
}

// LoadCooled is what comes of a curve under a load. What was measured under the trim stands beside what is forecast.
type LoadCooled struct {
	cooling.Rest
	RPM       float64
	NoiseHalf float64 // half the width of the 90 % interval
	CeilingC  float64
	Over      bool // its ceiling is not kept, the upper end of the interval included
	Measured  compare.Level
}

// PumpView is what the quietest curve comes to with a pump's mode.
type PumpView struct {
	Mode string
	Mean float64 // NaN where no curve keeps the ceilings
	Best bool
}

// ScaleMark is what a duty comes to.
type ScaleMark struct{ Duty, RPM, NoiseDB float64 }

// scaleStep is by how many percent the marks of the scale of duties lie apart.
const scaleStep = 20

// SeenView is for how long a temperature that the fan follows was seen under a load.
type SeenView struct {
	Load LoadKind
	cooling.Seen
}

// Recorded is the temperature that the fan follows, as a trial recorded it.
type Recorded struct {
	Trial   int64
	Number  int
	Samples channel.Samples // one, by its channel
	Channel string
}

// coolingOf gathers what a rig's cooling under a trim rests on.
type coolingOf struct {
	rig   *store.Rig
	trim  *store.Trim
	known *rigKnowledge
	hours map[load.Kind]float64
}

func (w *Workshop) coolingOf(ctx context.Context, rig, id int64) (*coolingOf, error) {
	r, k, err := w.rigKnown(ctx, rig)
	if err != nil {
		return nil, err
	}
	t, err := lookedAt(r, k.trims, id)
	if err != nil {
		return nil, err
	}
	own, err := w.store.Own(ctx)
	if err != nil {
		return nil, err
	}
	return &coolingOf{r, t, k, own.Hours.V}, nil
}

// asked returns what is asked of a rig with some settings, as it is kept from before or worked out.
func (w *Workshop) asked(c *coolingOf, settings trim.Settings) (*cooling.Asked, error) {
	key := forecastKey{version{c.rig.ID, c.rig.RecordsVersion}, settings.Fingerprint()}
	kept, ok := w.known.cooled.Get(key)
	if !ok {
		var err error
		if kept, err = cooling.AskedOf(c.known.fit, settings, c.rig.AmbientC); err != nil {
			return nil, err
		}
		w.known.cooled.Add(key, kept)
	}
	out := *kept
	out.Hours = c.hours
	return &out, nil
}

// Cooling tells how a rig is cooled under a trim, which curve would be quietest while each load settles at its ceiling or below, and how
// either follows what was recorded.
func (w *Workshop) Cooling(ctx context.Context, rig int64, ask CoolingAsk) (*Cooling, error) {
	if err := may(ctx, look, rig); err != nil {
		return nil, err
	}
	c, err := w.coolingOf(ctx, rig, ask.Trim)
	if err != nil {
		return nil, err
	}
	if f := checkCeilings(ask.Ceilings); len(f) > 0 {
		return nil, f
	}
	settings := c.trim.Settings.V
	now, err := w.asked(c, settings)
	if errors.Is(err, ErrSketch) {
		return nil, err
	} else if err != nil {
		return nil, conflict("the board of %s does not take the settings of %s any more, so nothing can be said of its cooling: %v", c.rig.Name,
			nameOf(c.trim), err)
	}
	tuning, err := machine.Tune(c.known.set, settings)
	if err != nil {
		return nil, err
	}
	out := &Cooling{Trim: c.trim, Fan: c.known.set.Cooler.Fan, Known: FanBySheet, Liquid: c.known.set.Cooler.Liquid(), Board: now.Board,
		Source: trim.SourceCore, FullC: now.FullC}
	if tuning.FanFromCoolant {
		out.Source = trim.SourceCoolant
	}
	if out.Headers, err = w.headers(ctx, c.rig); err != nil {
		return nil, err
	}
	for _, h := range out.Headers {
		if h.Role == store.FanOfCooler && h.Learnt != nil {
			out.Known = FanBySweep
			if h.Trial == 0 {
				out.Known = FanByHand
			}
		}
	}
	now.Ceiling, now.Stands = ceilings(now, tuning.Fan.Curve, ask.Ceilings), ask.Stands
	for key, most := range map[string]*float64{"fan.response": &out.MaxResponseS, "fan.smoothing": &out.MaxSmoothingS} {
		if e := c.known.set.Board.Entry(key); e != nil {
			*most = e.Max
		}
	}
	if out.Recorded, err = w.recorded(ctx, c, out.Source); err != nil {
		return nil, err
	}
	if out.Seen, out.SeenAll, err = w.seen(ctx, c, out.Source); err != nil {
		return nil, err
	}
	out.Today = c.view(now, tuning.Fan, tuning.Pump, out.Recorded)
	legs := c.known.legsUnder(c.trim.ID)
	for i := range out.Today.Loads {
		l := &out.Today.Loads[i]
		l.Measured = compare.LevelOf(l.Load, channel.Temperature, legs)
	}
	return out, w.propose(c, out, now, &tuning)
}

// checkCeilings lists what no ceiling can be.
func checkCeilings(ceilings map[LoadKind]float64) (f invalid.List) {
	for _, kind := range forecast.Loads {
		if c, wished := ceilings[kind]; wished && !(c >= 20 && c <= 115) {
			f.Add(string(kind), "give 20 to 115 °C", "%g °C is out of range", c)
		}
	}
	return f
}

// Usual ceilings, in °C below the one of full load, which itself lies so far below where the fan runs at full speed at the latest.
var usualBelow = map[load.Kind]float64{load.Heavy: 3, load.Mixed: 8, load.Light: 8, load.Idle: 35}

// ceilings returns those that were wished, and usual ones for the rest: none that even a fan at full speed could not keep, and none
// below where today's curve lets a load settle: what was good enough may go on being so.
func ceilings(a *cooling.Asked, today []heat.Point, wished map[LoadKind]float64) map[LoadKind]float64 {
	out := map[LoadKind]float64{}
	full := a.FullC
	if a.Tables[load.Heavy].At(100).HottestC > full-usualBelow[load.Heavy] {
		full = a.Tables[load.Heavy].At(100).HottestC + usualBelow[load.Heavy]
	}
	for _, r := range a.Under(today).Rests {
		out[r.Load] = math.Max(full-usualBelow[r.Load], r.HottestC+r.HalfC)
	}
	for _, kind := range forecast.Loads {
		least := a.Tables[kind].At(100)
		out[kind] = math.Ceil(math.Max(out[kind], least.HottestC+least.HalfC))
		if c, ok := wished[kind]; ok {
			out[kind] = c
		}
	}
	return out
}

// view tells what comes of a curve under what is asked.
func (c *coolingOf) view(a *cooling.Asked, control heat.Control, pump string, recorded *Recorded) CurveView {
	q := a.Under(control.Curve)
	out := CurveView{Control: control, Pump: pump, Mean: q.Mean}
	fan := c.known.set.Cooler.Fan
	for _, r := range q.Rests {
		l := LoadCooled{Rest: r, RPM: heat.Speed(fan, r.Duty)}
		low, high := control.Duty(r.ControlC-r.HalfC), control.Duty(r.ControlC+r.HalfC)
		l.NoiseHalf = (a.Noise(high) - a.Noise(low)) / 2
		l.CeilingC = a.Ceiling[r.Load]
		l.Over = r.HottestC+r.HalfC > l.CeilingC
		out.Loads = append(out.Loads, l)
	}
	for duty := 0.0; duty <= 100; duty += scaleStep {
		out.Scale = append(out.Scale, ScaleMark{duty, heat.Speed(fan, duty), a.Noise(duty)})
	}
	if recorded != nil {
		f := cooling.Follow(&control, recorded.Samples[recorded.Channel], a.Noise)
		out.Follows = &f
	}
	return out
}

// propose adds the quietest curve, with the pump's mode that lets it be the quietest.
func (w *Workshop) propose(c *coolingOf, out *Cooling, now *cooling.Asked, tuning *machine.Tuning) error {
	board := c.known.set.Board
	if board.Entry("fan.point.*.duty") == nil || board.Entry("fan.point.*.temperature") == nil {
		out.None = "the sheet of the board does not say how its fan curve is entered; add its fan points"
		return nil
	}
	var best *cooling.Quiet
	var bestOf *cooling.Asked
	mode := ""
	for _, m := range pumpModes(c.known.set, tuning.Pump) {
		a := now
		if m != tuning.Pump {
			var err error
			if a, err = w.asked(c, c.trim.Settings.V.With(trim.Settings{"pump.mode": part.Choice(m)})); err != nil {
				return err
			}
			a.Ceiling, a.Stands = now.Ceiling, now.Stands
		}
		q, err := cooling.Quietest(*a)
		var f invalid.List
		if errors.As(err, &f) {
			if m == tuning.Pump || out.None == "" {
				out.None = f.Error()
			}
			out.Pumps = append(out.Pumps, PumpView{Mode: m, Mean: math.NaN()})
			continue
		} else if err != nil {
			return err
		}
		out.Pumps = append(out.Pumps, PumpView{Mode: m, Mean: q.Mean})
		if best == nil || q.Mean < best.Mean-leastQuieter {
			best, bestOf, mode = q, a, m
		}
	}
	if len(out.Pumps) == 1 && tuning.Pump == out.Pumps[0].Mode && c.known.set.Cooler.Pump == nil {
		out.Pumps = nil
	}
	if best == nil {
		return nil
	}
	out.None = ""
	for i := range out.Pumps {
		out.Pumps[i].Best = out.Pumps[i].Mode == mode
	}
	control := tuning.Fan
	control.Curve = best.Curve
	changes := best.Settings()
	if out.Recorded != nil {
		control.ResponseS, control.SmoothingS = calmest(board, control, out.Recorded, bestOf.Noise)
	}
	for key, x := range map[string]float64{"fan.response": control.ResponseS, "fan.smoothing": control.SmoothingS} {
		if board.Entry(key) != nil {
			changes[key] = part.Number(x)
		}
	}
	if mode != tuning.Pump {
		changes["pump.mode"] = part.Choice(mode)
	}
	view := c.view(bestOf, control, mode, out.Recorded)
	view.Changes = trim.Settings{}
	for _, x := range trim.Diff(c.trim.Settings.V, c.trim.Settings.V.With(changes)) {
		view.Changes[x.Key] = x.To
	}
	out.Proposed = &view
	return nil
}

// leastQuieter is by how many dB(A) another mode of the pump must be quieter to be proposed in place of the one that is set.
const leastQuieter = 0.3

// pumpModes lists the constant modes of the pump that a board offers, the one that is set first; the one that is set where there is
// no pump.
func pumpModes(set *part.Set, now string) []string {
	out := []string{now}
	if set.Cooler.Pump == nil || set.Board.Entry("pump.mode") == nil {
		return out
	}
	if now == trim.PumpCurve {
		out = nil // a pump is best left at one speed
	}
	for _, m := range []string{trim.PumpFull, trim.PumpBalanced, trim.PumpQuiet} {
		if m != now {
			out = append(out, m)
		}
	}
	return out
}

// mostLagS bounds response and smoothing together, in seconds: a fan that follows later lets the processor reach its limit first.
const mostLagS = 20.0

// calmest finds the response delay and the smoothing, of those that the board takes, under which a fan is heard to change least often
// as it follows what was recorded, the quickest of these.
func calmest(b *part.Board, c heat.Control, r *Recorded, noise func(float64) float64) (responseS, smoothingS float64) {
	values := func(key string, now float64) []float64 {
		e := b.Entry(key)
		if e == nil {
			return []float64{now}
		}
		var out []float64
		for _, x := range []float64{0, 2, 4, 6, 10, 15} {
			if v := e.Nearest(x); !slices.Contains(out, v) {
				out = append(out, v)
			}
		}
		return out
	}
	responseS, smoothingS = c.ResponseS, c.SmoothingS
	fewest, least := math.MaxInt, math.Inf(1)
	for _, response := range values("fan.response", c.ResponseS) {
		for _, smoothing := range values("fan.smoothing", c.SmoothingS) {
			if lag := response + smoothing; lag <= mostLagS {
				c.ResponseS, c.SmoothingS = response, smoothing
				f := cooling.Follow(&c, r.Samples[r.Channel], noise)
				if f.Changes < fewest || f.Changes == fewest && lag < least {
					fewest, least, responseS, smoothingS = f.Changes, lag, response, smoothing
				}
			}
		}
	}
	return responseS, smoothingS
}

// Drawn is a fan curve as a person draws it, with what else is set beside it; nil leaves a thing as the trim has it.
type Drawn struct {
	Curve                 []heat.Point
	ResponseS, SmoothingS *float64
	Pump                  *string
}

// DrawCurve tells what would come of a curve on a rig, under a trim in everything else.
func (w *Workshop) DrawCurve(ctx context.Context, rig int64, ask CoolingAsk, d Drawn) (*CurveView, error) {
	if err := may(ctx, look, rig); err != nil {
		return nil, err
	}
	c, err := w.coolingOf(ctx, rig, ask.Trim)
	if err != nil {
		return nil, err
	}
	f := checkCeilings(ask.Ceilings)
	changes := trim.Settings{}
	if n := c.known.set.Board.Fan.Points; len(d.Curve) != n {
		f.Add("curve", fmt.Sprintf("give %d", n), "%d points for a board that has %d", len(d.Curve), n)
	}
	for i, p := range d.Curve {
		if i > 0 && (p.C <= d.Curve[i-1].C || p.Duty < d.Curve[i-1].Duty) {
			f.Add(fmt.Sprintf("curve[%d]", i), "let temperatures rise from point to point, and duties not fall",
				"%g %% at %g °C follows %g %% at %g °C", p.Duty, p.C, d.Curve[i-1].Duty, d.Curve[i-1].C)
		}
	}
	q := cooling.Quiet{Curve: d.Curve}
	for key, v := range q.Settings() {
		changes[key] = v
	}
	for key, x := range map[string]*float64{"fan.response": d.ResponseS, "fan.smoothing": d.SmoothingS} {
		if x != nil {
			changes[key] = part.Number(*x)
		}
	}
	if d.Pump != nil {
		changes["pump.mode"] = part.Choice(*d.Pump)
	}
	if len(f) > 0 {
		return nil, f
	}
	settings := c.trim.Settings.V.With(changes)
	tuning, err := machine.Tune(c.known.set, settings)
	if err != nil {
		return nil, err
	}
	under := c.trim.Settings.V
	if d.Pump != nil {
		under = under.With(trim.Settings{"pump.mode": part.Choice(*d.Pump)})
	}
	a, err := w.asked(c, under)
	if err != nil {
		return nil, err
	}
	now, err := machine.Tune(c.known.set, c.trim.Settings.V)
	if err != nil {
		return nil, err
	}
	a.Ceiling, a.Stands = ceilings(a, now.Fan.Curve, ask.Ceilings), ask.Stands
	source := trim.SourceCore
	if tuning.FanFromCoolant {
		source = trim.SourceCoolant
	}
	recorded, err := w.recorded(ctx, c, source)
	if err != nil {
		return nil, err
	}
	view := c.view(a, tuning.Fan, tuning.Pump, recorded)
	view.Changes = trim.Settings{}
	for _, x := range trim.Diff(c.trim.Settings.V, settings) {
		view.Changes[x.Key] = x.To
	}
	return &view, nil
}
