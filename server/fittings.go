package server

import (
	"errors"
	"net/http"
	"slices"

	"github.com/labstack/echo/v5"

	"zerokeel/core/preflight"
	"zerokeel/firmware"
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
	if r.FirmwareAddress == "" {
		return &conflict{"the board of " + r.Name + " is not reached over the network; give its address on the rig's sheet"}
	}
	t, err := s.trimOf(ctx, id, in.Trim)
	if err != nil {
		return err
	}
	input := preflight.Input{Set: set, Settings: t.Settings.V}
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

func apiFitting(f *store.Fitting) api.Fitting {
	out := api.Fitting{
		Id: f.ID, Rig: f.RigID, Trim: f.TrimID, State: string(f.State), Ended: f.State.Ended(), Problem: f.Problem,
		At: f.RigClock, Differences: f.Differences.V,
	}
	if out.Differences == nil {
		out.Differences = []firmware.Difference{}
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
	place := slices.IndexFunc(fittingSteps, func(s struct {
		state store.FittingState
		name  string
	}) bool {
		return s.state == at
	})
	for i, step := range fittingSteps {
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
