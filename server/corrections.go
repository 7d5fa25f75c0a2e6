package server

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"zerokeel/server/api"
	"zerokeel/workshop"
)

// ListCorrections answers with how a rig's figures are put right, and with what looks as if it should be.
func (s *Server) ListCorrections(c *echo.Context, id int64) error {
	list, err := s.shop.Corrections(c.Request().Context(), id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, each(list, apiCorrection))
}

func apiCorrection(x *workshop.Correction) api.Correction {
	version := ""
	if x.Source == workshop.OfRig {
		version = workshop.VersionOfCorrection(x)
	}
	return api.Correction{Version: version, Channel: x.Channel.Key, Label: x.Channel.Label, Unit: x.Channel.Unit,
		Scale: x.Scale, Shift: x.Shift,
		Reason: x.Reason,
		Source: api.CorrectionSource(x.Source)}
}

// PutCorrection puts a channel right.
func (s *Server) PutCorrection(c *echo.Context, id int64, channel string) error {
	in, err := body[api.CorrectionRequest](c)
	if err != nil {
		return err
	}
	out, err := s.shop.Correct(c.Request().Context(), id, channel, in.Scale, in.Shift, in.Reason)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, apiCorrection(out))
}

// DeleteCorrection shows a channel as it is read again.
func (s *Server) DeleteCorrection(c *echo.Context, id int64, channel string) error {
	return gone(c, s.shop.Uncorrect(c.Request().Context(), id, channel))
}
