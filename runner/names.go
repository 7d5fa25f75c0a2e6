package runner

import (
	"context"
	"errors"
	"slices"

	"zerokeel/core/channel"
	"zerokeel/link"
	"zerokeel/store"
)

// names gives the sensors of a rig the names that its board's sheet maps them to, and returns which keys became which. A
// channel that the rig tells under its right name already is not given to another sensor.
func (r *Runner) names(ctx context.Context, rig int64, h *link.Hello) (map[string]string, error) {
	row, err := r.store.Rig(ctx, rig)
	if err != nil {
		return nil, err
	}
	set, err := r.store.PartSet(ctx, row)
	if errors.Is(err, store.ErrNotFound) {
		return nil, nil
	} else if err != nil {
		return nil, err
	}
	out := map[string]string{}
	for i, c := range h.Channels {
		to, mapped := set.Board.Sensors[c.Key]
		if !mapped || slices.ContainsFunc(h.Channels, func(o channel.Channel) bool { return o.Key == to.Channel }) {
			continue
		}
		out[c.Key] = to.Channel
		h.Channels[i].Key = to.Channel
		if to.Label != "" {
			h.Channels[i].Label = to.Label
		}
	}
	return out, nil
}

// renamed gives the figures of frames the names that their rig's sensors were given.
func (r *Runner) renamed(rig int64, frames []link.Frame) {
	known, _ := r.named.Load(rig)
	names, _ := known.(map[string]string)
	if len(names) == 0 {
		return
	}
	for _, f := range frames {
		if f.Samples == nil {
			continue
		}
		for i, key := range f.Samples.Channels {
			if to, ok := names[key]; ok {
				f.Samples.Channels[i] = to
			}
		}
	}
}
