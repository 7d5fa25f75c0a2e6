package workshop

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"

	"zerokeel/core/channel"
	"zerokeel/core/invalid"
	"zerokeel/core/machine"
	"zerokeel/core/series"
	"zerokeel/store"
)

// defaultBuckets is how many points a channel has when nobody asks for a number.
const defaultBuckets = 600

// View is the part of a trial's axis that is asked for, and how finely.
type View struct {
	FromS, ToS *float64 // on the trial's axis; nil for its start and end
	Buckets    int      // points a channel; 0 for defaultBuckets
	Keys       []string // patterns, with a star at their end for all that begin so; none means all
	MeansOnly  bool
}

// Telemetry is what a trial's channels showed over one axis, in seconds since the trial's start.
type Telemetry struct {
	OriginMS                     int64 // on the rig's clock
	FromS, ToS, LengthS, BucketS float64
	Series                       []Series
	Bounds                       []machine.Bound // limits of the trial's trim that bound a channel
}

// Series is a channel over the axis: a bucket for each time at which it showed something.
type Series struct {
	channel.Channel
	Buckets []series.Bucket
}

// window is a view in ms on the rig's clock.
type window struct {
	origin, from, to, end int64
	buckets               int
	keys                  []string
	meansOnly             bool
	clusters              []channel.Cluster // of the rig's processor
}

func (v *window) wants(key string) bool {
	return len(v.keys) == 0 || slices.ContainsFunc(v.keys, func(p string) bool {
		stem, open := strings.CutSuffix(p, "*")
		return key == p || open && strings.HasPrefix(key, stem)
	})
}

// coarse reports whether the summed-up levels are fine enough.
func (v *window) coarse() bool { return float64(v.to-v.from)/float64(v.buckets) >= series.LevelMS }

// windowOf works out what is asked for; begun is false when nothing was measured yet.
func windowOf(t *Trial, view *View) (w window, begun bool, err error) {
	w = window{buckets: defaultBuckets, keys: view.Keys, meansOnly: view.MeansOnly}
	if w.origin, begun = t.OriginMS(); !begun {
		return w, false, nil
	}
	w.end = w.origin + 1000
	for i := range t.Legs {
		if t.Legs[i].StartedMS.Valid {
			w.end = max(w.end, t.Legs[i].EndMS()+1)
		}
	}
	w.from, w.to = w.origin, w.end
	if view.Buckets > 0 {
		w.buckets = view.Buckets
	}
	if view.FromS != nil {
		w.from = w.origin + int64(1000**view.FromS)
	}
	if view.ToS != nil {
		w.to = w.origin + int64(1000**view.ToS)
	}
	if w.to <= w.from {
		return w, true, invalid.List{{Field: "toS", Problem: fmt.Sprintf("it ends at %g s, where it begins or before",
			float64(w.to-w.origin)/1000),
			Remedy: "give an end after the start"}}
	}
	return w, true, nil
}

// Telemetry returns what a trial's channels showed. A channel that showed nothing but gaps is left out.
func (w *Workshop) Telemetry(ctx context.Context, trial int64, view View) (*Telemetry, error) {
	if err := may(ctx, look, 0); err != nil {
		return nil, err
	}
	t, r, err := w.whole(ctx, trial)
	if err != nil {
		return nil, err
	}
	if r.Channels.V, err = w.channelsOf(ctx, r, trial); err != nil {
		return nil, err
	}
	under, err := w.store.Trim(ctx, t.TrimID)
	if err != nil {
		return nil, err
	}
	out := &Telemetry{}
	clusters, bounds, err := w.bearings(ctx, r, under)
	if err != nil {
		return nil, err
	}
	out.Bounds = bounds
	v, begun, err := windowOf(t, &view)
	v.clusters = clusters
	if err != nil || !begun {
		return out, err
	}
	if t.DroppedAt.Valid && !v.coarse() {
		v.buckets = max(1, int((v.to-v.from)/series.LevelMS)) // as finely as it is still known
	}
	out.OriginMS, out.FromS, out.ToS, out.LengthS = v.origin, float64(v.from-v.origin)/1000, float64(v.to-v.origin)/1000,
		float64(v.end-v.origin)/1000
	out.BucketS = (out.ToS - out.FromS) / float64(v.buckets)
	right, err := w.rightOf(ctx, r)
	if err != nil {
		return nil, err
	}
	gather := w.fine
	if v.coarse() {
		gather = w.coarse
	}
	channels, buckets, err := gather(ctx, r, right, t.Legs, &v)
	if err != nil {
		return nil, err
	}
	if list := channel.Above(buckets, r.AmbientC); len(list) > 0 {
		buckets[channel.AboveAmbient] = list
		channels = append(channels, channel.Of(channel.AboveAmbient, 0))
	}
	for _, c := range channels {
		if list := buckets[c.Key]; len(list) > 0 && v.wants(c.Key) {
			out.Series = append(out.Series, Series{c, list})
		}
	}
	return out, nil
}

