package server

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"zerokeel/core/ladder"
	"zerokeel/server/api"
	"zerokeel/workshop"
)

// ListLoads answers with the loads and what each finds.
func (s *Server) ListLoads(c *echo.Context) error {
	out := []api.Load{}
	for _, k := range workshop.Loads() {
		out = append(out, api.Load{Kind: string(k), Regime: string(k.Regime()), Finds: k.Finds()})
	}
	return c.JSON(http.StatusOK, out)
}

// ListLadders answers with every template.
func (s *Server) ListLadders(c *echo.Context, params api.ListLaddersParams) error {
	list, err := s.shop.Ladders(c.Request().Context(), deref(params.Cores))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, each(list, apiLadder))
}

func apiLadder(l *workshop.Ladder) api.Ladder {
	return api.Ladder{Version: workshop.VersionOfLadder(&l.Ladder),
		Id: l.ID, Template: l.Template, Delivered: l.Delivered, Changed: l.Changed, Probes: texts(l.Probes),
		Leaves: texts(l.Leaves), Seconds: l.Seconds}
}

// PutLadder adds a template or changes one.
func (s *Server) PutLadder(c *echo.Context, id string) error {
	t, err := body[ladder.Template](c)
	if err != nil {
		return err
	}
	l, err := s.shop.SaveLadder(c.Request().Context(), id, t)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, apiLadder(l))
}

// DeleteLadder removes a template, or puts a delivered one back.
func (s *Server) DeleteLadder(c *echo.Context, id string) error {
	return gone(c, s.shop.DropLadder(c.Request().Context(), id))
}
