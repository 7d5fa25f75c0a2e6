package workshop

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"time"

	"zerokeel/core/forecast"
	"zerokeel/core/invalid"
	"zerokeel/core/load"
	"zerokeel/core/part"
	"zerokeel/core/sounding"
	"zerokeel/core/survey"
	"zerokeel/core/trim"
	"zerokeel/core/tuning"
	"zerokeel/store"
)

// Goals lists what a tuning can be for.
func Goals() []Goal { return tuning.Goals() }

// PilotWaits reports whether a pilot waits for the hours of the day in which it may begin something.
func (w *Workshop) PilotWaits(p *store.Pilot) bool {
	at := &p.Progress.V
	return p.State == store.PilotFlying && at.Now == nil && !at.Back && !p.Plan.V.Hours.Hold(time.Now().Hour())
}

// Tuning is a whole tuning, drawn before it begins.
type Tuning struct {
	Steps                     []TuningStep
	Minutes, Restarts, Clears float64 // that are expected
	Proof                     string
	Faults                    invalid.List // for which it cannot begin
}

// TuningStep is one of its steps.
type TuningStep struct {
	tuning.Step
	Changes  []trim.Contrast
	Expected DepthForecast // after it, as long as no survey has changed the depths
}

// DrawTuning draws a whole tuning up, as StartPilot would carry it out.
func (w *Workshop) DrawTuning(ctx context.Context, rig int64, in PilotPlan) (*Tuning, error) {
	if err := may(ctx, look, rig); err != nil {
		return nil, err
	}
	if in.Goal == "" {
		return nil, noGoal(in.Goal).Err()
	}
	d, err := w.draft(ctx, rig, &in)
	if err != nil {
		return nil, err
	}
	if d.drawn == nil {
		return nil, d.faults.Err()
	}
	out := &Tuning{Minutes: d.drawn.Minutes, Restarts: d.drawn.Restarts, Clears: d.drawn.Clears, Proof: d.plan.Proof, Faults: d.faults}
	unknown := DepthForecast{"", math.NaN(), math.NaN(), math.NaN()}
	at, surveyed := trim.Stock(d.set.Processor, d.set.Board).With(d.ask.Before), false
	for _, s := range d.drawn.Steps {
		next := at.With(s.Settings)
		of := func(settings trim.Settings) trim.Configured {
			return trim.Configured{Set: d.set, Settings: settings, Volts: math.NaN()}
		}
		one := TuningStep{Step: s, Changes: trim.Contrasts(of(at), of(next)), Expected: unknown}
		surveyed = surveyed || s.Kind.Surveys() && s.Skip == ""
		if s.Skip == "" && !surveyed {
			one.Expected = w.depthForecast(d.rig, d.known, "", next)
		}
		at, out.Steps = next, append(out.Steps, one)
	}
	return out, nil
}

func noGoal(goal tuning.Goal) (f invalid.List) {
	f.Add("goal", fmt.Sprintf("choose one of %q", tuning.Goals()), "%.40q is no goal", goal)
	return f
}

// draft is a plan as it would be stored, with what it rests on.
type draft struct {
	rig    *store.Rig
	set    *part.Set
	known  *rigKnowledge
	trim   *store.Trim
	none   error // why there is nothing to survey: a *sounding.None
	plan   store.PilotPlan
	ask    *tuning.Ask
	drawn  *tuning.Plan // of a whole tuning
	faults invalid.List // for which it cannot begin
}

// deepestLift is by how much a tuning may raise the voltage of a core that does not hold as it stands.
const deepestLift = 0.06

// draft draws a survey or a tuning up.
func (w *Workshop) draft(ctx context.Context, rig int64, in *PilotPlan) (*draft, error) {
	r, k, err := w.rigKnown(ctx, rig)
	if err != nil {
		return nil, err
	}
	d := &draft{rig: r, set: k.set, known: k}
	if d.trim, err = w.trimOf(ctx, rig, in.Trim); err != nil {
		return nil, err
	}
	settings := d.trim.Settings.V
	if in.Goal == tuning.Overclock {
		settings = settings.With(trim.Settings{"voltage.core.mode": part.Choice(trim.Fixed)})
	}
	a, err := sounding.AxisFor(in.What, k.set, settings)
	if none := (*sounding.None)(nil); errors.As(err, &none) {
		d.none, a = none, nil
	} else if err != nil {
		return nil, err
	}
	costs, err := w.CostsOf(ctx, rig)
	if err != nil {
		return nil, err
	}
	d.faults = in.validate(a, k.set.Processor, costs.RestartMin)
	if len(d.faults) > 0 || d.none != nil && in.Goal == "" {
		return d, nil
	}
	d.plan = store.PilotPlan{Goal: in.Goal, What: in.What, ByStep: in.ByStep, Risk24h: in.Risk24h, Minutes: in.Minutes,
		MostClears: in.MostClears,
		MostC:      in.MostC, MostW: in.MostW, MostV: in.MostV, Hours: in.Hours, Steps: []tuning.Kind{tuning.Depths, tuning.Proof}}
	if a != nil {
		d.plan.Deepest, d.plan.Shallowest = a.Min, a.Shallowest()
		if in.Deepest != nil {
			d.plan.Deepest = *in.Deepest
		}
		if in.Goal == tuning.Steady {
			d.plan.Shallowest = raised(a)
		}
	}
	cores := k.set.Processor.Cores()
	if a != nil {
		cores = len(a.Work(everyCore(len(a.Cores))))
	}
	if d.plan.ProofMin, err = w.proofOfSurvey(ctx, in, cores); err != nil {
		if f := (invalid.List)(nil); errors.As(err, &f) {
			d.faults = f
			return d, nil
		}
		return nil, err
	}
	d.plan.Proof, d.plan.AfterMin = in.Proof, d.plan.ProofMin
	if in.Goal != "" {
		w.drawn(d, in, costs)
	}
	return d, nil
}

