package server

import (
	"context"
	"math"
	"net/http"

	"github.com/labstack/echo/v5"

	"zerokeel/server/api"
	"zerokeel/workshop"
)

// ListPilots answers with a rig's newest pilots.
func (s *Server) ListPilots(c *echo.Context, id int64) error {
	list, err := s.shop.Pilots(c.Request().Context(), id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, each(list, s.apiPilot))
}

// usualClears is how many starts may fail in a survey unless somebody says otherwise.
const usualClears = 5

// StartPilot begins a survey or a whole tuning.
func (s *Server) StartPilot(c *echo.Context, id int64) error {
	in, err := body[api.StartPilotRequest](c)
	if err != nil {
		return err
	}
	plan := workshop.PilotPlan{Goal: workshop.Goal(given(in.Goal, "")), What: what(in.What), Leave: leave(in.Leave), ByStep: given(in.ByStep, false), Trim: in.Trim,
		Risk24h: given(in.Risk, workshop.UsualRisk), Minutes: in.Minutes, Deepest: in.Deepest, MostClears: given(in.Clears, usualClears),
		MostC: given(in.AbortC, 0), MostW: given(in.Watts, 0), MostV: given(in.Volts, 0), Proof: given(in.Proof, "")}
	if in.Hours != nil {
		plan.Hours = &workshop.Hours{From: in.Hours.From, To: in.Hours.To}
	}
	p, err := s.shop.StartPilot(c.Request().Context(), id, plan)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, s.apiPilot(p))
}

// given returns what an optional field holds, or else a usual value.
func given[T any](field *T, usual T) T {
	if field == nil {
		return usual
	}
	return *field
}

func leave(kinds *[]string) (out []workshop.StepKind) {
	for _, k := range given(kinds, nil) {
		out = append(out, workshop.StepKind(k))
	}
	return out
}

// ListGoals answers with what a tuning can be for.
func (s *Server) ListGoals(c *echo.Context) error {
	return c.JSON(http.StatusOK, each(workshop.Goals(), func(g *workshop.Goal) api.Goal {
		return api.Goal{Goal: string(*g), Wants: g.Wants()}
	}))
}

// DrawTuning answers with a tuning as it would be carried out.
func (s *Server) DrawTuning(c *echo.Context, id int64, in api.DrawTuningParams) error {
	t, err := s.shop.DrawTuning(c.Request().Context(), id, workshop.PilotPlan{Goal: workshop.Goal(in.Goal), Leave: leave(in.Leave),
		Trim: in.Trim, Risk24h: given(in.Risk, workshop.UsualRisk), Minutes: in.Minutes, MostClears: given(in.Clears, usualClears),
		MostC: given(in.AbortC, 0), MostW: given(in.Watts, 0), MostV: given(in.Volts, 0)})
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, api.Tuning{Minutes: t.Minutes, Restarts: t.Restarts, Clears: t.Clears, Proof: t.Proof,
		Faults: nonNil(t.Faults), Steps: each(t.Steps, apiTuningStep)})
}

func apiTuningStep(s *workshop.TuningStep) api.TuningStep {
	return api.TuningStep{Kind: string(s.Kind), Why: s.Why, Skip: s.Skip, Changes: each(s.Changes, apiContrast), Minutes: s.Minutes,
		Restarts: s.Restarts, Clears: s.Clears, Wrong: s.Wrong, Watts: finite(s.Expected.Watts), Degrees: finite(s.Expected.Degrees),
		Score: finite(s.Expected.Score)}
}

// PausePilot asks a pilot to pause.
func (s *Server) PausePilot(c *echo.Context, id int64) error {
	return s.pilot(c, id, s.shop.PausePilot)
}

// ResumePilot lets a pilot go on.
func (s *Server) ResumePilot(c *echo.Context, id int64) error {
	return s.pilot(c, id, s.shop.ResumePilot)
}

// EndPilot asks a pilot to end.
func (s *Server) EndPilot(c *echo.Context, id int64) error { return s.pilot(c, id, s.shop.EndPilot) }

func (s *Server) pilot(c *echo.Context, id int64, do func(context.Context, int64) (*workshop.Flight, error)) error {
	p, err := do(c.Request().Context(), id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, s.apiPilot(p))
}

func (s *Server) apiPilot(p *workshop.Flight) api.Pilot {
	plan, at := &p.Plan.V, &p.Progress.V
	out := api.Pilot{Id: p.ID, Trim: p.Base, What: apiWhat(p.What()), State: api.PilotState(p.State),
		PauseAsked: p.PauseAsked, EndAsked: p.EndAsked,
		Phase: api.PilotPhase(p.Phase()), Step: at.Step, From: at.From, Waits: s.shop.PilotWaits(p), WaitsFor: at.WaitsFor, SpentMin: at.SpentMin,
		LeftMin: math.Max(0, plan.Minutes-at.SpentMin), Orders: at.Orders,
		HourBuys: at.Hour, Clears: at.Clears, Fittings: at.Fitted, Crashes: at.Crashes, Found: id(at.Found), Problem: p.Problem,
		CreatedAt: p.CreatedAt, Done: each(at.Done, func(d *workshop.Carried) api.StepDone {
			return api.StepDone{Kind: string(d.Kind), Trim: id(d.Trim), Trial: id(d.Trial), Skipped: d.Skipped, Kept: d.Kept, Words: d.Words}
		}),
		Plan: api.PilotPlan{What: apiWhat(plan.What), Steps: []string{}, ByStep: plan.ByStep, Risk: plan.Risk24h,
			Minutes: plan.Minutes, Deepest: plan.Deepest,
			Clears: plan.MostClears, AbortC: some(plan.MostC), Watts: some(plan.MostW), Volts: some(plan.MostV), Proof: plan.Proof,
			ProofMin: plan.ProofMin}}
	for _, kind := range plan.Steps {
		out.Plan.Steps = append(out.Plan.Steps, string(kind))
	}
	if plan.Goal != "" {
		goal := string(plan.Goal)
		out.Plan.Goal = &goal
	}
	if h := plan.Hours; h != nil {
		out.Plan.Hours = &api.Hours{From: h.From, To: h.To}
	}
	if p.EndedAt.Valid {
		out.EndedAt = &p.EndedAt.Time
	}
	if o := at.Now; o != nil {
		now := api.PilotOrder{Why: o.Why, Minutes: o.Minutes, Fails: o.Fails, Depths: nonNil(o.Offsets), Legs: []api.PilotLeg{},
			Trim: id(o.Trim), Doing: api.PilotOrderDoing(o.Doing())}
		for _, l := range o.Legs {
			now.Legs = append(now.Legs, api.PilotLeg{Load: string(l.Load), Cores: nonNil(l.Cores), Minutes: l.Minutes})
		}
		out.Now = &now
	}
	return out
}
