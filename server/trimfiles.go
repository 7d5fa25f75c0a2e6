package server

import (
	"context"
	"database/sql"
	"fmt"
	"io"
	"math"
	"net/http"

	"github.com/labstack/echo/v5"

	"zerokeel/core/channel"
	"zerokeel/core/load"
	"zerokeel/core/stat"
	"zerokeel/core/trim"
	"zerokeel/server/api"
	"zerokeel/store"
)

// ExportTrim answers with a trim as a file: what differs from the board's delivery.
func (s *Server) ExportTrim(c *echo.Context, id int64) error {
	ctx := c.Request().Context()
	t, err := s.store.Trim(ctx, id)
	if err != nil {
		return err
	}
	r, set, err := s.rigParts(ctx, t.RigID)
	if err != nil {
		return err
	}
	file := trim.File{Name: t.Name, Reason: t.Reason, For: trim.For{Processor: set.Processor.ID, Board: set.Board.ID}, Settings: trim.Settings{}}
	for _, change := range trim.Diff(trim.Stock(set.Processor, set.Board), t.Settings.V) {
		if change.To.IsSet() {
			file.Settings[change.Key] = change.To
		}
	}
	text, err := trim.MarshalFile(file)
	if err != nil {
		return err
	}
	c.Response().Header().Set("Content-Disposition", fmt.Sprintf(`attachment; filename="rig-%d-T%d.trim.json"`, r.ID, t.Number))
	return c.Blob(http.StatusOK, "application/json", append(text, '\n'))
}

// ImportTrim makes a trim from a file.
func (s *Server) ImportTrim(c *echo.Context, id int64) error {
	text, err := io.ReadAll(c.Request().Body)
	if err != nil {
		return fmt.Errorf("read the request: %w", err)
	}
	ctx := c.Request().Context()
	r, set, err := s.rigParts(ctx, id)
	if err != nil {
		return err
	}
	file, err := trim.ParseFile(text, set)
	if err != nil {
		return err
	}
	t := &store.Trim{RigID: id, Name: file.Name, Reason: file.Reason}
	if t.Name == "" {
		t.Name = "imported"
	}
	if t.ParentID, err = s.base(ctx, r); err != nil {
		return err
	}
	if err := s.make(ctx, t, r, set, trim.Stock(set.Processor, set.Board).With(file.Settings)); err != nil {
		return err
	}
	return s.answerTrim(c, t.ID, http.StatusCreated)
}

// base returns the trim that one from outside becomes a child of: the one in force, or the first.
func (s *Server) base(ctx context.Context, r *store.Rig) (sql.NullInt64, error) {
	if r.TrimInForce.Valid {
		return r.TrimInForce, nil
	}
	trims, err := s.store.Trims(ctx, r.ID)
	if err != nil || len(trims) == 0 {
		return sql.NullInt64{}, err
	}
	return sql.NullInt64{Int64: trims[0].ID, Valid: true}, nil
}

// CopyTrim carries a trim to another rig.
func (s *Server) CopyTrim(c *echo.Context, id int64) error {
	in, err := body[api.CopyTrimRequest](c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	from, err := s.store.Trim(ctx, id)
	if err != nil {
		return err
	}
	source, sourceSet, err := s.rigParts(ctx, from.RigID)
	if err != nil {
		return err
	}
	target, targetSet, err := s.rigParts(ctx, in.Rig)
	if err != nil {
		return err
	}
	settings, unfit := trim.Transfer(sourceSet, targetSet, from.Settings.V)
	t := &store.Trim{RigID: target.ID, Name: from.Name, Reason: fmt.Sprintf("Copied from %s, T%d.", source.Name, from.Number)}
	if in.Name != nil {
		t.Name = *in.Name
	}
	for _, u := range unfit {
		t.Notes += fmt.Sprintf("Left out: %s = %s (%s)\n", u.Key, u.Want, u.Why)
	}
	if t.ParentID, err = s.base(ctx, target); err != nil {
		return err
	}
	if err := s.make(ctx, t, target, targetSet, settings); err != nil {
		return err
	}
	made, err := s.apiTrimOf(ctx, t.ID)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, api.CopiedTrim{Trim: *made, Unfit: unfit})
}

// GetCard answers with the setting card of a trim.
func (s *Server) GetCard(c *echo.Context, id int64, params api.GetCardParams) error {
	ctx := c.Request().Context()
	t, err := s.store.Trim(ctx, id)
	if err != nil {
		return err
	}
	r, set, err := s.rigParts(ctx, t.RigID)
	if err != nil {
		return err
	}
	from, err := s.standing(ctx, r)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, trim.Card(set, from, t.Settings.V, params.Full != nil && *params.Full))
}

// standing returns the settings that are on a rig's board as far as is known: those of the trim in force, or of the one
// that was before something was lost, else as delivered.
func (s *Server) standing(ctx context.Context, r *store.Rig) (trim.Settings, error) {
	if !r.TrimInForce.Valid {
		return nil, nil
	}
	t, err := s.store.Trim(ctx, r.TrimInForce.Int64)
	if err != nil {
		return nil, err
	}
	return t.Settings.V, nil
}

// DiffTrims answers with the settings that differ between two trims.
func (s *Server) DiffTrims(c *echo.Context, id int64, params api.DiffTrimsParams) error {
	ctx := c.Request().Context()
	from, err := s.trimOf(ctx, id, params.From)
	if err != nil {
		return err
	}
	to, err := s.trimOf(ctx, id, params.To)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, nonNil(trim.Diff(from.Settings.V, to.Settings.V)))
}

// GetOutcome answers with what was forecast of a trim, and what was measured under it.
func (s *Server) GetOutcome(c *echo.Context, id int64) error {
	ctx := c.Request().Context()
	t, err := s.store.Trim(ctx, id)
	if err != nil {
		return err
	}
	out := api.Outcome{Measured: []api.MeasuredLoad{}}
	if t.Forecast.Valid {
		out.Forecast = &t.Forecast.V
	}
	h, err := s.history(ctx, t.RigID)
	if err != nil {
		return err
	}
	for _, kind := range []load.Kind{load.Heavy, load.Mixed, load.Light, load.Idle} {
		m := api.MeasuredLoad{Load: string(kind)}
		sums := map[string][]float64{}
		for i := range h.legs {
			l := &h.legs[i]
			if l.trim.ID != id || l.Load != kind || !l.told() {
				continue
			}
			m.Legs++
			for _, key := range []string{channel.MeanClock, channel.PackagePower, channel.DeliveredVoltage, channel.Temperature, channel.Ambient} {
				if x := l.figure(key); !math.IsNaN(x) {
					sums[key] = append(sums[key], x)
				}
			}
		}
		if m.Legs == 0 {
			continue
		}
		m.MeanMHz, m.PackageW, m.DeliveredV, m.HottestC, m.AmbientC = averageOf(sums[channel.MeanClock]), averageOf(sums[channel.PackagePower]), averageOf(sums[channel.DeliveredVoltage]), averageOf(sums[channel.Temperature]), averageOf(sums[channel.Ambient])
		out.Measured = append(out.Measured, m)
	}
	return c.JSON(http.StatusOK, out)
}

func averageOf(x []float64) *float64 {
	if len(x) == 0 {
		return nil
	}
	m := stat.Summarise(x).Mean
	return &m
}
