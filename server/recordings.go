package server

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"zerokeel/server/api"
	"zerokeel/workshop"
)

// ListLogs answers with the logs joined to a trial.
func (s *Server) ListLogs(c *echo.Context, id int64) error {
	list, err := s.shop.Recordings(c.Request().Context(), id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, each(list, apiRecording))
}

func apiRecording(l *workshop.Recording) api.SensorLog {
	out := api.SensorLog{Id: l.ID, Name: l.Name, ShiftS: l.ShiftS, Lines: l.Lines, Used: l.Used, Broken: l.Broken, Channels: []string{}}
	for _, ch := range l.Channels.V {
		out.Channels = append(out.Channels, ch.Label)
	}
	return out
}

// DropLog takes a log off a trial.
func (s *Server) DropLog(c *echo.Context, trial, id int64) error {
	return gone(c, s.shop.DropRecording(c.Request().Context(), trial, id))
}

// MapLogSource keeps a mapping.
func (s *Server) MapLogSource(c *echo.Context, source string) error {
	in, err := body[api.LogMapping](c)
	if err != nil {
		return err
	}
	mapping := make([]workshop.ColumnTarget, len(in.Columns))
	for i, t := range in.Columns {
		mapping[i] = workshop.ColumnTarget{Column: t.Column, Channel: t.Channel, Label: t.Label}
	}
	return gone(c, s.shop.MapSource(c.Request().Context(), source, mapping))
}

// ReadLogLayout tells how a log is written.
func (s *Server) ReadLogLayout(c *echo.Context, id int64, params api.ReadLogLayoutParams) error {
	l, err := s.shop.RecordingLayout(c.Request().Context(), id, c.Request().Body, deref(params.Swap))
	if err != nil {
		return err
	}
	out := api.LogLayout{Source: l.Source(), Remembered: l.Remembered, Delimiter: l.Delimiter, DecimalComma: l.DecimalComma,
		Clock:  api.LogLayoutClock(l.Clock),
		Format: l.Format, EitherWay: l.EitherWay, FirstS: l.FirstS, ShiftS: l.ShiftS, Columns: []api.LogColumn{}, Standard: []api.LogTarget{}}
	for _, k := range l.Standard {
		out.Standard = append(out.Standard, api.LogTarget{Channel: k.Key, Label: k.Label})
	}
	for i, col := range l.Columns {
		out.Columns = append(out.Columns, api.LogColumn{Name: col.Name, Unit: col.Unit, Numeric: col.Numeric, Time: l.IsTime(i),
			Channel: l.Mapping[i].Channel, Own: l.Own[i], Label: l.Mapping[i].Label, Example: l.Example[i]})
	}
	return c.JSON(http.StatusOK, out)
}

// JoinLog joins a log to a trial.
func (s *Server) JoinLog(c *echo.Context, id int64, params api.JoinLogParams) error {
	o := workshop.JoinOptions{Name: deref(params.Name), Swap: deref(params.Swap), ShiftS: params.ShiftS}
	j, err := s.shop.JoinRecording(c.Request().Context(), id, c.Request().Body, o)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, api.JoinedLog{Log: apiRecording(&j.Log), Faults: nonNil(j.Faults)})
}

// NoteReading notes what a person read of a meter.
func (s *Server) NoteReading(c *echo.Context, id int64) error {
	in, err := body[api.Reading](c)
	if err != nil {
		return err
	}
	r, err := s.shop.NoteReading(c.Request().Context(), id, workshop.Reading{Channel: string(in.Channel), Value: in.Value,
		Leg: deref(in.Leg), AtS: in.AtS})
	if err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, api.Reading{Channel: in.Channel, Value: r.Value, Leg: &r.Leg, AtS: r.AtS})
}
