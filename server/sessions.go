package server

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"zerokeel/server/api"
	"zerokeel/workshop"
)

// ListSessions answers with a rig's newest interleaved sessions.
func (s *Server) ListSessions(c *echo.Context, id int64) error {
	list, err := s.shop.Sessions(c.Request().Context(), id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, each(list, apiSession))
}

// StartSession begins an interleaved session.
func (s *Server) StartSession(c *echo.Context, id int64) error {
	in, err := body[api.StartSessionRequest](c)
	if err != nil {
		return err
	}
	x, err := s.shop.StartSession(c.Request().Context(), id,
		workshop.SessionPlan{Base: in.Base, Other: in.Trim, Yardsticks: in.Yardsticks, Runs: in.Runs})
	if err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, apiSession(x))
}

// EndSession ends a session early.
func (s *Server) EndSession(c *echo.Context, id int64) error {
	x, err := s.shop.EndSession(c.Request().Context(), id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, apiSession(x))
}

func apiSession(x *workshop.Session) api.Session {
	return api.Session{Id: x.ID, Base: x.Base, Trim: x.Other, Blocks: each(x.Blocks.V, apiSessionBlock), Block: x.Block,
		Yardsticks: x.Yardsticks.V, Ended: x.EndedAt.Valid, Problem: x.Problem, CreatedAt: x.CreatedAt}
}

func apiSessionBlock(b *workshop.SessionPart) api.SessionBlock {
	return api.SessionBlock{Trim: b.Trim, Runs: b.Runs}
}
