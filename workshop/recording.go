package workshop

import (
	"context"
	"fmt"
	"io"
	"math"
	"os"
	"slices"

	"zerokeel/core/channel"
	"zerokeel/core/columns"
	"zerokeel/core/invalid"
	"zerokeel/core/series"
	"zerokeel/store"
)

// channelsOf lists the channels of a trial: its rig's, and those that recordings add.
func (w *Workshop) channelsOf(ctx context.Context, r *store.Rig, trial int64) ([]channel.Channel, error) {
	added, err := w.store.LogChannels(ctx, trial)
	return append(slices.Clone(r.Channels.V), added...), err
}

// Recordings lists the logs of other recorders that were joined to a trial, oldest first.
func (w *Workshop) Recordings(ctx context.Context, trial int64) ([]store.Log, error) {
	if err := may(ctx, look, 0); err != nil {
		return nil, err
	}
	if _, err := w.store.Trial(ctx, trial); err != nil {
		return nil, err
	}
	return w.store.Logs(ctx, trial)
}

// DropRecording takes a log off a trial, with its figures.
func (w *Workshop) DropRecording(ctx context.Context, trial, id int64) error {
	if err := may(ctx, manage, 0); err != nil {
		return err
	}
	return w.store.DropLog(ctx, trial, id)
}

// MapSource keeps how the columns of a source of logs are mapped.
func (w *Workshop) MapSource(ctx context.Context, source string, mapping []columns.Target) error {
	if err := may(ctx, change, 0); err != nil {
		return err
	}
	return w.store.SaveLogMapping(ctx, source, mapping)
}

// Layout tells how a log is written, and how it would be joined to a trial.
type Layout struct {
	columns.Layout
	Mapping    []columns.Target
	Remembered bool     // the mapping was kept of this source
	Own        []string // the channel that each column would be by itself
	Example    []string // the cells of its first line
	FirstS     float64  // where its first line lies on the trial's axis
	ShiftS     float64  // by how much it would be shifted if nobody says otherwise
	Standard   []columns.Known
}

// IsTime reports whether a column holds the time, or a part of it.
func (l *Layout) IsTime(column int) bool { return column == l.TimeColumn || column == l.DateColumn }

// RecordingLayout reads the head of a log, and tells how it is written. swap takes day for month in its dates.
func (w *Workshop) RecordingLayout(ctx context.Context, trial int64, log io.Reader, swap bool) (*Layout, error) {
	if err := may(ctx, look, 0); err != nil {
		return nil, err
	}
	j, err := w.newJoin(ctx, trial, log, swap)
	if err != nil {
		return nil, err
	}
	out := &Layout{Layout: j.layout, Mapping: j.mapping, Remembered: j.remembered, Own: j.layout.OwnKeys(), Example: j.example,
		FirstS: float64(j.clock.first-j.clock.origin) / 1000, ShiftS: j.clock.proposed()}
	for _, k := range columns.Standard {
		if !j.tells(k.Key) {
			out.Standard = append(out.Standard, k)
		}
	}
	return out, nil
}

// JoinOptions say how a log is joined.
type JoinOptions struct {
	Name   string
	Swap   bool     // day for month in its dates
	ShiftS *float64 // added to its times; what Layout proposes, if nobody says
}

// Joined is a log that was joined, with the lines that were passed over.
type Joined struct {
	Log    store.Log
	Faults invalid.List
}

// spool keeps what is sent in a file without a name, until drop.
func spool(sent io.Reader) (kept io.Reader, drop func(), err error) {
	f, err := os.CreateTemp("", "zerokeel-log")
	if err != nil {
		return nil, nil, fmt.Errorf("keep the log: %w", err)
	}
	_ = os.Remove(f.Name())
	drop = func() { _ = f.Close() }
	if _, err = io.Copy(f, sent); err == nil {
		_, err = f.Seek(0, io.SeekStart)
	}
	if err != nil {
		drop()
		return nil, nil, fmt.Errorf("keep the log: %w", err)
	}
	return f, drop, nil
}

// JoinRecording joins a log to a trial that has ended: all of it or nothing.
func (w *Workshop) JoinRecording(ctx context.Context, trial int64, log io.Reader, o JoinOptions) (*Joined, error) {
	if err := may(ctx, change, 0); err != nil {
		return nil, err
	}
	// All of it is here before a transaction begins, however slowly it is sent.
	kept, drop, err := spool(log)
	if err != nil {
		return nil, err
	}
	defer drop()
	j, err := w.newJoin(ctx, trial, kept, o.Swap)
	if err != nil {
		return nil, err
	}
	if err := j.check(ctx, w.store); err != nil {
		return nil, err
	}
	shift := j.clock.proposed()
	put(&shift, o.ShiftS)
	j.clock.shift = int64(math.Round(1000 * shift))
	row := &store.Log{TrialID: trial, SourceID: j.layout.Source(), Name: o.Name, ShiftS: shift, Channels: store.AsJSON(j.channels)}
	err = w.store.JoinLog(ctx, row, func(add func(int64, map[string][]series.Sample) error) error {
		if err := j.read(add); err != nil {
			return err
		}
		row.Lines, row.Used, row.Broken = j.lines, j.used, j.broken
		if j.used == 0 {
			return invalid.List{{Field: "shiftS", Problem: fmt.Sprintf("none of its %d lines falls into a leg of the trial%s", j.lines, j.span()),
				Remedy: "shift its times, or choose the trial that it belongs to"}}
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	return &Joined{Log: *row, Faults: j.told}, j.figures(ctx, w.store)
}
