package workshop

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"sort"

	"zerokeel/core/load"
	"zerokeel/core/sounding"
	"zerokeel/core/survey"
	"zerokeel/core/trim"
	"zerokeel/core/tuning"
	"zerokeel/store"
)

// NextSounding is what a survey does next.
type NextSounding struct {
	Order *store.PilotOrder // nil when time is up, or more would buy too little
	Found []int             // depths that are recommended
	Short string            // why these do not keep to the risk that is allowed; empty where they do
	LessV float64           // by how much less than as delivered they are, on average
	Come  survey.Progress
}

// hopeless is the chance of more risk than is allowed from which a survey gives up. Where less is known of a chip, what was found is
// proven, and its risk told beside it.
const hopeless = 0.9

// NextOrder plans what a pilot's survey does next from all that the rig's records tell.
func (w *Workshop) NextOrder(ctx context.Context, p *store.Pilot) (*NextSounding, error) {
	if err := may(ctx, look, p.RigID); err != nil {
		return nil, err
	}
	r, k, err := w.rigKnown(ctx, p.RigID)
	if err != nil {
		return nil, err
	}
	base, err := w.trimOf(ctx, p.RigID, p.Progress.V.Depths)
	if err != nil {
		return nil, err
	}
	x, err := w.surveyFor(ctx, r, k, p.What(), base.Settings.V, true)
	if none := (*sounding.None)(nil); errors.As(err, &none) {
		return nil, conflict("there is nothing to survey any more: %s", none.Why)
	} else if err != nil {
		return nil, err
	}
	plan := p.Plan.V
	setup := x.setup
	setup.Risk24h, setup.BudgetMin, setup.Seed = plan.Risk24h, plan.Minutes-p.AfterMin(), uint64(p.ID)
	switch {
	case p.What() == plan.What:
		setup.MinSteps, setup.MaxSteps = max(plan.Deepest, x.axis.Min), min(plan.Shallowest, x.axis.Max)
	case plan.Goal == tuning.Steady:
		setup.MaxSteps = raised(x.axis)
	}
	if x.axis.Fixed() {
		if setup.MaxSteps, err = w.highestAllowed(r, k, x.axis, base.Settings.V, &plan, setup.MaxSteps); err != nil {
			return nil, err
		}
	}
	if plan.Goal == tuning.Overclock && p.Progress.V.Clocks == 0 { // what it finds may call for another clock
		setup.BudgetMin = firstClock*setup.BudgetMin + (1-firstClock)*p.Progress.V.BeforeMin
	}
	if setup.Costs, err = w.CostsOf(ctx, p.RigID); err != nil {
		return nil, err
	}
	clears := max(0, plan.MostClears-p.Progress.V.Clears)
	setup.ClearsLeft = &clears
	s, err := survey.New(setup)
	if err != nil {
		return nil, err
	}
	if err := s.Learn(x.told.Trials, x.told.Uses); err != nil {
		return nil, err
	}
	s.Resume(p.Progress.V.Progress)
	next := &NextSounding{Found: s.Recommend(plan.Risk24h)}
	for _, depth := range next.Found {
		next.LessV -= float64(depth) * x.axis.StepV / float64(len(next.Found))
	}
	o, more := s.Next()
	if next.Come = s.Progress(); !more {
		if s.Breaks(next.Found, plan.Risk24h) > hopeless {
			next.Short = x.short(s.Assess(next.Found), next.Found)
		}
		return next, nil
	}
	out := &store.PilotOrder{Order: survey.Order{Offsets: o.Offsets}, Why: s.Why(), Minutes: s.Minutes(), Fails: s.Fails(&o)}
	for _, l := range o.Legs {
		out.Legs = append(out.Legs, survey.Leg{Load: l.Load, Cores: x.axis.Work(l.Cores), Minutes: l.Minutes})
	}
	next.Order = out
	return next, nil
}

// firstClock is the share of an overclock's time in which the first clock is surveyed.
const firstClock = 0.6

// highestAllowed finds the highest fixed voltage, in steps of its axis up to most, that stays within what a plan allows by forecast.
func (w *Workshop) highestAllowed(r *store.Rig, k *rigKnowledge, a *sounding.Axis, rest trim.Settings, plan *store.PilotPlan,
	most int) (int, error) {
	m := w.machineOf(r, k)
	over := sort.Search(most-a.Min+1, func(i int) bool {
		s := rest.With(a.Changes(slices.Repeat([]int{a.Min + i}, len(a.Cores))))
		f := m.Forecast(s)
		if f == nil {
			return true
		}
		heavy, ok := f.Load(load.Heavy)
		return ok && plan.MostW > 0 && heavy.PackageW > plan.MostW || !m.HoldsVolts(s, f, plan.MostV)
	})
	if over <= 1 {
		return 0, conflict("no %s stays within the volts and watts that are allowed", a.Name)
	}
	return a.Min + over - 1, nil
}

// short says which core keeps depths from being safe enough.
func (x *surveyed) short(at survey.Assessment, depths []int) string {
	worst := 0
	for i := range at.Cores {
		if at.Cores[i].Risk24h > at.Cores[worst].Risk24h {
			worst = i
		}
	}
	if x.axis.Thing() != "" {
		return fmt.Sprintf("the slowest that is allowed, %s, %s", x.axis.Say(depths[0]), survey.FailsInWords(at.Risk24h))
	}
	return fmt.Sprintf("the shallowest that is allowed %s, most of all core %d at %s", survey.FailsInWords(at.Risk24h), x.axis.Cores[worst],
		x.axis.Say(depths[worst]))
}
