package workshop

import (
	"context"
	"errors"
	"math"

	"zerokeel/core/channel"
	"zerokeel/core/heat"
	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/store"
)

// FiguresOf returns what the figures of a leg under a trim hang on: the rig's room, and the limits that were in force. Of a rig
// whose parts are not known no limit is.
func (w *Workshop) FiguresOf(ctx context.Context, r *store.Rig, trim int64, kind load.Kind) (channel.Leg, error) {
	if err := may(ctx, look, r.ID); err != nil {
		return channel.Leg{}, err
	}
	out := channel.Leg{Load: kind, AmbientC: r.AmbientC, Most: map[string]float64{}}
	if learnt := r.CoolerFan.V.Answers; len(learnt) > 0 {
		out.Fan = learnt[0]
	}
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
	out.Clusters = clustersOf(set)
	out.Noise = func(rpm float64) float64 {
		return heat.Together(heat.Noise(set.Cooler.Fan, rpm), heat.PumpNoise(set.Cooler.Pump, tuning.Pump))
	}
	limits := &tuning.Limits
	for key, limit := range map[string]float64{channel.Temperature: limits.TemperatureC, channel.PackagePower: limits.SustainedW} {
		if !math.IsInf(limit, 1) {
			out.Most[key] = limit
		}
	}
	return out, nil
}

// clustersOf lists the clusters of a processor that has several, by their kind where that tells them apart.
func clustersOf(set *part.Set) []channel.Cluster {
	p := set.Processor
	if len(p.Clusters) < 2 {
		return nil
	}
	kinds := map[string]int{}
	for _, c := range p.Clusters {
		kinds[c.Kind]++
	}
	out := make([]channel.Cluster, len(p.Clusters))
	core := 0
	for i, c := range p.Clusters {
		out[i].Name = c.Name
		if kinds[c.Kind] == 1 {
			out[i].Name = map[string]string{part.KindPerformance: "P-cores", part.KindEfficiency: "E-cores"}[c.Kind]
		}
		for range c.Cores {
			out[i].Cores = append(out[i].Cores, core)
			core++
		}
	}
	return out
}

// bearings are what the drawing of a trial hangs on beside its samples: the clusters of the processor, and the limits in force.
// Of a rig whose parts are not known there are none.
func (w *Workshop) bearings(ctx context.Context, r *store.Rig, under *store.Trim) ([]channel.Cluster, []machine.Bound, error) {
	set, err := w.store.PartSet(ctx, r)
	if errors.Is(err, store.ErrNotFound) {
		return nil, nil, nil
	}
	if err != nil {
		return nil, nil, err
	}
	tuning, err := machine.Tune(set, under.Settings.V)
	if err != nil {
		return clustersOf(set), nil, nil // its sheets have changed since, and say nothing of this trim
	}
	return clustersOf(set), tuning.Bounds(), nil
}
