package server

import (
	"context"
	"errors"
	"fmt"
	"math"
	"net/http"
	"slices"
	"time"

	"github.com/labstack/echo/v5"

	"zerokeel/core/invalid"
	"zerokeel/core/ladder"
	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/verdict"
	"zerokeel/core/yardstick"
	"zerokeel/link"
	"zerokeel/live"
	"zerokeel/server/api"
	"zerokeel/store"
)

// ListTrials answers with a rig's trials.
func (s *Server) ListTrials(c *echo.Context, id int64) error {
	ctx := c.Request().Context()
	list, err := s.store.Trials(ctx, id)
	if err != nil {
		return err
	}
	ids := make([]int64, len(list))
	for i := range list {
		ids[i] = list[i].ID
	}
	legs, err := s.store.Legs(ctx, ids...)
	if err != nil {
		return err
	}
	out := []api.Trial{}
	for i := range list {
		own := slices.DeleteFunc(slices.Clone(legs), func(l store.Leg) bool { return l.TrialID != list[i].ID })
		out = append(out, s.apiTrial(&list[i], own, nil))
	}
	return c.JSON(http.StatusOK, out)
}

// GetTrial answers with one trial.
func (s *Server) GetTrial(c *echo.Context, id int64) error {
	return s.answerTrial(c, id, http.StatusOK)
}

func (s *Server) answerTrial(c *echo.Context, id int64, status int) error {
	ctx := c.Request().Context()
	t, err := s.store.Trial(ctx, id)
	if err != nil {
		return err
	}
	legs, err := s.store.Legs(ctx, id)
	if err != nil {
		return err
	}
	events, err := s.store.Events(ctx, id)
	if err != nil {
		return err
	}
	return c.JSON(status, s.apiTrial(t, legs, events))
}

// whole loads a trial with its rig and its legs.
func (s *Server) whole(ctx context.Context, id int64) (*store.Trial, *store.Rig, []store.Leg, error) {
	t, err := s.store.Trial(ctx, id)
	if err != nil {
		return nil, nil, nil, err
	}
	r, err := s.store.Rig(ctx, t.RigID)
	if err != nil {
		return nil, nil, nil, err
	}
	legs, err := s.store.Legs(ctx, id)
	return t, r, legs, err
}

func (s *Server) apiTrial(t *store.Trial, legs []store.Leg, events []store.Event) api.Trial {
	out := api.Trial{
		Id: t.ID, Rig: t.RigID, Trim: t.TrimID, Number: t.Number, Name: t.Name, Purpose: api.TrialPurpose(t.Purpose), State: string(t.State),
		Ended: t.State == store.TrialEnded, Core: -1, Legs: []api.Leg{}, Events: []api.Event{},
	}
	if r := t.Result; r.Valid {
		out.Verdict, out.Core, out.AtS, out.Why, out.Injected = string(r.V.Verdict), r.V.Core, r.V.AtS, r.V.Why, r.V.Injected
	}
	origin, begun := axisOrigin(legs)
	if begun {
		at := store.FromMS(origin)
		out.StartedAt = &at
	}
	starts := map[int64]float64{}
	for i := range legs {
		leg := apiLeg(&legs[i], origin)
		if leg.StartS != nil {
			starts[legs[i].ID] = *leg.StartS
		}
		out.LengthS += leg.Seconds
		out.DoneS += leg.RanS
		if legs[i].State == store.LegWaiting || legs[i].State == store.LegOrdered || legs[i].State == store.LegRunning {
			out.RemainingS += math.Max(0, leg.Seconds-leg.RanS)
		}
		out.Legs = append(out.Legs, leg)
	}
	for _, e := range events {
		out.Events = append(out.Events, apiEvent(e, starts[e.LegID]))
	}
	return out
}

func apiEvent(e store.Event, startS float64) api.Event {
	return api.Event{Id: e.ID, Kind: string(e.Kind), AtS: startS + e.AtS, Core: e.Core, Injected: e.Injected, Text: e.Note}
}

// axisOrigin returns the moment at which a trial's axis begins, on the rig's clock: the start of its first leg.
func axisOrigin(legs []store.Leg) (int64, bool) {
	for _, l := range legs {
		if l.StartedMS.Valid {
			return l.StartedMS.Int64, true
		}
	}
	return 0, false
}

