package workshop

import (
	"context"
	"math"

	"zerokeel/core/channel"
	"zerokeel/core/forecast"
	"zerokeel/core/load"
	"zerokeel/core/stat"
)

// MeasuredLoad is what legs of a load measured under a trim, on average; NaN where none tells a figure.
type MeasuredLoad struct {
	Load                                              load.Kind
	Legs                                              int
	MeanMHz, PackageW, DeliveredV, HottestC, AmbientC float64
}

// Outcome is what was forecast of a trim, each load in the room in which it was then measured, and what was measured under it.
type Outcome struct {
	Forecast *forecast.Result
	Measured []MeasuredLoad
}

// Outcome returns what was forecast of a trim, and what was measured under it by legs that say how the machine settles.
func (w *Workshop) Outcome(ctx context.Context, id int64) (*Outcome, error) {
	if err := may(ctx, look, 0); err != nil {
		return nil, err
	}
	t, err := w.store.Trim(ctx, id)
	if err != nil {
		return nil, err
	}
	out := &Outcome{Measured: []MeasuredLoad{}}
	if t.Forecast.Valid {
		out.Forecast = &t.Forecast.V
	}
	h, err := w.history(ctx, t.RigID)
	if err != nil {
		return nil, err
	}
	rooms := map[load.Kind]float64{}
	for _, kind := range []load.Kind{load.Heavy, load.Mixed, load.Light, load.Idle} {
		m := MeasuredLoad{Load: kind}
		figures := map[string][]float64{}
		for i := range h.records {
			l := &h.records[i]
			if l.TrimID != id || l.Load != kind {
				continue
			}
			m.Legs++
			for _, key := range []string{channel.MeanClock, channel.PackagePower, channel.DeliveredVoltage, channel.Temperature, channel.Ambient} {
				if x, _ := l.figure(key); !math.IsNaN(x) {
					figures[key] = append(figures[key], x)
				}
			}
		}
		if m.Legs == 0 {
			continue
		}
		m.MeanMHz, m.PackageW, m.DeliveredV = averageOf(figures[channel.MeanClock]), averageOf(figures[channel.PackagePower]),
			averageOf(figures[channel.DeliveredVoltage])
		m.HottestC, m.AmbientC = averageOf(figures[channel.Temperature]), averageOf(figures[channel.Ambient])
		out.Measured = append(out.Measured, m)
		rooms[kind] = m.AmbientC
	}
	if out.Forecast != nil {
		out.Forecast = out.Forecast.In(rooms)
	}
	return out, nil
}

// averageOf returns the mean, NaN of none.
func averageOf(x []float64) float64 {
	if len(x) == 0 {
		return math.NaN()
	}
	return stat.Summarise(x).Mean
}
