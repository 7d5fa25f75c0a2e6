package workshop

import (
	"context"
	"encoding/csv"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"zerokeel/core/channel"
	"zerokeel/core/series"
	"zerokeel/store"
)

// exportStepMS is how much of a trial is read at once while it is written out.
const exportStepMS = 600_000

// Export is a table, ready to be written.
type Export struct {
	Name  string // of a file
	Comma rune   // between its columns
	write func(context.Context, io.Writer) error
}

// Write writes the table. A failure in the middle leaves what was written.
func (e *Export) Write(ctx context.Context, to io.Writer) error { return e.write(ctx, to) }

// ExportTelemetry makes every sample of a part of a trial ready to be written as CSV: wide, a line for each moment and a
// column for each channel, or long, a line for each sample. Figures that a board shows wrongly are put right, as on the
// pages, and categories are written by their names.
func (w *Workshop) ExportTelemetry(ctx context.Context, trial int64, view View, long bool) (*Export, error) {
	if err := may(ctx, look, 0); err != nil {
		return nil, err
	}
	t, r, err := w.whole(ctx, trial)
	if err != nil {
		return nil, err
	}
	if t.DroppedAt.Valid {
		return nil, dropped(&t.Trial)
	}
	right, err := w.rightOf(ctx, r)
	if err != nil {
		return nil, err
	}
	channels, err := w.channelsOf(ctx, r, trial)
	if err != nil {
		return nil, err
	}
	v, begun, err := windowOf(t, &view)
	if err != nil {
		return nil, err
	}
	channels = slices.DeleteFunc(channels, func(c channel.Channel) bool { return !v.wants(c.Key) })
	out := &Export{Name: fmt.Sprintf("%s-trial-%d.csv", channel.Plain(r.Name), t.Number), Comma: ','}
	out.write = func(ctx context.Context, to io.Writer) error {
		table := table{csv: csv.NewWriter(to), channels: channels, origin: v.origin, long: long}
		if err := table.header(); err != nil {
			return err
		}
		for from := v.from; begun && from < v.to; from += exportStepMS {
			samples, err := w.samples(ctx, t.Legs, store.Span{From: from, To: min(v.to, from+exportStepMS)})
			if err != nil {
				return err
			}
			right.put(samples)
			if err := table.write(samples); err != nil {
				return err
			}
		}
		table.csv.Flush()
		return table.csv.Error()
	}
	return out, nil
}

// written writes a channel's value: a number with a point, or a category's name.
func written(c channel.Channel, v float64) string {
	if name := c.Category(v); name != "" {
		return name
	}
	return strconv.FormatFloat(v, 'g', -1, 64)
}

// cell returns a text as a table may hold it: one that a spreadsheet would take for a formula is marked as text.
func cell(text string) string {
	if text != "" && strings.ContainsRune("=+-@\t\r", rune(text[0])) {
		return "'" + text
	}
	return text
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
		line = append(line, cell(name))
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
					text = written(ch, v)
				}
				at[i]++
			}
			if !t.long {
				line = append(line, text)
			} else if text != "" {
				if err := t.csv.Write(append(slices.Clone(when), cell(ch.Key), cell(ch.Unit), text)); err != nil {
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
