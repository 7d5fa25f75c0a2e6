package server

import (
	"math"
	"net/http"

	"github.com/labstack/echo/v5"

	"zerokeel/core/channel"
	"zerokeel/server/api"
	"zerokeel/workshop"
)

// ListKnownChannels answers with the registry of channels.
func (s *Server) ListKnownChannels(c *echo.Context) error {
	list, err := s.shop.KnownChannels(c.Request().Context())
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, list)
}

// ListChannels answers with the figures that a rig reports.
func (s *Server) ListChannels(c *echo.Context, id int64) error {
	list, err := s.shop.Channels(c.Request().Context(), id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, each(list, apiChannel))
}

func apiChannel(c *channel.Channel) api.Channel {
	return api.Channel{Key: c.Key, Label: c.Label, Quantity: c.Quantity, Unit: c.Unit, Core: c.Core}
}

// GetTelemetry answers with a trial's figures over one axis.
func (s *Server) GetTelemetry(c *echo.Context, id int64, params api.GetTelemetryParams) error {
	view := workshop.View{FromS: params.FromS, ToS: params.ToS, Buckets: deref(params.Buckets), Keys: deref(params.Keys),
		MeansOnly: deref(params.MeansOnly)}
	t, err := s.shop.Telemetry(c.Request().Context(), id, view)
	if err != nil {
		return err
	}
	out := api.Telemetry{FromS: t.FromS, ToS: t.ToS, LengthS: t.LengthS, BucketS: t.BucketS, Channels: []api.ChannelSeries{},
		Bounds: nonNil(t.Bounds)}
	for i := range t.Series {
		out.Channels = append(out.Channels, apiSeries(&t.Series[i], t.OriginMS, view.MeansOnly))
	}
	return c.JSON(http.StatusOK, out)
}

func apiSeries(x *workshop.Series, origin int64, meansOnly bool) api.ChannelSeries {
	out := api.ChannelSeries{Key: x.Key, Label: x.Label, Quantity: x.Quantity, Unit: x.Unit, Core: x.Core}
	if names := x.Categories(); names != nil {
		out.Categories = &names
	}
	var low, high []float64
	for _, b := range x.Buckets {
		out.T = append(out.T, float64(b.T-origin)/1000)
		out.Mean = append(out.Mean, round(b.Mean))
		low, high = append(low, b.Min), append(high, b.Max)
	}
	if !meansOnly {
		out.Min, out.Max = &low, &high
	}
	return out
}

// round keeps what a chart can show, and the answer short.
func round(x float64) float64 { return math.Round(x*1e4) / 1e4 }

// ExportTelemetry answers with every sample of a trial as CSV.
func (s *Server) ExportTelemetry(c *echo.Context, id int64, params api.ExportTelemetryParams) error {
	ctx := c.Request().Context()
	view := workshop.View{FromS: params.FromS, ToS: params.ToS, Keys: deref(params.Keys)}
	x, err := s.shop.ExportTelemetry(ctx, id, view, deref(params.Shape) == "long")
	if err != nil {
		return err
	}
	return writeTable(c, x)
}

// writeTable answers with a table as a file.
func writeTable(c *echo.Context, x *workshop.Export) error {
	kind := "text/csv"
	if x.Comma == '\t' {
		kind = "text/tab-separated-values"
	}
	c.Response().Header().Set("Content-Type", kind+"; charset=utf-8; header=present")
	attach(c, x.Name)
	c.Response().WriteHeader(http.StatusOK)
	return x.Write(c.Request().Context(), c.Response())
}
