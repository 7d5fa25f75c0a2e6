package workshop

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"

	"zerokeel/core/channel"
	"zerokeel/core/columns"
	"zerokeel/core/invalid"
	"zerokeel/core/series"
	"zerokeel/store"
)

// logHead is how much of a log tells how it is written, portion how many lines are stored at once, and mostTold how many
// broken lines are told one by one.
const (
	logHead  = 256 << 10
	portion  = 4000
	mostTold = 200
)

// join is a log being joined to a trial.
type join struct {
	trial      *Trial
	rig        *store.Rig
	layout     columns.Layout
	mapping    []columns.Target
	remembered bool
	example    []string
	clock      recordingClock
	in         *columns.Reader

	channels []channel.Channel
	scale    []columns.Unit // per column

	lines, used, broken int64
	told                invalid.List
	from, to            int64 // of the lines, as shifted
}

// newJoin reads the head of a log, and finds out how it is written.
func (w *Workshop) newJoin(ctx context.Context, trial int64, body io.Reader, swap bool) (*join, error) {
	j := &join{}
	var err error
	if j.trial, j.rig, err = w.whole(ctx, trial); err != nil {
		return nil, err
	}
	origin, begun := j.trial.OriginMS()
	if !begun || j.trial.State != store.TrialEnded {
		return nil, conflict("a log is joined to a trial that has ended; this one has not")
	}
	head := make([]byte, logHead)
	n, err := io.ReadFull(body, head)
	if err != nil && !errors.Is(err, io.ErrUnexpectedEOF) && !errors.Is(err, io.EOF) {
		return nil, fmt.Errorf("read the log: %w", err)
	}
	head = head[:n]
	whole := bytes.Clone(head)
	if n < logHead && !bytes.HasSuffix(head, []byte("\n")) {
		head = append(head, '\n') // its last line is not cut off
	}
	j.layout, err = columns.Detect(head)
	if err != nil {
		return nil, invalid.List{{Field: "log", Problem: err.Error(), Remedy: "send a table in CSV with a line that names its columns"}}
	}
	if swap {
		j.layout.Swap()
	}
	if j.mapping, err = w.store.LogMapping(ctx, j.layout.Source()); err != nil {
		return nil, err
	}
	if j.remembered = len(j.mapping) == len(j.layout.Columns); !j.remembered {
		j.mapping = j.layout.Propose(j.tells)
	}
	j.in = columns.NewReader(io.MultiReader(bytes.NewReader(whole), body), j.layout)
	end := origin
	for i := range j.trial.Legs {
		if l := &j.trial.Legs[i]; l.StartedMS.Valid {
			end = max(end, l.EndMS())
		}
	}
	j.clock = recordingClock{layout: &j.layout, origin: origin, end: end}
	j.example = make([]string, len(j.layout.Columns))
	peek := columns.NewReader(bytes.NewReader(whole), j.layout)
	for {
		row, err := peek.Next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			continue
		}
		if at, err := j.clock.at(row.Cells); err == nil {
			j.clock.first = at
			copy(j.example, row.Cells)
			break
		}
	}
	j.clock = recordingClock{layout: &j.layout, origin: origin, end: end, first: j.clock.first}
	return j, nil
}

// tells reports whether the rig tells a channel itself.
func (j *join) tells(key string) bool {
	return slices.ContainsFunc(j.rig.Channels.V, func(ch channel.Channel) bool { return ch.Key == key })
}

// check holds the mapping against the table and the trial, and makes its channels.
func (j *join) check(ctx context.Context, st *store.Store) error {
	f := j.layout.CheckMapping(j.mapping)
	logs, err := st.LogChannels(ctx, j.trial.ID)
	if err != nil {
		return err
	}
	j.scale = make([]columns.Unit, len(j.layout.Columns))
	for i, t := range j.mapping {
		if t.Channel == "" {
			continue
		}
		at := fmt.Sprintf("columns[%d].channel", i)
		if j.tells(t.Channel) {
			f.Add(at, "leave the column out, or map it to a channel of its own", "the rig tells %s itself", t.Channel)
		} else if slices.ContainsFunc(logs, func(ch channel.Channel) bool { return ch.Key == t.Channel }) {
			f.Add(at, "take that log off the trial first", "another log has been joined that tells %s", t.Channel)
		}
		unit, known := columns.UnitOf(j.layout.Columns[i].Unit)
		if !known {
			unit = columns.Unit{Name: cutText(j.layout.Columns[i].Unit, 20), Quantity: "other", Scale: 1}
		}
		j.scale[i] = unit
		j.channels = append(j.channels, channel.Channel{Key: t.Channel, Quantity: unit.Quantity, Label: t.Label, Unit: unit.Name, Core: -1})
	}
	if len(f) > 0 {
		return f
	}
	return nil
}

