package server

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"net/http"
	"slices"
	"time"

	"github.com/labstack/echo/v5"

	"zerokeel/core/columns"
	"zerokeel/core/fault"
	"zerokeel/core/series"
	"zerokeel/link"
	"zerokeel/live"
	"zerokeel/runner"
	"zerokeel/server/api"
	"zerokeel/store"
)

// logHead is how much of a log tells how it is written, portion how many lines are stored at once, and mostTold how many
// broken lines are told one by one.
const (
	logHead  = 256 << 10
	portion  = 4000
	mostTold = 200
)

// channelsOf lists the channels of a trial: its rig's, and those that logs add.
func (s *Server) channelsOf(ctx context.Context, r *store.Rig, trial int64) ([]link.Channel, error) {
	added, err := s.store.LogChannels(ctx, trial)
	return append(slices.Clone(r.Channels.V), added...), err
}

// ListLogs answers with the logs joined to a trial.
func (s *Server) ListLogs(c *echo.Context, id int64) error {
	ctx := c.Request().Context()
	if _, err := s.store.Trial(ctx, id); err != nil {
		return err
	}
	list, err := s.store.Logs(ctx, id)
	if err != nil {
		return err
	}
	out := []api.SensorLog{}
	for i := range list {
		out = append(out, apiLog(&list[i]))
	}
	return c.JSON(http.StatusOK, out)
}

func apiLog(l *store.Log) api.SensorLog {
	out := api.SensorLog{Id: l.ID, Name: l.Name, ShiftS: l.ShiftS, Lines: l.Lines, Used: l.Used, Broken: l.Broken, Channels: []string{}}
	for _, ch := range l.Channels.V {
		out.Channels = append(out.Channels, ch.Label)
	}
	return out
}

// DropLog takes a log off a trial.
func (s *Server) DropLog(c *echo.Context, trial, id int64) error {
	if err := s.store.DropLog(c.Request().Context(), trial, id); err != nil {
		return err
	}
	s.bus.Publish(live.Message{Topic: "trial", ID: trial})
	return c.NoContent(http.StatusNoContent)
}

