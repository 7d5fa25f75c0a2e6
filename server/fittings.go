package server

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"zerokeel/server/api"
	"zerokeel/workshop"
)

// ListFittings answers with a rig's fittings.
func (s *Server) ListFittings(c *echo.Context, id int64, params api.ListFittingsParams) error {
	list, err := s.shop.Fittings(c.Request().Context(), id, deref(params.Before))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, each(list, apiFitting))
}

// GetFitting answers with one fitting.
func (s *Server) GetFitting(c *echo.Context, id int64) error {
	f, err := s.shop.Fitting(c.Request().Context(), id)
	return answerFitting(c, http.StatusOK, f, err)
}

// FitTrim begins a fitting.
func (s *Server) FitTrim(c *echo.Context, id int64) error {
	in, err := body[api.FitRequest](c)
	if err != nil {
		return err
	}
	f, err := s.shop.Fit(c.Request().Context(), id, in.Trim, deref(in.Despite))
	return answerFitting(c, http.StatusCreated, f, err)
}

// TickCard stores which lines of a card were entered.
func (s *Server) TickCard(c *echo.Context, id int64) error {
	in, err := body[api.TickCardJSONRequestBody](c)
	if err != nil {
		return err
	}
	f, err := s.shop.TickCard(c.Request().Context(), id, in.Keys)
	return answerFitting(c, http.StatusOK, f, err)
}

// EnteredCard takes the word of a person that the card was entered.
func (s *Server) EnteredCard(c *echo.Context, id int64) error {
	f, err := s.shop.CardEntered(c.Request().Context(), id)
	return answerFitting(c, http.StatusOK, f, err)
}

// CardNoPost takes the word of a person that the machine did not come up with the card.
func (s *Server) CardNoPost(c *echo.Context, id int64) error {
	f, err := s.shop.CardNoPost(c.Request().Context(), id)
	return answerFitting(c, http.StatusOK, f, err)
}

// CancelFitting gives a fitting up.
func (s *Server) CancelFitting(c *echo.Context, id int64) error {
	f, err := s.shop.GiveUpFitting(c.Request().Context(), id)
	return answerFitting(c, http.StatusOK, f, err)
}

func answerFitting(c *echo.Context, status int, f *workshop.Fitting, err error) error {
	if err != nil {
		return err
	}
	return c.JSON(status, apiFitting(f))
}

func apiFitting(f *workshop.Fitting) api.Fitting {
	return api.Fitting{
		Id: f.ID, Rig: f.RigID, Trim: f.TrimID, State: string(f.State), Ended: f.State.Ended(), Problem: f.Problem, At: f.RigClock,
		Differences: nonNil(f.Differences.V), ByHand: f.ByHand(), AtOnce: f.AtOnce, Card: nonNil(f.Card.V), Ticked: nonNil(f.Ticked.V),
		Steps: each(workshop.StepsOf(f), apiStep), Despite: f.Despite,
	}
}

func apiStep(x *workshop.FittingStep) api.FittingStep {
	return api.FittingStep{Name: x.Name, State: api.FittingStepState(x.State)}
}
