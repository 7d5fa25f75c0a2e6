package server

import (
	"context"
	"fmt"
	"math"
	"net/http"
	"slices"

	"github.com/labstack/echo/v5"

	"zerokeel/core/channel"
	"zerokeel/core/columns"
	"zerokeel/core/invalid"
	"zerokeel/core/series"
	"zerokeel/live"
	"zerokeel/server/api"
	"zerokeel/store"
)

// channelsOf lists the channels of a trial: its rig's, and those that logs add.
func (s *Server) channelsOf(ctx context.Context, r *store.Rig, trial int64) ([]channel.Channel, error) {
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
			return invalid.List{{Field: "shiftS", Problem: fmt.Sprintf("none of its %d lines falls into a leg of the trial%s", j.lines, j.span()), Remedy: "shift its times, or choose the trial that it belongs to"}}
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
