package server

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"zerokeel/server/api"
)

// ListChannels answers with the figures that a rig reports.
func (s *Server) ListChannels(c *echo.Context, id int64) error {
	r, err := s.store.Rig(c.Request().Context(), id)
	if err != nil {
		return err
	}
	out := []api.Channel{}
	for _, ch := range r.Channels.V {
		out = append(out, api.Channel{Key: ch.Key, Label: ch.Label, Quantity: ch.Quantity, Unit: ch.Unit, Core: ch.Core})
	}
	return c.JSON(http.StatusOK, out)
}
