package server

import (
	"net/http"
	"time"

	"github.com/labstack/echo/v5"

	"zerokeel/server/api"
	"zerokeel/workshop"
)

// ListTrials answers with a rig's trials.
func (s *Server) ListTrials(c *echo.Context, id int64, params api.ListTrialsParams) error {
	list, err := s.shop.Trials(c.Request().Context(), id, deref(params.Before))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, each(list, apiTrial))
}

// GetTrial answers with one trial.
func (s *Server) GetTrial(c *echo.Context, id int64) error {
	t, err := s.shop.Trial(c.Request().Context(), id)
	return answerTrial(c, http.StatusOK, t, err)
}

// StartTrial begins a trial under the trim in force.
func (s *Server) StartTrial(c *echo.Context, id int64) error {
	in, err := body[api.StartTrialRequest](c)
	if err != nil {
		return err
	}
	plan := workshop.Plan{Name: deref(in.Name), Purpose: string(deref(in.Purpose)), Ladder: deref(in.Ladder), GoOn: in.GoOn, Repeat: in.Repeat,
		RestoreAfter: deref(in.RestoreAfter)}
	if in.Legs != nil {
		plan.Legs = each(in.Legs, legPlan)
	}
	t, err := s.shop.StartTrial(c.Request().Context(), id, plan)
	return answerTrial(c, http.StatusCreated, t, err)
}

// StopTrial stops a trial.
func (s *Server) StopTrial(c *echo.Context, id int64) error {
	t, err := s.shop.StopTrial(c.Request().Context(), id)
	return answerTrial(c, http.StatusOK, t, err)
}

// GiveUpTrial ends a trial that cannot be stopped.
func (s *Server) GiveUpTrial(c *echo.Context, id int64) error {
	t, err := s.shop.GiveUpTrial(c.Request().Context(), id)
	return answerTrial(c, http.StatusOK, t, err)
}

// MarkTrial pins a remark to this moment.
func (s *Server) MarkTrial(c *echo.Context, id int64) error {
	in, err := body[api.MarkTrialJSONBody](c)
	if err != nil {
		return err
	}
	e, atS, err := s.shop.MarkTrial(c.Request().Context(), id, in.Text)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, apiEvent(e, atS))
}

func answerTrial(c *echo.Context, status int, t *workshop.Trial, err error) error {
	if err != nil {
		return err
	}
	return c.JSON(status, apiTrial(t))
}

func apiTrial(t *workshop.Trial) api.Trial {
	out := api.Trial{
		Id: t.ID, Rig: t.RigID, Trim: t.TrimID, Number: t.Number, Name: t.Name, Purpose: api.TrialPurpose(t.Purpose), State: string(t.State),
		Ended: t.Over(), Core: -1, Legs: []api.Leg{}, Events: []api.Event{}, LengthS: t.LengthS(), DoneS: t.DoneS(), RemainingS: t.RemainingS(),
	}
	if r := t.Result; r.Valid {
		out.Verdict, out.Core, out.AtS, out.Why, out.Injected = string(r.V.Verdict), r.V.Core, r.V.AtS, r.V.Why, r.V.Injected
	}
	out.Kept = t.Kept
	if t.DroppedAt.Valid {
		out.DroppedAt = &t.DroppedAt.Time
	}
	origin, begun := t.OriginMS()
	if begun {
		at := time.UnixMilli(origin).UTC()
		out.StartedAt = &at
	}
	starts := map[int64]float64{}
	for i := range t.Legs {
		leg := apiLeg(&t.Legs[i], origin)
		starts[t.Legs[i].ID] = deref(leg.StartS)
		out.Legs = append(out.Legs, leg)
	}
	for i := range t.Events {
		out.Events = append(out.Events, apiEvent(&t.Events[i], starts[t.Events[i].LegID]+t.Events[i].AtS))
	}
	return out
}

// apiEvent tells an event; atS is where it lies on the trial's axis.
func apiEvent(e *workshop.Event, atS float64) api.Event {
	return api.Event{Id: e.ID, Kind: string(e.Kind), AtS: atS, Core: e.Core, Injected: e.Injected, Text: e.Note}
}

func apiLeg(l *workshop.Leg, origin int64) api.Leg {
	out := api.Leg{
		Id: l.ID, Load: string(l.Load), Yardstick: l.Yardstick, Cores: nonNil(l.Cores.V), Seconds: l.Seconds, State: string(l.State),
		RanS:    l.SeenS,
		TargetC: some(l.TargetC), AbortC: some(l.AbortC), Limiters: map[string]float64{},
		Figures: each(l.Figures.V, apiFigure), Evidence: []api.Evidence{},
	}
	if l.Width != "" {
		out.Width = &l.Width
	}
	if l.Finished.Valid {
		if s := l.Finished.V.Scored; s != nil && s.Core >= 0 {
			out.ScoredCore = &s.Core
		}
		out.RanS, out.Coverage, out.Others = l.Finished.V.RanS, l.Finished.V.Coverage, &l.Finished.V.Others
	}
	start := float64(l.StartedMS.Int64-origin) / 1000
	if l.StartedMS.Valid {
		out.StartS = &start
	}
	if l.Result.Valid {
		out.Verdict, out.Why = string(l.Result.V.Verdict), l.Result.V.Why
		for _, e := range l.Result.V.Evidence {
			e.AtS, e.UntilS = e.AtS+deref(out.StartS), e.UntilS+deref(out.StartS)
			out.Evidence = append(out.Evidence, e)
		}
		for k, v := range l.Result.V.Limiters {
			out.Limiters[string(k)] = v
		}
	}
	if l.Score.Valid {
		out.Score = &l.Score.Float64
	}
	return out
}
