package server

import (
	"fmt"
	"math"
	"net/http"
	"slices"

	"github.com/labstack/echo/v5"

	"zerokeel/core/channel"
	"zerokeel/core/invalid"
	"zerokeel/core/sensor"
	"zerokeel/live"
	"zerokeel/runner"
	"zerokeel/server/api"
	"zerokeel/store"
)

// ListCorrections answers with how a rig's figures are put right, and with what looks as if it should be.
func (s *Server) ListCorrections(c *echo.Context, id int64) error {
	ctx := c.Request().Context()
	r, err := s.store.Rig(ctx, id)
	if err != nil {
		return err
	}
	own, err := s.store.Corrections(ctx, id)
	if err != nil {
		return err
	}
	out := []api.Correction{}
	entered := func(channel string) bool {
		return slices.ContainsFunc(own, func(o store.Correction) bool { return o.Channel == channel })
	}
	for i := range own {
		out = append(out, apiCorrection(r, own[i].Channel, sensor.Correction{Scale: own[i].Scale, Shift: own[i].Shift}, own[i].Reason, "rig"))
	}
	if set, err := s.store.PartSet(ctx, r); err == nil {
		for _, q := range set.Board.Quirks {
			if q.Scale > 0 && q.Channel != "" && !entered(q.Channel) {
				out = append(out, apiCorrection(r, q.Channel, sensor.Correction{Scale: q.Scale}, q.Text, "board"))
			}
		}
	}
	if p, text, ok, err := s.doubt(c, r); err != nil {
		return err
	} else if ok && !entered(channel.DeliveredVoltage) {
		out = append(out, apiCorrection(r, channel.DeliveredVoltage, p, text, "proposed"))
	}
	return c.JSON(http.StatusOK, out)
}

// doubt looks at the newest leg that tells both the voltage requested and the one delivered.
func (s *Server) doubt(c *echo.Context, r *store.Rig) (sensor.Correction, string, bool, error) {
	ctx := c.Request().Context()
	trials, err := s.store.Trials(ctx, r.ID)
	if err != nil || len(trials) == 0 {
		return sensor.Correction{}, "", false, err
	}
	legs, err := s.store.Legs(ctx, trials[0].ID)
	if err != nil {
		return sensor.Correction{}, "", false, err
	}
	for i := range slices.Backward(legs) {
		means := map[string]float64{}
		for _, f := range legs[i].Figures.V {
			means[f.Key] = f.Mean
		}
		if p, ok := sensor.Doubt(means[channel.RequestedVoltage], means[channel.DeliveredVoltage]); ok {
			return p, fmt.Sprintf("it showed %.3f V while %.3f V were requested", means[channel.DeliveredVoltage], means[channel.RequestedVoltage]), true, nil
		}
	}
	return sensor.Correction{}, "", false, nil
}

func apiCorrection(r *store.Rig, key string, c sensor.Correction, reason, source string) api.Correction {
	out := api.Correction{Channel: key, Label: key, Scale: c.Scale, Shift: c.Shift, Reason: reason, Source: api.CorrectionSource(source)}
	if i := slices.IndexFunc(r.Channels.V, func(ch channel.Channel) bool { return ch.Key == key }); i >= 0 {
		out.Label, out.Unit = r.Channels.V[i].Label, r.Channels.V[i].Unit
	}
	return out
}

// PutCorrection puts a channel right.
func (s *Server) PutCorrection(c *echo.Context, id int64, key string) error {
	in, err := body[api.CorrectionRequest](c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	r, err := s.store.Rig(ctx, id)
	if err != nil {
		return err
	}
	var f invalid.List
	if !slices.ContainsFunc(r.Channels.V, func(ch channel.Channel) bool { return ch.Key == key }) {
		f.Add("channel", fmt.Sprintf("name one of the %d channels of %s", len(r.Channels.V), r.Name), "%.40q is none of them", key)
	}
	if size := math.Abs(in.Scale); !(size >= 0.001 && size <= 1000) {
		f.Add("scale", "give 0.001 to 1000, or a negative one", "%g is out of range", in.Scale)
	}
	if !(math.Abs(in.Shift) <= 1e6) {
		f.Add("shift", "give at most a million", "%g is out of range", in.Shift)
	}
	if len(f) > 0 {
		return f
	}
	before, err := runner.RightOf(ctx, s.store, r)
	if err != nil {
		return err
	}
	row := &store.Correction{RigID: id, Channel: key, Scale: in.Scale, Shift: in.Shift, Reason: in.Reason}
	if err := s.store.SetCorrection(ctx, row, instead(before.Of(key), sensor.Correction{Scale: in.Scale, Shift: in.Shift})); err != nil {
		return err
	}
	s.corrected(id)
	return c.JSON(http.StatusOK, apiCorrection(r, key, sensor.Correction{Scale: in.Scale, Shift: in.Shift}, in.Reason, "rig"))
}

// DeleteCorrection shows a channel as it is read again.
func (s *Server) DeleteCorrection(c *echo.Context, id int64, key string) error {
	ctx := c.Request().Context()
	r, err := s.store.Rig(ctx, id)
	if err != nil {
		return err
	}
	before, err := runner.RightOf(ctx, s.store, r)
	if err != nil {
		return err
	}
	if err := s.store.DropCorrection(ctx, id, key, instead(before.Of(key), before.Board(key))); err != nil {
		return err
	}
	s.corrected(id)
	return c.NoContent(http.StatusNoContent)
}

// instead returns what turns a figure that was put right in one way into one put right in another.
func instead(before, after sensor.Correction) func(float64) float64 {
	return func(x float64) float64 { return after.Apply(before.Undo(x)) }
}

// corrected forgets what was made of figures as they were before.
func (s *Server) corrected(rig int64) {
	s.fits.forget()
	s.parents.forget()
	s.bus.Publish(live.Message{Topic: "trial", Rig: rig})
}