// span is what has to be read for a window: the channels asked for that want says, and those from which others are derived.
func (v *window) span(r *store.Rig, want func(channel.Channel) bool) store.Span {
	q := store.Span{From: v.from, To: v.to}
	for _, c := range r.Channels.V {
		if want(c) && (v.wants(c.Key) || v.derives(c.Key)) {
			q.Keys = append(q.Keys, c.Key)
		}
	}
	if len(q.Keys) == 0 {
		q.Keys = []string{""} // none that there is
	}
	return q
}

// derives reports whether a channel asked for is derived from this one.
func (v *window) derives(key string) bool {
	return slices.ContainsFunc(channel.Registry, func(d channel.Def) bool {
		return v.wants(d.Pattern) && slices.ContainsFunc(channel.Sources(d.Pattern), func(from string) bool { return channel.Matches(from, key) })
	})
}

func figures(c channel.Channel) bool    { return c.Categories() == nil }
func categories(c channel.Channel) bool { return c.Categories() != nil }
func everything(channel.Channel) bool   { return true }

// samples reads what some channels of a trial's legs showed within a window.
func (w *Workshop) samples(ctx context.Context, legs []store.Leg, q store.Span) (channel.Samples, error) {
	samples := channel.Samples{}
	for _, l := range legs {
		if !l.StartedMS.Valid {
			continue
		}
		own, err := w.store.Telemetry(ctx, l.ID, q)
		if err != nil {
			return nil, err
		}
		for key, list := range own {
			samples[key] = append(samples[key], list...)
		}
	}
	return samples, nil
}

// fine gathers buckets from the samples themselves.
func (w *Workshop) fine(ctx context.Context, r *store.Rig, right Right, legs []store.Leg, v *window) ([]channel.Channel,
	map[string][]series.Bucket, error) {
	samples, err := w.samples(ctx, legs, v.span(r, everything))
	if err != nil {
		return nil, nil, err
	}
	right.put(samples)
	channels, derived := channel.Derived(r.Channels.V, samples, v.clusters)
	channels = append(slices.Clone(r.Channels.V), channels...)
	out := map[string][]series.Bucket{}
	for _, c := range channels {
		list, told := samples[c.Key]
		if !told {
			list = derived[c.Key]
		}
		if categories(c) {
			out[c.Key] = series.Modes(list, v.from, v.to, v.buckets)
			continue
		}
		out[c.Key] = series.Downsample(list, v.from, v.to, v.buckets)
	}
	return channels, out, nil
}

// coarse gathers buckets from the levels, for spans too long to read every sample. Of categories every sample is read all
// the same: a level holds a mean, which says nothing of them.
func (w *Workshop) coarse(ctx context.Context, r *store.Rig, right Right, legs []store.Leg, v *window) ([]channel.Channel,
	map[string][]series.Bucket, error) {
	out := map[string][]series.Bucket{}
	q := v.span(r, figures)
	for _, l := range legs {
		if !l.StartedMS.Valid {
			continue
		}
		own, err := w.store.Levels(ctx, l.ID, q)
		if err != nil {
			return nil, nil, err
		}
		for key, list := range own {
			out[key] = append(out[key], list...)
		}
	}
	for key, list := range out {
		list = series.Merge(list, v.from, v.to, v.buckets)
		by := right.Of(key)
		for i := range list {
			low, high := by.Apply(list[i].Min), by.Apply(list[i].Max)
			list[i].Min, list[i].Mean, list[i].Max = min(low, high), by.Apply(list[i].Mean), max(low, high)
		}
		out[key] = list
	}
	named, err := w.samples(ctx, legs, v.span(r, categories))
	if err != nil {
		return nil, nil, err
	}
	for key, list := range named {
		out[key] = series.Modes(list, v.from, v.to, v.buckets)
	}
	// What is derived from several channels is derived from their lowest, mean and highest figures each.
	channels, means := v.derivedFrom(r, out, func(b series.Bucket) float64 { return b.Mean })
	lows, highs := means, means
	if !v.meansOnly {
		_, lows = v.derivedFrom(r, out, func(b series.Bucket) float64 { return b.Min })
		_, highs = v.derivedFrom(r, out, func(b series.Bucket) float64 { return b.Max })
	}
	for key, list := range means {
		for i, m := range list {
			if !math.IsNaN(m.V) {
				out[key] = append(out[key], series.Bucket{T: m.T, Min: lows[key][i].V, Mean: m.V, Max: highs[key][i].V, N: 1})
			}
		}
	}
	return append(slices.Clone(r.Channels.V), channels...), out, nil
}

// derivedFrom returns the channels derived from one of the figures of each bucket.
func (v *window) derivedFrom(r *store.Rig, buckets map[string][]series.Bucket, of func(series.Bucket) float64) ([]channel.Channel,
	channel.Samples) {
	samples := make(channel.Samples, len(buckets))
	for key, list := range buckets {
		own := make([]series.Sample, len(list))
		for i, b := range list {
			own[i] = series.Sample{T: b.T, V: of(b)}
		}
		samples[key] = own
	}
	return channel.Derived(r.Channels.V, samples, v.clusters)
}
