package server

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"zerokeel/server/api"
)

// GetRemoval tells what would be removed with a rig.
func (s *Server) GetRemoval(c *echo.Context, id int64) error {
	d, err := s.shop.Removal(c.Request().Context(), id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, api.Removal{Trims: d.Trims, Fittings: d.Fittings, Trials: d.Trials, Scores: d.Scores,
		Incidents: d.Incidents, Recordings: d.Recordings, Watches: d.Watches})
}

// RemoveRig removes a rig.
func (s *Server) RemoveRig(c *echo.Context, id int64, params api.RemoveRigParams) error {
	return gone(c, s.shop.RemoveRig(c.Request().Context(), id, params.Name))
}

// RemoveTrim removes a trim that was never fitted.
func (s *Server) RemoveTrim(c *echo.Context, id int64) error {
	return gone(c, s.shop.RemoveTrim(c.Request().Context(), id))
}