// read goes through the whole log and hands over what falls into a leg.
func (j *join) read(add func(leg int64, samples map[string][]series.Sample) error) error {
	held := map[int64]map[string][]series.Sample{}
	waiting := 0
	flush := func() error {
		for leg, samples := range held {
			for key := range samples {
				slices.SortStableFunc(samples[key], func(a, b series.Sample) int { return int(max(-1, min(1, a.T-b.T))) })
			}
			if err := add(leg, samples); err != nil {
				return err
			}
		}
		held, waiting = map[int64]map[string][]series.Sample{}, 0
		return nil
	}
	for {
		row, err := j.in.Next()
		var wrong *columns.LineError
		if errors.Is(err, io.EOF) {
			return flush()
		} else if errors.As(err, &wrong) {
			j.tell(wrong.Line, wrong.Problem)
			continue
		} else if err != nil {
			return err
		}
		at, err := j.clock.at(row.Cells)
		if err != nil {
			j.tell(row.Line, err.Error())
			continue
		}
		j.lines++
		if j.lines == 1 || at < j.from {
			j.from = at
		}
		j.to = max(j.to, at)
		leg := j.legAt(at)
		if leg == 0 {
			continue
		}
		j.used++
		if held[leg] == nil {
			held[leg] = map[string][]series.Sample{}
		}
		j.take(row, at, held[leg])
		if waiting++; waiting == portion {
			if err := flush(); err != nil {
				return err
			}
		}
	}
}

// take adds a line's figures; a cell that holds none is a gap, and told if it should hold one.
func (j *join) take(row columns.Row, at int64, into map[string][]series.Sample) {
	bad := ""
	for i, t := range j.mapping {
		if t.Channel == "" {
			continue
		}
		x, gap, ok := j.layout.Number(row.Cells[i])
		if !ok || gap {
			x = math.NaN()
		}
		x = j.scale[i].Scale*x + j.scale[i].Shift
		if ok && !gap && !channel.Possible(x) {
			ok, x = false, math.NaN()
		}
		if !ok && bad == "" {
			bad = fmt.Sprintf("%q under %s is no number that a sensor shows", cutText(row.Cells[i], 40), t.Column)
		}
		into[t.Channel] = append(into[t.Channel], series.Sample{T: at, V: x})
	}
	if bad != "" {
		j.tell(row.Line, bad)
	}
}

func (j *join) tell(line int, problem string) {
	if j.broken++; len(j.told) < mostTold {
		j.told.Add(fmt.Sprintf("line %d", line), "mend the line, or leave it: it was passed over", "%s", problem)
	}
}

// legAt returns the leg that ran at a moment; 0 for none.
func (j *join) legAt(at int64) int64 {
	for i := range j.trial.Legs {
		if l := &j.trial.Legs[i]; l.StartedMS.Valid && at >= l.StartedMS.Int64 && at <= l.EndMS() {
			return l.ID
		}
	}
	return 0
}

// span tells from when to when the log's lines lie on the trial's axis.
func (j *join) span() string {
	if j.lines == 0 {
		return ""
	}
	return fmt.Sprintf(": they lie from %.0f s to %.0f s, the trial from 0 s to %.0f s", float64(j.from-j.clock.origin)/1000,
		float64(j.to-j.clock.origin)/1000, float64(j.clock.end-j.clock.origin)/1000)
}

// figures adds what the log tells to the figures of each leg.
func (j *join) figures(ctx context.Context, st *store.Store) error {
	keys := make([]string, len(j.channels))
	for i, ch := range j.channels {
		keys[i] = ch.Key
	}
	for i := range j.trial.Legs {
		l := &j.trial.Legs[i]
		samples, err := st.Telemetry(ctx, l.ID, store.Span{Keys: keys})
		if err != nil {
			return err
		}
		if err := addFigures(ctx, st, l, j.channels, samples); err != nil {
			return err
		}
	}
	return nil
}

// addFigures sums up what a leg was told of channels beside the rig's.
func addFigures(ctx context.Context, st *store.Store, l *store.Leg, channels []channel.Channel, samples map[string][]series.Sample) error {
	var list []channel.Figure
	for _, ch := range channels {
		if f, ok := (channel.Leg{Load: l.Load}).Figure(ch, samples); ok {
			list = append(list, f)
		}
	}
	return st.AddFigures(ctx, l, list)
}
