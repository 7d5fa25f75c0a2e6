package server

import (
	"math"
	"net/http"
	"slices"
	"time"

	"github.com/labstack/echo/v5"

	"zerokeel/core/channel"
	"zerokeel/core/columns"
	"zerokeel/core/invalid"
	"zerokeel/core/series"
	"zerokeel/live"
	"zerokeel/server/api"
	"zerokeel/store"
)

// ReadMeter notes what a person read of a meter.
func (s *Server) ReadMeter(c *echo.Context, id int64) error {
	in, err := body[api.Reading](c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	t, r, legs, err := s.whole(ctx, id)
	if err != nil {
		return err
	}
	origin, begun := axisOrigin(legs)
	if !begun {
		return &conflict{"no leg of this trial has begun yet"}
	}
	known := columns.Standard[slices.IndexFunc(columns.Standard, func(k columns.Known) bool { return k.Key == string(in.Channel) })]
	ch := channel.Of(known.Key, 0)
	var f invalid.List
	if slices.ContainsFunc(r.Channels.V, func(o channel.Channel) bool { return o.Key == ch.Key }) {
		f.Add("channel", "leave it to the rig", "%s reads its %s itself", r.Name, ch.Label)
	}
	if ch.Quantity == "temperature" && in.Value > 120 || ch.Quantity == "power" && in.Value < 0 {
		f.Add("value", "give W of 0 or more, or °C up to 120", "%g %s cannot be", in.Value, ch.Unit)
	}
	leg, at := readAt(legs, &in, s.runner.Hub().Status(t.RigID).Clock(time.Now()))
	switch {
	case leg == nil:
		f.Add("leg", "name a leg of this trial that has begun", "there is none")
	case in.AtS != nil:
		at = origin + int64(math.Round(1000**in.AtS))
		if end := legEnd(leg); at < leg.StartedMS.Int64 || at > end {
			f.Add("atS", "give a moment of the leg", "the leg ran from %.0f s to %.0f s", float64(leg.StartedMS.Int64-origin)/1000, float64(end-origin)/1000)
		}
	}
	if len(f) > 0 {
		return f
	}
	if err := s.store.AddReading(ctx, id, leg.ID, ch, series.Sample{T: at, V: in.Value}); err != nil {
		return err
	}
	if leg.State == store.LegEnded {
		samples, err := s.store.Telemetry(ctx, leg.ID, store.Span{Keys: []string{ch.Key}})
		if err != nil {
			return err
		}
		if err := addFigures(ctx, s.store, leg, []channel.Channel{ch}, samples); err != nil {
			return err
		}
	}
	s.bus.Publish(live.Message{Topic: "trial", Rig: t.RigID, ID: id})
	atS := float64(at-origin) / 1000
	in.Leg, in.AtS = &leg.ID, &atS
	return c.JSON(http.StatusCreated, in)
}

// readAt returns the leg that a reading belongs to, and when it was taken if nobody says: now, or at the leg's end.
func readAt(legs []store.Leg, in *api.Reading, now int64) (*store.Leg, int64) {
	for i := range slices.Backward(legs) {
		l := &legs[i]
		if !l.StartedMS.Valid || in.Leg != nil && *in.Leg != l.ID {
			continue
		}
		if l.State == store.LegRunning {
			return l, max(now, l.StartedMS.Int64)
		}
		return l, legEnd(l)
	}
	return nil, 0
}

// legEnd is when the newest sign of a leg came, ms on the rig's clock.
func legEnd(l *store.Leg) int64 {
	ran := l.SeenS
	if l.Finished.Valid {
		ran = l.Finished.V.RanS
	}
	return l.StartedMS.Int64 + int64(1000*ran)
}
