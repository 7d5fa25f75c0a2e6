package server

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"zerokeel/server/api"
	"zerokeel/workshop"
)

// GetFleet answers with a line for each rig.
func (s *Server) GetFleet(c *echo.Context) error {
	list, err := s.shop.Fleet(c.Request().Context())
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, each(list, apiFleetLine))
}

// ExportFleet answers with the same as a table.
func (s *Server) ExportFleet(c *echo.Context, params api.ExportFleetParams) error {
	x, err := s.shop.ExportFleet(c.Request().Context(), commaOf(string(deref(params.Form))))
	if err != nil {
		return err
	}
	return writeTable(c, x)
}

// commaOf is what parts the columns of a table in a form.
func commaOf(form string) rune {
	if form == "tabs" {
		return '\t'
	}
	return ','
}

func apiFleetLine(r *workshop.FleetRig) api.FleetLine {
	out := api.FleetLine{Rig: r.ID, Stock: r.Stock, Stale: r.Stale, Gains: each(r.Won.Gains, apiGain),
		Need: api.FleetNeed{Urgency: int(r.Need.Urgency), Words: r.Need.Words, At: api.FleetNeedAt(r.Need.At)}}
	if t := r.Trim; t != nil {
		out.Trim, out.Number, out.TrimName, out.Standing = &t.ID, t.Number, t.Name, api.FleetLineStanding(t.Standing)
	}
	return out
}

func apiGain(g *workshop.Gain) api.FleetGain {
	return api.FleetGain{What: api.FleetGainWhat(g.What), Value: g.Value, Half: g.Half, Unit: g.Unit, Shown: g.Shown, Good: g.Good}
}