// raised is the shallowest that a survey goes to make a machine steady.
func raised(a *sounding.Axis) int { return min(a.Max, int(math.Ceil(deepestLift/a.StepV))) }

// drawn adds the steps of a whole tuning to a draft.
func (w *Workshop) drawn(d *draft, in *PilotPlan, costs survey.Costs) {
	d.ask = d.askOf(&d.plan)
	d.ask.Leave = in.Leave
	if d.none != nil {
		d.ask.NoDepths = d.none.Error()
	}
	d.drawn = tuning.Draw(w.machineOf(d.rig, d.known), d.ask, costs)
	if field, problem, remedy := d.drawn.Impossible(d.ask); field != "" {
		d.faults.Add(field, remedy, "%s", problem)
	}
	d.plan.Steps, d.plan.AfterMin = nil, 0
	after := d.drawn.Minutes
	for i := range d.drawn.Steps {
		s := &d.drawn.Steps[i]
		after -= s.Minutes
		if !slices.Contains(in.Leave, s.Kind) && (s.Kind != tuning.Depths || d.none == nil) {
			d.plan.Steps, d.plan.After = append(d.plan.Steps, s.Kind), append(d.plan.After, math.Max(0, after))
		}
		if s.Kind == tuning.Depths {
			d.plan.AfterMin = math.Max(0, after)
		}
	}
	d.excluded(in, w.keptForecast(d.rig, d.known, d.trim.Settings.V))
}

// excluded adds the bounds that the machine passes as it stands.
func (d *draft) excluded(in *PilotPlan, now *forecast.Result) {
	if now == nil {
		return
	}
	const remedy = "allow it, or begin with a trim that stays below"
	if heavy, ok := now.Load(load.Heavy); ok {
		if in.MostW > 0 && heavy.PackageW > in.MostW {
			d.faults.Add("watts", remedy, "%s is expected to draw %.0f W under heavy load", nameOf(d.trim), heavy.PackageW)
		}
		if in.MostC > 0 && heavy.HottestC > in.MostC {
			d.faults.Add("abortC", remedy, "%s is expected to come to %.0f °C under heavy load", nameOf(d.trim), heavy.HottestC)
		}
	}
	for _, s := range now.Loads {
		if in.MostV > 0 && s.VoltageMaxV > in.MostV {
			d.faults.Add("volts", remedy, "%s is expected to come to %.3f V under %s load", nameOf(d.trim), s.VoltageMaxV, s.Load)
			break
		}
	}
}

func (d *draft) askOf(p *store.PilotPlan) *tuning.Ask {
	return &tuning.Ask{Goal: p.Goal, Before: d.trim.Settings.V, Minutes: p.Minutes, ProofMin: p.ProofMin, MostClears: p.MostClears,
		MostW: p.MostW, MostC: p.MostC, MostV: p.MostV}
}

func (w *Workshop) machineOf(r *store.Rig, k *rigKnowledge) *tuning.Machine {
	return &tuning.Machine{Set: k.set, Forecast: func(s trim.Settings) *forecast.Result { return w.keptForecast(r, k, s) }}
}

// NextChange works out what a pilot's step of a kind changes, from where the pilot has come to.
func (w *Workshop) NextChange(ctx context.Context, p *store.Pilot, kind tuning.Kind) (change tuning.Change, err error) {
	err = w.tuned(ctx, p, func(m *tuning.Machine, from trim.Settings, ask *tuning.Ask) {
		change = m.Change(kind, from, ask)
	})
	return change, err
}

// NextClock works out which clock an overclock goes on at, once a survey found by how many volts less than as delivered the one that it
// is at holds; or, where it found none that is allowed, a lower one.
func (w *Workshop) NextClock(ctx context.Context, p *store.Pilot, next *NextSounding) (change tuning.Change, err error) {
	err = w.tuned(ctx, p, func(m *tuning.Machine, from trim.Settings, ask *tuning.Ask) {
		if next.Short != "" {
			change = m.Slower(from)
		} else {
			change = m.Overclock(from, ask, next.LessV)
		}
	})
	return change, err
}

// tuned calls back with the machine of a pilot, where the pilot has come to, and what it was asked for.
func (w *Workshop) tuned(ctx context.Context, p *store.Pilot, then func(m *tuning.Machine, from trim.Settings, ask *tuning.Ask)) error {
	if err := may(ctx, look, p.RigID); err != nil {
		return err
	}
	r, k, err := w.rigKnown(ctx, p.RigID)
	if err != nil {
		return err
	}
	d := &draft{}
	if d.trim, err = w.trimOf(ctx, p.RigID, p.Base); err != nil {
		return err
	}
	from, err := w.trimOf(ctx, p.RigID, p.Progress.V.From)
	if err != nil {
		return err
	}
	then(w.machineOf(r, k), from.Settings.V, d.askOf(&p.Plan.V))
	return nil
}

// CompareFor begins the session that compares what a pilot found with what it began with, or finds the one that it began before.
func (w *Workshop) CompareFor(ctx context.Context, p *store.Pilot) (int64, error) {
	other := p.Progress.V.From
	open, err := w.store.OpenSessions(ctx)
	if err != nil {
		return 0, err
	}
	for i := range open {
		if x := &open[i]; x.RigID == p.RigID && x.Base == p.Base && x.Other == other {
			return x.ID, nil
		}
	}
	x, err := w.StartSession(ctx, p.RigID, SessionPlan{Base: p.Base, Other: other, Yardsticks: tuning.Compared, Runs: tuning.ComparedRuns})
	if err != nil {
		return 0, err
	}
	return x.ID, nil
}
