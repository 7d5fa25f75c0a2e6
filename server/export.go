package server

import (
	"bufio"
	"encoding/csv"
	"fmt"
	"math"
	"net/http"
	"slices"
	"strconv"
	"time"

	"github.com/labstack/echo/v5"

	"zerokeel/core/channel"
	"zerokeel/core/series"
	"zerokeel/runner"
	"zerokeel/server/api"
	"zerokeel/store"
)

// exportStep is how much of a trial is read at once while it is written out, in ms.
const exportStep = 600_000

// ExportTelemetry writes every sample of a trial as CSV: wide, a line for each moment and a column for each channel, or
// long, a line for each sample. Figures that a board shows wrongly are put right, as on the pages.
func (s *Server) ExportTelemetry(c *echo.Context, id int64, params api.ExportTelemetryParams) error {
	ctx := c.Request().Context()
	t, r, legs, err := s.whole(ctx, id)
	if err != nil {
		return err
	}
	right, err := runner.RightOf(ctx, s.store, r)
	if err != nil {
		return err
	}
	if r.Channels.V, err = s.channelsOf(ctx, r, id); err != nil {
		return err
	}
	w, begun, err := windowOf(legs, &api.GetTelemetryParams{FromS: params.FromS, ToS: params.ToS, Keys: params.Keys})
	if err != nil {
		return err
	}
	channels := slices.DeleteFunc(slices.Clone(r.Channels.V), func(ch channel.Channel) bool { return !w.wants(ch.Key) })
	head := c.Response().Header()
	head.Set("Content-Type", "text/csv; charset=utf-8; header=present")
	head.Set("Content-Disposition", fmt.Sprintf(`attachment; filename="%s-trial-%d.csv"`, letters(r.Name), t.Number))
	c.Response().WriteHeader(http.StatusOK)
	buffer := bufio.NewWriterSize(c.Response(), 1<<16)
	out := table{csv: csv.NewWriter(buffer), channels: channels, origin: w.origin, long: params.Shape != nil && *params.Shape == "long"}
	if err := out.header(); err != nil || !begun {
		out.csv.Flush()
		return orFlush(err, buffer)
	}
	for from := w.from; from < w.to; from += exportStep {
		span := w
		span.from, span.to = from, min(w.to, from+exportStep)
		samples := map[string][]series.Sample{}
		for _, l := range legs {
			if !l.StartedMS.Valid {
				continue
			}
			own, err := s.store.Telemetry(ctx, l.ID, store.Span{From: span.from, To: span.to})
			if err != nil {
				return err
			}
			for key, list := range own {
				samples[key] = append(samples[key], list...)
			}
		}
		right.Put(samples)
		if err := out.write(samples); err != nil {
			return err
		}
	}
	out.csv.Flush()
	return orFlush(out.csv.Error(), buffer)
}

func orFlush(err error, b *bufio.Writer) error {
	if err != nil {
		return err
	}
	return b.Flush()
}

// table writes samples as CSV (RFC 4180), numbers with a point.
type table struct {
	csv      *csv.Writer
	channels []channel.Channel
	origin   int64
	long     bool
}

func (t *table) header() error {
	if t.long {
		return t.csv.Write([]string{"time", "seconds", "channel", "unit", "value"})
	}
	line := []string{"time", "seconds"}
	for _, ch := range t.channels {
		name := ch.Key
		if ch.Unit != "" {
			name += " [" + ch.Unit + "]"
		}
		line = append(line, name)
	}
	return t.csv.Write(line)
}

func (t *table) write(samples map[string][]series.Sample) error {
	var moments []int64
	for _, ch := range t.channels {
		for _, s := range samples[ch.Key] {
			moments = append(moments, s.T)
		}
	}
	slices.Sort(moments)
	moments = slices.Compact(moments)
	at := make([]int, len(t.channels))
	for _, m := range moments {
		when := []string{time.UnixMilli(m).UTC().Format("2006-01-02T15:04:05.000Z"), strconv.FormatFloat(float64(m-t.origin)/1000, 'f', 3, 64)}
		line := slices.Clone(when)
		for i, ch := range t.channels {
			list, text := samples[ch.Key], ""
			for at[i] < len(list) && list[at[i]].T <= m {
				if v := list[at[i]].V; !math.IsNaN(v) {
					text = strconv.FormatFloat(v, 'g', -1, 64)
				}
				at[i]++
			}
			if !t.long {
				line = append(line, text)
			} else if text != "" {
				if err := t.csv.Write(append(slices.Clone(when), ch.Key, ch.Unit, text)); err != nil {
					return err
				}
			}
		}
		if !t.long {
			if err := t.csv.Write(line); err != nil {
				return err
			}
		}
	}
	return nil
}
