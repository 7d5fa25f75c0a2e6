package server

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"zerokeel/server/api"
	"zerokeel/workshop"
)

// ListIncidents answers with a rig's incidents.
func (s *Server) ListIncidents(c *echo.Context, id int64, params api.ListIncidentsParams) error {
	list, err := s.shop.Incidents(c.Request().Context(), id, deref(params.Before))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, each(list, apiIncident))
}

// ReportIncident holds a fault against the trim in force.
func (s *Server) ReportIncident(c *echo.Context, id int64) error {
	in, err := body[api.ReportIncidentRequest](c)
	if err != nil {
		return err
	}
	i, err := s.shop.ReportIncident(c.Request().Context(), id, workshop.NewIncident{Kind: string(in.Kind), Note: deref(in.Text), At: in.At})
	if err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, apiIncident(i))
}

func apiIncident(i *workshop.Incident) api.Incident {
	return api.Incident{Id: i.ID, Trim: i.TrimID, Kind: i.Kind, Text: i.Note, At: i.CreatedAt, Noticed: i.BootID.Valid}
}
