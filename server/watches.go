package server

import (
	"net/http"
	"time"

	"github.com/labstack/echo/v5"

	"zerokeel/server/api"
	"zerokeel/workshop"
)

// ListWatches answers with a rig's watches.
func (s *Server) ListWatches(c *echo.Context, id int64) error {
	list, err := s.shop.Watches(c.Request().Context(), id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, each(list, apiWatch))
}

// ListWatchable answers with what a watch of a rig can look at.
func (s *Server) ListWatchable(c *echo.Context, id int64) error {
	list, err := s.shop.Watchable(c.Request().Context(), id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, each(list, apiChannel))
}

// AddWatch begins to watch a channel.
func (s *Server) AddWatch(c *echo.Context, id int64) error {
	in, err := body[api.WatchRequest](c)
	if err != nil {
		return err
	}
	w, err := s.shop.AddWatch(c.Request().Context(), id, in.Rule, deref(in.Send))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, apiWatch(w))
}

// DeleteWatch ends a watch.
func (s *Server) DeleteWatch(c *echo.Context, id int64) error {
	return gone(c, s.shop.DropWatch(c.Request().Context(), id))
}

func apiWatch(w *workshop.Watch) api.Watch {
	out := api.Watch{Id: w.ID, Rig: w.RigID, Rule: w.Rule.V, Send: w.Send, Raised: w.State.V.Raised}
	if w.State.V.Since > 0 {
		at := time.UnixMilli(w.State.V.Since).UTC()
		out.Since = &at
	}
	if w.Value.Valid {
		out.Value = &w.Value.Float64
	}
	return out
}