func apiLeg(l *store.Leg, origin int64) api.Leg {
	out := api.Leg{
		Id: l.ID, Load: string(l.Load), Yardstick: l.Yardstick, Cores: nonNil(l.Cores.V), Seconds: l.Seconds, State: string(l.State), RanS: l.SeenS,
		Limiters: map[string]float64{}, Figures: figures(l.Figures.V), Evidence: []verdict.Pointer{},
	}
	if l.Width != "" {
		out.Width = &l.Width
	}
	if l.TargetC > 0 {
		out.TargetC = &l.TargetC
	}
	if l.Finished.Valid {
		out.RanS, out.Coverage = l.Finished.V.RanS, l.Finished.V.Coverage
		out.Others = &l.Finished.V.Others
	}
	if l.StartedMS.Valid {
		start := float64(l.StartedMS.Int64-origin) / 1000
		out.StartS = &start
	}
	if l.Result.Valid {
		out.Verdict, out.Why = string(l.Result.V.Verdict), l.Result.V.Why
		for _, e := range l.Result.V.Evidence {
			e.AtS, e.UntilS = e.AtS+value(out.StartS), e.UntilS+value(out.StartS)
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

// StartTrial begins a trial under the trim in force.
func (s *Server) StartTrial(c *echo.Context, id int64) error {
	in, err := body[api.StartTrialRequest](c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	r, err := s.store.Rig(ctx, id)
	if err != nil {
		return err
	}
	status := s.runner.Hub().Status(id)
	switch {
	case !status.Linked:
		return &conflict{r.Name + " is not linked; start its agent first"}
	case !r.TrimInForce.Valid:
		return &conflict{"no trim is known to be in force on " + r.Name + "; fit one first"}
	}
	t := &store.Trial{RigID: id, TrimID: r.TrimInForce.Int64, Purpose: store.PurposeProof}
	if in.Purpose != nil {
		t.Purpose = string(*in.Purpose)
	}
	if in.Name != nil {
		t.Name = *in.Name
	}
	cores, err := s.runningCores(ctx, r)
	if err != nil {
		return err
	}
	asked, err := s.asked(ctx, &in, t, cores)
	if err != nil {
		return err
	}
	t.Cores = store.AsJSON(cores)
	legs, faults := plan(asked, t.Purpose, cores)
	if len(faults) > 0 {
		return faults
	}
	err = s.store.CreateTrial(ctx, t, legs)
	if errors.Is(err, store.ErrTaken) {
		return busy(r.Name)
	} else if err != nil {
		return err
	}
	s.runner.Wake()
	s.bus.Publish(live.Message{Topic: "trial", Rig: id, ID: t.ID})
	return s.answerTrial(c, t.ID, http.StatusCreated)
}

// asked returns the legs that a request names, itself or by a ladder, as often as they shall run, and takes over what else
// it says of the trial.
func (s *Server) asked(ctx context.Context, in *api.StartTrialRequest, t *store.Trial, cores []int) ([]api.LegRequest, error) {
	var f invalid.List
	switch {
	case in.Ladder == nil && in.Legs == nil, in.Ladder != nil && in.Legs != nil:
		f.Add("legs", "name either legs or a ladder", "the request names both, or neither")
	case in.Ladder != nil && (in.GoOn != nil || in.Repeat != nil || t.Purpose != store.PurposeProof):
		f.Add("ladder", "leave out goOn and repeat, which the ladder says itself, and prove with it", "a ladder is a proof of its own")
	}
	if len(f) > 0 {
		return nil, f
	}
	if in.Ladder == nil {
		t.GoOn = in.GoOn != nil && *in.GoOn
		repeat := 1
		if in.Repeat != nil {
			repeat = *in.Repeat
		}
		if len(in.Legs)*repeat > ladder.MaxLegs {
			f.Add("repeat", fmt.Sprintf("keep to %d legs in all", ladder.MaxLegs), "it makes %d legs", len(in.Legs)*repeat)
			return nil, f
		}
		return slices.Repeat(in.Legs, repeat), nil
	}
	l, err := s.store.Ladder(ctx, *in.Ladder)
	if errors.Is(err, store.ErrNotFound) {
		f.Add("ladder", "name one from /api/ladders", "%.40q is no ladder", *in.Ladder)
		return nil, f
	} else if err != nil {
		return nil, err
	}
	t.GoOn = l.Template.GoOn
	if t.Name == "" {
		t.Name = l.Template.Name
	}
	legs, err := laddered(&l.Template, cores)
	if faults := (invalid.List)(nil); errors.As(err, &faults) {
		return nil, faults.Under("ladder")
	}
	return legs, err
}

// runningCores lists the cores that a rig's trim in force leaves switched on; those that its agent found where its parts
// are not known.
func (s *Server) runningCores(ctx context.Context, r *store.Rig) ([]int, error) {
	found := machine.AllCores(r.Facts.V.Cores)
	set, err := s.store.PartSet(ctx, r)
	if errors.Is(err, store.ErrNotFound) {
		return found, nil
	} else if err != nil {
		return nil, err
	}
	settings, err := s.standing(ctx, r)
	if err != nil {
		return nil, err
	}
	tuning, err := machine.Tune(set, settings)
	if err != nil {
		return found, nil
	}
	var on []int
	for core, is := range tuning.On {
		if is {
			on = append(on, core)
		}
	}
	return on, nil
}

// plan turns what was asked into legs, with every fault of it.
func plan(asked []api.LegRequest, purpose string, cores []int) ([]store.Leg, invalid.List) {
	var f invalid.List
	var legs []store.Leg
	for i, a := range asked {
		at := fmt.Sprintf("legs[%d]", i)
		l := store.Leg{Seconds: value(a.Seconds), InForce: true, AbortC: value(a.AbortC), TargetC: value(a.TargetC)}
		if a.Width != nil {
			l.Width = string(*a.Width)
		}
		if a.MemoryMB != nil {
			l.MemoryMB = *a.MemoryMB
		}
		if l.AbortC > 0 && l.TargetC > l.AbortC {
			f.Add(at+".targetC", "give less than the abort limit", "%g °C lies above the abort limit of %g °C", l.TargetC, l.AbortC)
		}
		if a.Cores != nil {
			l.Cores = store.AsJSON(*a.Cores)
		} else {
			l.Cores = store.AsJSON(cores)
		}
		seen := map[int]bool{}
		for _, core := range l.Cores.V {
			if !slices.Contains(cores, core) || seen[core] {
				f.Add(at+".cores", fmt.Sprintf("name each core once, of %d that run, 0 to %d", len(cores), slices.Max(cores)), "core %d does not run or stands twice", core)
			}
			seen[core] = true
		}
		if len(l.Cores.V) == 0 {
			f.Add(at+".cores", "name the cores to load", "no core is named")
		}
		if a.Inject != nil {
			l.Inject = store.AsJSON(link.Inject{Core: a.Inject.Core, AfterS: a.Inject.AfterS})
			if !seen[a.Inject.Core] {
				f.Add(at+".inject.core", "name a core of the leg", "core %d does not run in this leg", a.Inject.Core)
			}
		}
		switch {
		case purpose == store.PurposeProof:
			if a.Load == nil || a.Yardstick != nil {
				f.Add(at+".load", "name a load; a yardstick belongs to a score", "a proof runs loads")
				continue
			}
			l.Load = load.Kind(*a.Load)
			if a.Seconds == nil {
				f.Add(at+".seconds", "give the seconds to run", "the time is missing")
			}
		default:
			name := ""
			if a.Yardstick != nil {
				name = *a.Yardstick
			}
			y, known := yardstick.Of(name)
			if !known {
				f.Add(at+".yardstick", "name one from /api/yardsticks that rigs take themselves", "%.40q is none of them", name)
				continue
			}
			if a.Seconds != nil || a.Load != nil {
				f.Add(at+".seconds", "leave out the load and the time", "a yardstick is a fixed amount of work under a load of its own")
			}
			l.Yardstick, l.Load, l.Seconds = y.ID, y.Load, y.TypicalS
			l.Cores = store.AsJSON(y.Cores(l.Cores.V))
		}
		legs = append(legs, l)
	}
	return legs, f
}

func value(p *float64) float64 {
	if p == nil {
		return 0
	}
	return *p
}

// StopTrial stops a trial.
func (s *Server) StopTrial(c *echo.Context, id int64) error {
	ctx := c.Request().Context()
	t, err := s.store.Trial(ctx, id)
	if err != nil {
		return err
	}
	if t.State == store.TrialEnded {
		return &conflict{"this trial has ended already"}
	}
	if err := s.store.AskStop(ctx, id); err != nil {
		return err
	}
	s.runner.Wake()
	return s.answerTrial(c, id, http.StatusOK)
}

// MarkTrial pins a remark to this moment.
func (s *Server) MarkTrial(c *echo.Context, id int64) error {
	in, err := body[api.MarkTrialJSONBody](c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	t, err := s.store.Trial(ctx, id)
	if err != nil {
		return err
	}
	legs, err := s.store.Legs(ctx, id)
	if err != nil {
		return err
	}
	for i := range legs {
		l := &legs[i]
		if l.State != store.LegRunning || !l.StartedMS.Valid {
			continue
		}
		now := s.runner.Hub().Status(t.RigID).Clock(time.Now())
		e := &store.Event{LegID: l.ID, Kind: verdict.EventMark, AtS: math.Max(0, float64(now-l.StartedMS.Int64)/1000), Core: -1, Note: in.Text}
		if err := s.store.AddEvent(ctx, e); err != nil {
			return err
		}
		s.bus.Publish(live.Message{Topic: "trial", Rig: t.RigID, ID: t.ID})
		origin, _ := axisOrigin(legs)
		return c.JSON(http.StatusCreated, apiEvent(*e, value(apiLeg(l, origin).StartS)))
	}
	return &conflict{"no leg of this trial runs at the moment"}
}
