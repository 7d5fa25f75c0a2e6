package server

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"zerokeel/server/api"
	"zerokeel/workshop"
)

// GetWorkshop answers with what the workshop says of itself.
func (s *Server) GetWorkshop(c *echo.Context) error {
	own, err := s.shop.Own(c.Request().Context())
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, api.Workshop{Name: own.Name, Note: own.Note, Currency: own.Currency, PerKWh: own.PerKWh,
		Hours: apiHours(own.Hours.V)})
}

// SetWorkshop says it anew.
func (s *Server) SetWorkshop(c *echo.Context) error {
	in, err := body[api.Workshop](c)
	if err != nil {
		return err
	}
	h := in.Hours
	own := workshop.OwnOf(in.Name, in.Note, in.Currency, in.PerKWh, workshop.HoursOf(h.Idle, h.Light, h.Mixed, h.Heavy))
	if err := s.shop.SetOwn(c.Request().Context(), own); err != nil {
		return err
	}
	return s.GetWorkshop(c)
}

// ReckonEnergy answers with what trims draw in a year.
func (s *Server) ReckonEnergy(c *echo.Context, params api.ReckonEnergyParams) error {
	ask := workshop.EnergyAsk{PerKWh: params.PerKWh, Cost: deref(params.Cost)}
	if params.Idle != nil || params.Light != nil || params.Mixed != nil || params.Heavy != nil {
		ask.Hours = workshop.HoursOf(deref(params.Idle), deref(params.Light), deref(params.Mixed), deref(params.Heavy))
	}
	x, err := s.shop.Energy(c.Request().Context(), params.Trim, ask)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, api.Energy{Hours: apiHours(x.Own.Hours.V), PerKWh: x.Own.PerKWh, Currency: x.Own.Currency,
		Years: each(x.Years, apiYear)})
}

func apiHours(h workshop.DayHours) api.DayHours {
	return api.DayHours{Idle: h["idle"], Light: h["light"], Mixed: h["mixed"], Heavy: h["heavy"]}
}

func apiYear(y *workshop.YearOf) api.EnergyYear {
	out := api.EnergyYear{KWh: finite(y.KWh), Half: finite(y.Half), Lacks: y.Lacking(), Sources: texts(y.Sources), Draws: []api.WallDraw{}}
	for _, kind := range workshop.EnergyLoads() {
		if d, known := y.Draws[kind]; known {
			out.Draws = append(out.Draws, api.WallDraw{Load: string(kind), Watts: d.W, Source: string(d.Source)})
		}
	}
	if s := y.Saved; s.Known {
		out.Saved = &api.EnergySaving{KWh: s.KWh, Half: s.Half, Shown: s.Shown}
	}
	if y.PayBack != nil {
		out.PayBack = y.PayBack.Words()
	}
	return out
}
