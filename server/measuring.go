package server

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"zerokeel/server/api"
	"zerokeel/workshop"
)

// GetMeasuring answers with how far a rig's machine is measured up.
func (s *Server) GetMeasuring(c *echo.Context, rig api.RigID) error {
	m, err := s.shop.Measuring(c.Request().Context(), rig)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, apiMeasuring(m))
}

func apiMeasuring(m *workshop.Measuring) *api.Measuring {
	if m == nil {
		return nil
	}
	out := &api.Measuring{Steps: len(m.Steps), Minutes: m.Minutes, Why: m.Why, Cannot: m.Cannot, Taken: m.Taken,
		Kin: append([]string{}, m.Kin...), Figures: []api.FoundFigure{}, Offs: []api.FoundOff{}}
	if m.Found == nil {
		return out
	}
	out.Misfit = m.Found.Misfit
	for _, f := range m.Found.Figures {
		out.Figures = append(out.Figures, api.FoundFigure{Kind: string(f.Kind), Path: f.Path, Words: f.Words, Unit: f.Unit,
			Value: f.Value, Low: f.Low, High: f.High, Told: f.Told})
	}
	for _, o := range m.Found.Off {
		out.Offs = append(out.Offs, api.FoundOff{Of: o.Of, Seen: o.Seen, By: o.By, Sd: o.SD})
	}
	return out
}

// StartMeasuring has a pilot measure a rig's machine up.
func (s *Server) StartMeasuring(c *echo.Context, rig api.RigID) error {
	p, err := s.shop.StartMeasuring(c.Request().Context(), rig)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, s.apiPilot(p))
}

// TakeMeasured makes what was found the sheets of the rig.
func (s *Server) TakeMeasured(c *echo.Context, rig api.RigID) error {
	r, err := s.shop.TakeMeasured(c.Request().Context(), rig)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, apiRig(r))
}
