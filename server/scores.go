package server

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"zerokeel/server/api"
	"zerokeel/workshop"
)

// ListYardsticks answers with every yardstick.
func (s *Server) ListYardsticks(c *echo.Context) error {
	list, err := s.shop.Yardsticks(c.Request().Context())
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, each(list, apiYardstick))
}

func apiYardstick(y *workshop.Yardstick) api.Yardstick {
	return api.Yardstick{Id: y.ID, Name: y.Name, Unit: y.Unit, Better: api.YardstickBetter(y.Better), Own: y.Own, Load: string(y.Load),
		Seconds: y.RestS + y.TypicalS, Runs: y.Runs}
}

// ListScores answers with a rig's scores.
func (s *Server) ListScores(c *echo.Context, id int64) error {
	list, err := s.shop.Scores(c.Request().Context(), id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, each(list, apiScore))
}

func apiScore(x *workshop.Score) api.Score {
	return api.Score{Id: x.ID, Trim: x.TrimID, Trial: id(x.TrialID.Int64), Yardstick: x.Yardstick, Value: x.Value, At: x.RigClock,
		Spoilt: x.Spoilt, Note: x.Note}
}

// AddScores adds results of another program.
func (s *Server) AddScores(c *echo.Context, id int64) error {
	in, err := body[api.AddScoresRequest](c)
	if err != nil {
		return err
	}
	added, err := s.shop.AddScores(c.Request().Context(), id, workshop.NewScores{Trim: in.Trim, Yardstick: in.Yardstick, Unit: in.Unit,
		Better: string(in.Better), Values: in.Values, At: in.At, Note: deref(in.Note)})
	return answerAdded(c, added, err)
}

// ImportScores adds results of other programs from a table.
func (s *Server) ImportScores(c *echo.Context, id int64) error {
	added, err := s.shop.ImportScores(c.Request().Context(), id, c.Request().Body)
	return answerAdded(c, added, err)
}

func answerAdded(c *echo.Context, a workshop.Added, err error) error {
	if err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, api.ScoresAdded{Added: a.Added, Known: a.Known})
}

// DeleteScore removes a score that was typed or imported.
func (s *Server) DeleteScore(c *echo.Context, id, score int64) error {
	return gone(c, s.shop.DropScore(c.Request().Context(), id, score))
}
