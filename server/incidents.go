package server

import (
	"net/http"
	"time"

	"github.com/labstack/echo/v5"

	"zerokeel/core/invalid"
	"zerokeel/live"
	"zerokeel/server/api"
	"zerokeel/store"
)

// ListIncidents answers with a rig's incidents.
func (s *Server) ListIncidents(c *echo.Context, id int64) error {
	list, err := s.store.Incidents(c.Request().Context(), id)
	if err != nil {
		return err
	}
	out := []api.Incident{}
	for _, i := range list {
		out = append(out, apiIncident(i))
	}
	return c.JSON(http.StatusOK, out)
}

// ReportIncident holds a fault against the trim in force.
func (s *Server) ReportIncident(c *echo.Context, id int64) error {
	in, err := body[api.ReportIncidentRequest](c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	r, err := s.store.Rig(ctx, id)
	if err != nil {
		return err
	}
	if !r.TrimInForce.Valid {
		return &conflict{"no trim is known to be in force on " + r.Name + ", so the incident can be held against none"}
	}
	i := &store.Incident{CreatedAt: s.runner.RigClock(id), RigID: id, TrimID: r.TrimInForce.Int64, Kind: string(in.Kind)}
	if in.Text != nil {
		i.Note = *in.Text
	}
	if in.At != nil {
		if in.At.After(i.CreatedAt.Add(time.Hour)) {
			return invalid.List{{Field: "at", Problem: "the moment lies in the future", Remedy: "give when it was seen, or leave it out"}}
		}
		i.CreatedAt = *in.At
	}
	if err := s.store.AddIncident(ctx, i); err != nil {
		return err
	}
	s.bus.Publish(live.Message{Topic: "trim", Rig: id, ID: i.TrimID})
	return c.JSON(http.StatusCreated, apiIncident(*i))
}

func apiIncident(i store.Incident) api.Incident {
	return api.Incident{Id: i.ID, Trim: i.TrimID, Kind: i.Kind, Text: i.Note, At: i.CreatedAt, Noticed: i.BootID.Valid}
}
