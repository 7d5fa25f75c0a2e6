package workshop

import (
	"context"
	"errors"
	"math"

	"zerokeel/core/channel"
	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/store"
)

// FiguresOf returns what the figures of a leg under a trim hang on: the rig's room, and the limits that were in force. Of a rig
// whose parts are not known no limit is.
func (w *Workshop) FiguresOf(ctx context.Context, r *store.Rig, trim int64, kind load.Kind) (channel.Leg, error) {
	if err := may(ctx, look, r.ID); err != nil {
		return channel.Leg{}, err
	}
	out := channel.Leg{Load: kind, AmbientC: r.AmbientC, Most: map[string]float64{}}
	set, err := w.store.PartSet(ctx, r)
	if errors.Is(err, store.ErrNotFound) {
		return out, nil
	}
	if err != nil {
		return out, err
	}
	t, err := w.trimOf(ctx, r.ID, trim)
	if err != nil {
		return out, err
	}
	tuning, err := machine.Tune(set, t.Settings.V)
	if err != nil {
		return out, nil // its sheets have changed since, and say nothing of this trim
	}
	limits := &tuning.Limits
	for key, limit := range map[string]float64{channel.Temperature: limits.TemperatureC, channel.PackagePower: limits.SustainedW} {
		if !math.IsInf(limit, 1) {
			out.Most[key] = limit
		}
	}
	return out, nil
}
