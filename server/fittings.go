package server

import (
	"database/sql"
	"errors"
	"fmt"
	"net/http"
	"slices"

	"github.com/labstack/echo/v5"

	"zerokeel/core/invalid"
	"zerokeel/core/preflight"
	"zerokeel/core/trim"
	"zerokeel/live"
	"zerokeel/server/api"
	"zerokeel/store"
)

// ListFittings answers with a rig's fittings.
func (s *Server) ListFittings(c *echo.Context, id int64) error {
	list, err := s.store.Fittings(c.Request().Context(), id)
	if err != nil {
		return err
	}
	out := []api.Fitting{}
	for i := range list {
		out = append(out, apiFitting(&list[i]))
	}
	return c.JSON(http.StatusOK, out)
}

// GetFitting answers with one fitting.
func (s *Server) GetFitting(c *echo.Context, id int64) error {
	f, err := s.store.Fitting(c.Request().Context(), id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, apiFitting(f))
}

// FitTrim begins a fitting.
func (s *Server) FitTrim(c *echo.Context, id int64) error {
	in, err := body[api.FitRequest](c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	r, set, err := s.rigParts(ctx, id)
	if err != nil {
		return err
	}
	t, err := s.trimOf(ctx, id, in.Trim)
	if err != nil {
		return err
	}
	input := preflight.Input{Set: set, Settings: t.Settings.V}
	if t.Forecast.Valid {
		input.Forecast = &t.Forecast.V
	}
	if t.ParentID.Valid {
		parent, err := s.store.Trim(ctx, t.ParentID.Int64)
		if err != nil {
			return err
		}
		input.Parent = parent.Settings.V
	}
	findings := preflight.Check(input)
	if level, found := preflight.Worst(findings); found && level == preflight.Stop {
		return &conflict{"preflight stops this trim: " + findings[0].Reason}
	}
	f := &store.Fitting{RigID: id, TrimID: t.ID, BootBefore: r.BootID, RigClock: s.runner.RigClock(id)}
	if r.FirmwareAddress == "" {
		from, err := s.standing(ctx, r)
		if err != nil {
			return err
		}
		f.Card, f.Ticked = store.AsJSON(trim.Card(set, from, t.Settings.V, false)), store.AsJSON([]string{})
	}
	err = s.store.CreateFitting(ctx, f)
	if errors.Is(err, store.ErrTaken) {
		return busy(r.Name)
	} else if err != nil {
		return err
	}
	s.runner.Wake()
	s.bus.Publish(live.Message{Topic: "fitting", Rig: id, ID: f.ID})
	return c.JSON(http.StatusCreated, apiFitting(f))
}

// TickCard stores which lines of a card were entered.
func (s *Server) TickCard(c *echo.Context, id int64) error {
	in, err := body[api.TickCardJSONRequestBody](c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	f, err := s.store.Fitting(ctx, id)
	if err != nil {
		return err
	}
	if f.State != store.FitEntering {
		return &conflict{"the card was entered already, or given up"}
	}
	var faults invalid.List
	for i, key := range in.Keys {
		if !slices.ContainsFunc(f.Card.V, func(l trim.Line) bool { return l.Key == key }) {
			faults.Add(fmt.Sprintf("keys[%d]", i), "name lines of the card", "the card has no line %q", key)
		}
	}
	if len(faults) > 0 {
		return faults
	}
	if err := s.store.TickCard(ctx, id, in.Keys); err != nil {
		return err
	}
	return s.answerFitting(c, f.RigID, id)
}

// EnteredCard takes the word of a person that the card was entered.
func (s *Server) EnteredCard(c *echo.Context, id int64) error {
	ctx := c.Request().Context()
	f, err := s.store.Fitting(ctx, id)
	if err != nil {
		return err
	}
	r, err := s.store.Rig(ctx, f.RigID)
	if err != nil {
		return err
	}
	linked := s.runner.Hub().Status(f.RigID).Linked
	switch {
	case f.State == store.FitEntering && r.BootID != "":
		// Its agent will tell of the restart; if that has happened already, by another boot than at the beginning.
		f.State = store.FitWaiting
	case f.State == store.FitEntering, f.State == store.FitWaiting && f.ByHand() && !linked:
		f.State = store.FitReading // nothing will tell: taken at the person's word
	default:
		return &conflict{"this fitting does not wait for a card"}
	}
	if err := s.store.SaveFitting(ctx, f, sql.NullInt64{}); err != nil {
		return err
	}
	s.runner.Wake()
	return s.answerFitting(c, f.RigID, id)
}

// CancelFitting gives a fitting by hand up. Before the card was entered the trim in force stays; afterwards nobody knows
// what is on the board.
func (s *Server) CancelFitting(c *echo.Context, id int64) error {
	ctx := c.Request().Context()
	f, err := s.store.Fitting(ctx, id)
	if err != nil {
		return err
	}
	if !f.ByHand() || f.State.Ended() {
		return &conflict{"only a fitting by hand can be given up, and only while it lasts"}
	}
	r, err := s.store.Rig(ctx, f.RigID)
	if err != nil {
		return err
	}
	inForce := sql.NullInt64{}
	f.FailedIn, f.Problem = f.State, "given up; what stands on the board now is not known"
	if f.State == store.FitEntering && len(f.Ticked.V) == 0 {
		inForce, f.Problem = r.TrimInForce, "given up before anything was entered"
	}
	f.State = store.FitFailed
	if f.FailedIn == store.FitEntering && len(f.Ticked.V) > 0 {
		f.FailedIn = store.FitWaiting // some of it stands on the board
	}
	if err := s.store.SaveFitting(ctx, f, inForce); err != nil {
		return err
	}
	s.bus.Publish(live.Message{Topic: "rig", Rig: f.RigID})
	return s.answerFitting(c, f.RigID, id)
}

func (s *Server) answerFitting(c *echo.Context, rig, id int64) error {
	s.bus.Publish(live.Message{Topic: "fitting", Rig: rig, ID: id})
	return s.GetFitting(c, id)
}

// The steps of a fitting as a person sees them.
var fittingSteps = []struct {
	state store.FittingState
	name  string
}{
	{store.FitStaging, "Hand the settings to the board"},
	{store.FitRestarting, "Restart the machine"},
	{store.FitWaiting, "Wait until it is back"},
	{store.FitReading, "Read back what is in force"},
}

var cardSteps = []struct {
	state store.FittingState
	name  string
}{
	{store.FitEntering, "Enter the card at the board"},
	{store.FitWaiting, "Wait until the machine is back"},
	{store.FitReading, "Compare what the running machine shows"},
}

func apiFitting(f *store.Fitting) api.Fitting {
	out := api.Fitting{
		Id: f.ID, Rig: f.RigID, Trim: f.TrimID, State: string(f.State), Ended: f.State.Ended(), Problem: f.Problem,
		At: f.RigClock, Differences: f.Differences.V, ByHand: f.ByHand(), Card: nonNil(f.Card.V), Ticked: nonNil(f.Ticked.V),
	}
	steps := fittingSteps
	if f.ByHand() {
		steps = cardSteps
	}
	if out.Differences == nil {
		out.Differences = []trim.Difference{}
	}
	at, mark := f.State, api.FittingStepState("now")
	switch f.State {
	case store.FitFailed, store.FitClearing, store.FitNoPost:
		at, mark = f.FailedIn, "failed"
	case store.FitDiffers:
		at, mark = store.FitReading, "failed"
	case store.FitInForce:
		at = ""
	}
	place := slices.IndexFunc(steps, func(s struct {
		state store.FittingState
		name  string
	}) bool {
		return s.state == at
	})
	for i, step := range steps {
		state := api.FittingStepState("waiting")
		switch {
		case place < 0 || i < place:
			state = "done"
		case i == place:
			state = mark
		}
		out.Steps = append(out.Steps, api.FittingStep{Name: step.name, State: state})
	}
	return out
}
