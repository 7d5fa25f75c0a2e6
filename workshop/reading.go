package workshop

import (
	"context"
	"math"
	"slices"

	"zerokeel/core/channel"
	"zerokeel/core/columns"
	"zerokeel/core/invalid"
	"zerokeel/core/series"
	"zerokeel/store"
)

// Reading is what a person read of a meter: of which channel, and when. A Leg of 0 is the newest, and without AtS it was
// read now, or at the end of a leg that has ended.
type Reading struct {
	Channel string
	Value   float64
	Leg     int64
	AtS     *float64 // on the trial's axis
}

// NoteReading notes a reading, and returns it with its leg and moment.
func (w *Workshop) NoteReading(ctx context.Context, trial int64, in Reading) (*Reading, error) {
	if err := may(ctx, change, 0); err != nil {
		return nil, err
	}
	t, r, err := w.whole(ctx, trial)
	if err != nil {
		return nil, err
	}
	origin, begun := t.OriginMS()
	if !begun {
		return nil, conflict("no leg of this trial has begun yet")
	}
	now, err := w.clockMS(ctx, t.RigID)
	if err != nil {
		return nil, err
	}
	var f invalid.List
	place := slices.IndexFunc(columns.Standard, func(k columns.Known) bool { return k.Key == in.Channel })
	if place < 0 {
		f.Add("channel", "name one that a meter shows", "%.40q is none of them", in.Channel)
		return nil, f
	}
	ch := channel.Of(in.Channel, 0)
	if slices.ContainsFunc(r.Channels.V, func(o channel.Channel) bool { return o.Key == ch.Key }) {
		f.Add("channel", "leave it to the rig", "%s reads its %s itself", r.Name, ch.Label)
	}
	if ch.Quantity == "temperature" && !(in.Value >= -60 && in.Value <= 120) ||
		ch.Quantity == "power" && !(in.Value >= 0 && in.Value <= 1e5) {
		f.Add("value", "give W of 0 or more, or °C from −60 to 120", "%g %s cannot be", in.Value, ch.Unit)
	}
	leg, at := readAt(t.Legs, &in, now)
	switch {
	case leg == nil:
		f.Add("leg", "name a leg of this trial that has begun", "there is none")
	case in.AtS != nil:
		at = origin + int64(math.Round(1000**in.AtS))
		if end := leg.EndMS(); at < leg.StartedMS.Int64 || at > end {
			f.Add("atS", "give a moment of the leg", "the leg ran from %.0f s to %.0f s", float64(leg.StartedMS.Int64-origin)/1000,
				float64(end-origin)/1000)
		}
	}
	if len(f) > 0 {
		return nil, f
	}
	if err := w.store.AddReading(ctx, trial, leg.ID, ch, series.Sample{T: at, V: in.Value}); err != nil {
		return nil, err
	}
	if leg.State == store.LegEnded {
		samples, err := w.store.Telemetry(ctx, leg.ID, store.Span{Keys: []string{ch.Key}})
		if err != nil {
			return nil, err
		}
		if err := addFigures(ctx, w.store, leg, []channel.Channel{ch}, samples); err != nil {
			return nil, err
		}
	}
	atS := float64(at-origin) / 1000
	in.Leg, in.AtS = leg.ID, &atS
	return &in, nil
}

// readAt returns the leg that a reading belongs to, and when it was taken if nobody says.
func readAt(legs []store.Leg, in *Reading, now int64) (*store.Leg, int64) {
	for i := range slices.Backward(legs) {
		l := &legs[i]
		if !l.StartedMS.Valid || in.Leg != 0 && in.Leg != l.ID {
			continue
		}
		if l.State == store.LegRunning {
			return l, max(now, l.StartedMS.Int64)
		}
		return l, l.EndMS()
	}
	return nil, 0
}
