package server

import (
	"context"
	"fmt"
	"math"
	"net/http"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"zerokeel/core/channel"
	"zerokeel/core/govern"
	"zerokeel/core/invalid"
	"zerokeel/core/series"
	"zerokeel/runner"
	"zerokeel/server/api"
	"zerokeel/store"
)

// defaultBuckets is how many points a channel has when nobody asks for a number.
const defaultBuckets = 600

// window is the part of a trial's axis that is asked for, and how finely. Times are ms on the rig's clock.
type window struct {
	origin, from, to, end int64
	buckets               int
	keys                  []string // patterns; none means all
	meansOnly             bool
}

func (w *window) wants(key string) bool {
	return len(w.keys) == 0 || slices.ContainsFunc(w.keys, func(p string) bool {
		stem, open := strings.CutSuffix(p, "*")
		return key == p || open && strings.HasPrefix(key, stem)
	})
}

// coarse reports whether the summed-up levels are fine enough.
func (w *window) coarse() bool { return float64(w.to-w.from)/float64(w.buckets) >= series.LevelMS }

// windowOf works out what is asked for; begun is false when nothing was measured yet.
func windowOf(legs []store.Leg, params *api.GetTelemetryParams) (w window, begun bool, err error) {
	w = window{buckets: defaultBuckets}
	if w.origin, begun = axisOrigin(legs); !begun {
		return w, false, nil
	}
	w.end = w.origin + 1000
	for i := range legs {
		if legs[i].StartedMS.Valid {
			w.end = max(w.end, legEnd(&legs[i])+1)
		}
	}
	w.from, w.to = w.origin, w.end
	if params.Buckets != nil {
		w.buckets = *params.Buckets
	}
	if params.Keys != nil {
		w.keys = *params.Keys
	}
	w.meansOnly = params.MeansOnly != nil && *params.MeansOnly
	if params.FromS != nil {
		w.from = w.origin + int64(1000**params.FromS)
	}
	if params.ToS != nil {
		w.to = w.origin + int64(1000**params.ToS)
	}
	if w.to <= w.from {
		return w, true, invalid.List{{Field: "toS", Problem: fmt.Sprintf("it ends at %g s, where it begins or before", float64(w.to-w.origin)/1000), Remedy: "give an end after the start"}}
	}
	return w, true, nil
}

// GetTelemetry answers with a trial's figures over one axis.
func (s *Server) GetTelemetry(c *echo.Context, id int64, params api.GetTelemetryParams) error {
	ctx := c.Request().Context()
	_, r, legs, err := s.whole(ctx, id)
	if err != nil {
		return err
	}
	out := api.Telemetry{Channels: []api.ChannelSeries{}}
	names := make([]string, len(govern.Limiters))
	for i, l := range govern.Limiters {
		names[i] = string(l)
	}
	out.Limiters = &names
	if r.Channels.V, err = s.channelsOf(ctx, r, id); err != nil {
		return err
	}
	w, begun, err := windowOf(legs, &params)
	if err != nil || !begun {
		if err == nil {
			err = c.JSON(http.StatusOK, out)
		}
		return err
	}
	out.FromS, out.ToS, out.LengthS = float64(w.from-w.origin)/1000, float64(w.to-w.origin)/1000, float64(w.end-w.origin)/1000
	out.BucketS = (out.ToS - out.FromS) / float64(w.buckets)
	right, err := runner.RightOf(ctx, s.store, r)
	if err != nil {
		return err
	}
	gather := s.fine
	if w.coarse() {
		gather = s.coarse
	}
	channels, buckets, err := gather(ctx, r, right, legs, &w)
	if err != nil {
		return err
	}
	if list := channel.Above(buckets, r.AmbientC); len(list) > 0 {
		buckets[channel.AboveAmbient] = list
		channels = append(channels, channel.Of(channel.AboveAmbient, 0))
	}
	for _, ch := range channels {
		// A channel that showed nothing but gaps so far is left out, like one that is not there.
		if list := buckets[ch.Key]; len(list) > 0 && w.wants(ch.Key) {
			out.Channels = append(out.Channels, seriesOf(ch, list, &w))
		}
	}
	return c.JSON(http.StatusOK, out)
}