// MapLogSource keeps a mapping.
func (s *Server) MapLogSource(c *echo.Context, source string) error {
	in, err := body[api.LogMapping](c)
	if err != nil {
		return err
	}
	mapping := make([]columns.Target, len(in.Columns))
	for i, t := range in.Columns {
		mapping[i] = columns.Target{Column: t.Column, Channel: t.Channel, Label: t.Label}
	}
	if err := s.store.SaveLogMapping(c.Request().Context(), source, mapping); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

// ReadLogLayout tells how a log is written.
func (s *Server) ReadLogLayout(c *echo.Context, id int64, params api.ReadLogLayoutParams) error {
	ctx := c.Request().Context()
	j, err := s.newJoin(ctx, id, c.Request().Body, params.Swap)
	if err != nil {
		return err
	}
	l := &j.layout
	out := api.LogLayout{Source: l.Source(), Remembered: j.remembered, Delimiter: l.Delimiter, DecimalComma: l.DecimalComma, Clock: api.LogLayoutClock(l.Clock),
		Format: l.Format, EitherWay: l.EitherWay, FirstS: float64(j.clock.first-j.clock.origin) / 1000, ShiftS: j.clock.proposed(), Columns: []api.LogColumn{}, Standard: []api.LogTarget{}}
	for _, k := range columns.Standard {
		if !j.tells(k.Key) {
			out.Standard = append(out.Standard, api.LogTarget{Channel: k.Key, Label: k.Label})
		}
	}
	own := l.OwnKeys()
	for i, col := range l.Columns {
		out.Columns = append(out.Columns, api.LogColumn{Name: col.Name, Unit: col.Unit, Numeric: col.Numeric, Time: i == l.TimeColumn || i == l.DateColumn,
			Channel: j.mapping[i].Channel, Own: own[i], Label: j.mapping[i].Label, Example: j.example[i]})
	}
	return c.JSON(http.StatusOK, out)
}

// JoinLog joins a log to a trial.
func (s *Server) JoinLog(c *echo.Context, id int64, params api.JoinLogParams) error {
	ctx := c.Request().Context()
	j, err := s.newJoin(ctx, id, c.Request().Body, params.Swap)
	if err != nil {
		return err
	}
	if err := j.check(ctx, s.store); err != nil {
		return err
	}
	shift := j.clock.proposed()
	if params.ShiftS != nil {
		shift = *params.ShiftS
	}
	j.clock.shift = int64(math.Round(1000 * shift))
	row := &store.Log{TrialID: id, SourceID: j.layout.Source(), ShiftS: shift, Channels: store.AsJSON(j.channels)}
	if params.Name != nil {
		row.Name = *params.Name
	}
	err = s.store.JoinLog(ctx, row, func(add func(int64, map[string][]series.Sample) error) error {
		if err := j.read(add); err != nil {
			return err
		}
		row.Lines, row.Used, row.Broken = j.lines, j.used, j.broken
		if j.used == 0 {
			return fault.List{{Field: "shiftS", Problem: fmt.Sprintf("none of its %d lines falls into a leg of the trial%s", j.lines, j.span()), Remedy: "shift its times, or choose the trial that it belongs to"}}
		}
		return nil
	})
	if err != nil {
		return err
	}
	if err := j.figures(ctx, s.store); err != nil {
		return err
	}
	s.bus.Publish(live.Message{Topic: "trial", Rig: j.trial.RigID, ID: id})
	return c.JSON(http.StatusCreated, api.JoinedLog{Log: apiLog(row), Faults: nonNil(j.told)})
}

// join is a log being joined to a trial.
type join struct {
	trial      *store.Trial
	rig        *store.Rig
	legs       []store.Leg
	layout     columns.Layout
	mapping    []columns.Target
	remembered bool
	example    []string
	clock      logClock
	in         *columns.Reader

	channels []link.Channel
	scale    []columns.Unit // per column

	lines, used, broken int64
	told                fault.List
	from, to            int64 // of the lines, as shifted
}

// newJoin reads the head of a log, and finds out how it is written.
func (s *Server) newJoin(ctx context.Context, trial int64, body io.Reader, swap *bool) (*join, error) {
	j := &join{}
	var err error
	if j.trial, err = s.store.Trial(ctx, trial); err != nil {
		return nil, err
	}
	if j.rig, err = s.store.Rig(ctx, j.trial.RigID); err != nil {
		return nil, err
	}
	if j.legs, err = s.store.Legs(ctx, trial); err != nil {
		return nil, err
	}
	origin, begun := axisOrigin(j.legs)
	if !begun || j.trial.State != store.TrialEnded {
		return nil, &conflict{"a log is joined to a trial that has ended; this one has not"}
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
		return nil, fault.List{{Field: "log", Problem: err.Error(), Remedy: "send a table in CSV with a line that names its columns"}}
	}
	if swap != nil && *swap {
		j.layout.Swap()
	}
	if j.mapping, err = s.store.LogMapping(ctx, j.layout.Source()); err != nil {
		return nil, err
	}
	if j.remembered = len(j.mapping) == len(j.layout.Columns); !j.remembered {
		j.mapping = j.layout.Propose(j.tells)
	}
	j.in = columns.NewReader(io.MultiReader(bytes.NewReader(whole), body), j.layout)
	end := origin
	for i := range j.legs {
		if l := &j.legs[i]; l.StartedMS.Valid {
			end = max(end, legEnd(l))
		}
	}
	j.clock = logClock{layout: &j.layout, origin: origin, end: end}
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
	j.clock = logClock{layout: &j.layout, origin: origin, end: end, first: j.clock.first}
	return j, nil
}

// tells reports whether the rig tells a channel itself.
func (j *join) tells(key string) bool {
	return slices.ContainsFunc(j.rig.Channels.V, func(ch link.Channel) bool { return ch.Key == key })
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
		} else if slices.ContainsFunc(logs, func(ch link.Channel) bool { return ch.Key == t.Channel }) {
			f.Add(at, "take that log off the trial first", "another log has been joined that tells %s", t.Channel)
		}
		unit, known := columns.UnitOf(j.layout.Columns[i].Unit)
		if !known {
			unit = columns.Unit{Name: cutText(j.layout.Columns[i].Unit, 20), Quantity: "other", Scale: 1}
		}
		j.scale[i] = unit
		j.channels = append(j.channels, link.Channel{Key: t.Channel, Quantity: unit.Quantity, Label: t.Label, Unit: unit.Name, Core: -1})
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
		if !ok && bad == "" {
			bad = fmt.Sprintf("%q under %s is no number", cutText(row.Cells[i], 40), t.Column)
		}
		into[t.Channel] = append(into[t.Channel], series.Sample{T: at, V: j.scale[i].Scale*x + j.scale[i].Shift})
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
	for i := range j.legs {
		if l := &j.legs[i]; l.StartedMS.Valid && at >= l.StartedMS.Int64 && at <= legEnd(l) {
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
	return fmt.Sprintf(": they lie from %.0f s to %.0f s, the trial from 0 s to %.0f s", float64(j.from-j.clock.origin)/1000, float64(j.to-j.clock.origin)/1000, float64(j.clock.end-j.clock.origin)/1000)
}

// figures adds what the log tells to the figures of each leg.
func (j *join) figures(ctx context.Context, st *store.Store) error {
	keys := make([]string, len(j.channels))
	for i, ch := range j.channels {
		keys[i] = ch.Key
	}
	for i := range j.legs {
		l := &j.legs[i]
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
func addFigures(ctx context.Context, st *store.Store, l *store.Leg, channels []link.Channel, samples map[string][]series.Sample) error {
	var list []store.Figure
	for _, ch := range channels {
		if f, ok := runner.Figure(l.Load, ch, samples[ch.Key]); ok {
			list = append(list, f)
		}
	}
	return st.AddFigures(ctx, l, list)
}

// logClock brings the times of a log to the rig's clock, in ms since 1970 UTC.
type logClock struct {
	layout      *columns.Layout
	origin, end int64 // of the trial
	first       int64 // of the log's first line, before shifting
	shift       int64
	zero, last  int64 // of a clock that counts from some start, or a time of day: its first line, and the newest one
	begun       bool
	days        int64
}

const dayMS = 86_400_000

func (c *logClock) at(cells []string) (int64, error) {
	at, relative, err := c.layout.At(cells)
	if err != nil {
		return 0, err
	}
	if !relative {
		return at.UnixMilli() + c.shift, nil
	}
	if c.layout.Clock != columns.Stamp { // its first line lies at the trial's start
		if !c.begun {
			c.begun, c.zero = true, at.UnixMilli()
		}
		return c.origin + at.UnixMilli() - c.zero + c.shift, nil
	}
	midnight := c.origin - c.origin%dayMS
	ofDay := at.Sub(time.Date(at.Year(), 1, 1, 0, 0, 0, 0, time.UTC)).Milliseconds()
	if c.begun && ofDay < c.last-dayMS/2 {
		c.days++
	}
	c.begun, c.last = true, ofDay
	return midnight + c.days*dayMS + ofDay + c.shift, nil
}

// proposed returns by how many seconds the log is shifted if nobody says otherwise: when it begins after the trial's end, or
// more than a day before its start, it is taken for one from another time zone, or from a clock that is wrong.
func (c *logClock) proposed() float64 {
	const quarter = 900_000
	off := c.first - c.origin
	switch {
	case c.first == 0, c.first <= c.end && off > -dayMS:
		return 0
	case math.Abs(float64(off)) < 15*3600*1000: // whole quarters of an hour, as zones are
		return -math.Round(float64(off)/quarter) * quarter / 1000
	}
	return -float64(off) / 1000
}
