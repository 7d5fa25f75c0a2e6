package server

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"zerokeel/core/ladder"
	"zerokeel/core/load"
	"zerokeel/server/api"
	"zerokeel/store"
)

// ListLoads answers with the loads and what each finds.
func (s *Server) ListLoads(c *echo.Context) error {
	out := []api.Load{}
	for _, k := range load.Kinds {
		out = append(out, api.Load{Kind: string(k), Regime: string(k.Regime()), Finds: k.Finds()})
	}
	return c.JSON(http.StatusOK, out)
}

// ListLadders answers with every template.
func (s *Server) ListLadders(c *echo.Context, params api.ListLaddersParams) error {
	list, err := s.store.Ladders(c.Request().Context())
	if err != nil {
		return err
	}
	out := []api.Ladder{}
	for i := range list {
		out = append(out, apiLadder(&list[i], coresOr(params.Cores)))
	}
	return c.JSON(http.StatusOK, out)
}

// coresOr is the number of cores that the time of a template is told for.
func coresOr(asked *int) int {
	const usual = 8
	if asked == nil {
		return usual
	}
	return *asked
}

func apiLadder(l *store.Ladder, cores int) api.Ladder {
	out := api.Ladder{Id: l.ID, Template: l.Template, Delivered: l.Delivered, Changed: l.Changed, Probes: []string{}, Leaves: []string{}, Seconds: l.Template.Seconds(cores)}
	probes, leaves := l.Template.Regimes()
	for _, r := range probes {
		out.Probes = append(out.Probes, string(r))
	}
	for _, r := range leaves {
		out.Leaves = append(out.Leaves, string(r))
	}
	return out
}

// PutLadder adds a template or changes one.
func (s *Server) PutLadder(c *echo.Context, id string) error {
	t, err := body[ladder.Template](c)
	if err != nil {
		return err
	}
	if faults := t.Validate(); len(faults) > 0 {
		return faults
	}
	ctx := c.Request().Context()
	if err := s.store.SaveLadder(ctx, id, &t); err != nil {
		return err
	}
	l, err := s.store.Ladder(ctx, id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, apiLadder(l, coresOr(nil)))
}

// DeleteLadder removes a template, or puts a delivered one back.
func (s *Server) DeleteLadder(c *echo.Context, id string) error {
	ctx := c.Request().Context()
	if _, err := s.store.Ladder(ctx, id); err != nil {
		return err
	}
	if err := s.store.DropLadder(ctx, id); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

// laddered turns a template into what a request for its legs would be.
func laddered(t *ladder.Template, cores []int) ([]api.LegRequest, error) {
	legs, err := t.Legs(cores)
	if err != nil {
		return nil, err
	}
	out := make([]api.LegRequest, len(legs))
	for i := range legs {
		l := &legs[i]
		kind := api.LegRequestLoad(l.Load)
		out[i] = api.LegRequest{Load: &kind, Cores: &l.Cores, Seconds: &l.Seconds, MemoryMB: &l.MemoryMB}
		if l.Width != "" {
			width := api.LegRequestWidth(l.Width)
			out[i].Width = &width
		}
		if l.AbortC > 0 {
			out[i].AbortC = &l.AbortC
		}
		if l.TargetC > 0 {
			out[i].TargetC = &l.TargetC
		}
	}
	return out, nil
}