// span is what has to be read for a window: the channels asked for, and those from which others are derived.
func (w *window) span(r *store.Rig) store.Span {
	q := store.Span{From: w.from, To: w.to}
	if len(w.keys) == 0 {
		return q
	}
	for _, ch := range r.Channels.V {
		if w.wants(ch.Key) || w.derives(ch.Key) {
			q.Keys = append(q.Keys, ch.Key)
		}
	}
	if len(q.Keys) == 0 {
		q.Keys = []string{""} // none that there is
	}
	return q
}

// derives reports whether a channel asked for is derived from this one.
func (w *window) derives(key string) bool {
	return slices.ContainsFunc(channel.Registry, func(d channel.Def) bool {
		return w.wants(d.Pattern) && slices.ContainsFunc(channel.Sources(d.Pattern), func(from string) bool { return channel.Matches(from, key) })
	})
}

// fine gathers buckets from the samples themselves.
func (s *Server) fine(ctx context.Context, r *store.Rig, right runner.Right, legs []store.Leg, w *window) ([]channel.Channel, map[string][]series.Bucket, error) {
	samples := map[string][]series.Sample{}
	for _, l := range legs {
		if !l.StartedMS.Valid {
			continue
		}
		own, err := s.store.Telemetry(ctx, l.ID, w.span(r))
		if err != nil {
			return nil, nil, err
		}
		for key, list := range own {
			samples[key] = append(samples[key], list...)
		}
	}
	right.Put(samples)
	channels, derived := channel.Derived(r.Channels.V, samples)
	out := map[string][]series.Bucket{}
	for _, all := range []map[string][]series.Sample{samples, derived} {
		for key, list := range all {
			out[key] = series.Downsample(list, w.from, w.to, w.buckets)
		}
	}
	return append(slices.Clone(r.Channels.V), channels...), out, nil
}

// coarse gathers buckets from the levels, for spans too long to read every sample.
func (s *Server) coarse(ctx context.Context, r *store.Rig, right runner.Right, legs []store.Leg, w *window) ([]channel.Channel, map[string][]series.Bucket, error) {
	out := map[string][]series.Bucket{}
	for _, l := range legs {
		if !l.StartedMS.Valid {
			continue
		}
		own, err := s.store.Levels(ctx, l.ID, w.span(r))
		if err != nil {
			return nil, nil, err
		}
		for key, list := range own {
			out[key] = append(out[key], list...)
		}
	}
	for key, list := range out {
		list = series.Merge(list, w.from, w.to, w.buckets)
		by := right.Of(key)
		for i := range list {
			low, high := by.Apply(list[i].Min), by.Apply(list[i].Max)
			list[i].Min, list[i].Mean, list[i].Max = min(low, high), by.Apply(list[i].Mean), max(low, high)
		}
		out[key] = list
	}
	// What is derived from several channels is derived from their lowest, mean and highest figures each.
	channels, means := derived(r, out, func(b series.Bucket) float64 { return b.Mean })
	lows, highs := means, means
	if !w.meansOnly {
		_, lows = derived(r, out, func(b series.Bucket) float64 { return b.Min })
		_, highs = derived(r, out, func(b series.Bucket) float64 { return b.Max })
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

// derived returns the channels derived from one of the figures of each bucket.
func derived(r *store.Rig, buckets map[string][]series.Bucket, of func(series.Bucket) float64) ([]channel.Channel, map[string][]series.Sample) {
	samples := make(map[string][]series.Sample, len(buckets))
	for key, list := range buckets {
		own := make([]series.Sample, len(list))
		for i, b := range list {
			own[i] = series.Sample{T: b.T, V: of(b)}
		}
		samples[key] = own
	}
	return channel.Derived(r.Channels.V, samples)
}

func seriesOf(ch channel.Channel, buckets []series.Bucket, w *window) api.ChannelSeries {
	out := api.ChannelSeries{Key: ch.Key, Label: ch.Label, Quantity: ch.Quantity, Unit: ch.Unit, Core: ch.Core}
	var low, high []float64
	for _, b := range buckets {
		out.T = append(out.T, float64(b.T-w.origin)/1000)
		out.Mean = append(out.Mean, round(b.Mean))
		low, high = append(low, b.Min), append(high, b.Max)
	}
	if !w.meansOnly {
		out.Min, out.Max = &low, &high
	}
	return out
}

// round keeps what a chart can show, and the answer short.
func round(x float64) float64 { return math.Round(x*1e4) / 1e4 }
