package server

import (
	"context"
	"math"
	"net/http"
	"slices"

	"github.com/labstack/echo/v5"

	"zerokeel/core/channel"
	"zerokeel/core/load"
	"zerokeel/core/stat"
	"zerokeel/core/trim"
	"zerokeel/core/yardstick"
	"zerokeel/server/api"
	"zerokeel/store"
)

// yardsticks lists every yardstick: those that rigs take themselves, and then the workshop's.
func (s *Server) yardsticks(ctx context.Context) ([]yardstick.Yardstick, error) {
	others, err := s.store.Yardsticks(ctx)
	return append(yardstick.List(), others...), err
}

// ListYardsticks answers with every yardstick.
func (s *Server) ListYardsticks(c *echo.Context) error {
	list, err := s.yardsticks(c.Request().Context())
	if err != nil {
		return err
	}
	out := []api.Yardstick{}
	for _, y := range list {
		_, own := yardstick.Of(y.ID)
		out = append(out, api.Yardstick{Id: y.ID, Name: y.Name, Unit: y.Unit, Better: api.YardstickBetter(y.Better), Own: own, Load: string(y.Load), Seconds: y.TypicalS, Runs: y.Runs})
	}
	return c.JSON(http.StatusOK, out)
}

// ListScores answers with a rig's scores.
func (s *Server) ListScores(c *echo.Context, id int64) error {
	list, err := s.store.Scores(c.Request().Context(), id)
	if err != nil {
		return err
	}
	out := []api.Score{}
	for _, x := range list {
		one := api.Score{Id: x.ID, Trim: x.TrimID, Yardstick: x.Yardstick, Value: x.Value, At: x.RigClock, Spoilt: x.Spoilt, Note: x.Note}
		if x.TrialID.Valid {
			one.Trial = &x.TrialID.Int64
		}
		out = append(out, one)
	}
	return c.JSON(http.StatusOK, out)
}

// measure is one row of a comparison: a figure of each run.
type measure struct {
	key, label, unit, better string
	of                       func(x *store.Score) (float64, bool)
}

// figureOf returns a figure of a run: its mean, or its peak.
func figureOf(x *store.Score, key string, peak bool) (float64, bool) {
	for _, f := range x.Figures.V {
		if f.Key == key {
			if peak {
				return f.Peak, true
			}
			return f.Mean, true
		}
	}
	return 0, false
}

func mean(key string) func(*store.Score) (float64, bool) {
	return func(x *store.Score) (float64, bool) { return figureOf(x, key, false) }
}

// measures lists what two trims are compared by, for one yardstick.
func measures(y yardstick.Yardstick) []measure {
	better := string(y.Better)
	score := measure{"score", y.Name, y.Unit, better, func(x *store.Score) (float64, bool) { return x.Value, true }}
	if y.Load == load.Memory {
		return []measure{score} // a run of some seconds, which tells nothing else of the machine
	}
	list := []measure{
		score,
		{"perWatt", "Points per watt", y.Unit + "/W", better, func(x *store.Score) (float64, bool) {
			w, ok := figureOf(x, channel.PackagePower, false)
			return x.Value / w, ok && w > 0
		}},
		{channel.PackagePower, "Package power", "W", "lower", mean(channel.PackagePower)},
		{channel.WallPower, "Wall power", "W", "lower", mean(channel.WallPower)},
		{"temperature.peak", "Hottest core, peak", "°C", "lower", func(x *store.Score) (float64, bool) { return figureOf(x, channel.Temperature, true) }},
		{channel.Temperature, "Hottest core, mean", "°C", "lower", mean(channel.Temperature)},
		{channel.AboveAmbient, "Above ambient, mean", "K", "lower", func(x *store.Score) (float64, bool) {
			t, ok := figureOf(x, channel.Temperature, false)
			a, known := figureOf(x, channel.Ambient, false)
			return t - a, ok && known
		}},
		{channel.DeliveredVoltage, "Core voltage at load", "V", "neither", mean(channel.DeliveredVoltage)},
		{channel.MeanClock, "Effective clock", "MHz", "higher", mean(channel.MeanClock)},
	}
	return slices.DeleteFunc(list, func(m measure) bool {
		return m.key == "perWatt" && y.Unit != "pt" || y.Measure == yardstick.Rest && (m.key == channel.PackagePower || m.key == channel.MeanClock)
	})
}

// CompareTrims answers with what changed between two trims.
func (s *Server) CompareTrims(c *echo.Context, id int64, params api.CompareTrimsParams) error {
	ctx := c.Request().Context()
	base, err := s.trimOf(ctx, id, params.Base)
	if err != nil {
		return err
	}
	other, err := s.trimOf(ctx, id, params.Trim)
	if err != nil {
		return err
	}
	scores, err := s.store.Scores(ctx, id)
	if err != nil {
		return err
	}
	yardsticks, err := s.yardsticks(ctx)
	if err != nil {
		return err
	}
	out := api.Comparison{Base: base.ID, Trim: other.ID, Rows: []api.ComparisonRow{}, Changes: nonNil(trim.Diff(base.Settings.V, other.Settings.V))}
	for _, y := range yardsticks {
		for _, m := range measures(y) {
			a, b := runs(scores, base.ID, y.ID, m), runs(scores, other.ID, y.ID, m)
			if len(a)+len(b) > 0 {
				out.Rows = append(out.Rows, row(y, m, a, b))
			}
		}
	}
	return c.JSON(http.StatusOK, out)
}

func runs(scores []store.Score, trimID int64, yardstick string, m measure) []float64 {
	var out []float64
	for i := range scores {
		if x := &scores[i]; x.TrimID == trimID && x.Yardstick == yardstick && x.Spoilt == "" {
			if v, ok := m.of(x); ok {
				out = append(out, v)
			}
		}
	}
	return out
}

func row(y yardstick.Yardstick, m measure, a, b []float64) api.ComparisonRow {
	out := api.ComparisonRow{Key: m.key, Yardstick: y.ID, Label: m.label, Unit: m.unit, Better: api.ComparisonRowBetter(m.better), Base: spread(a), Trim: spread(b)}
	if len(a) == 0 || len(b) == 0 {
		return out
	}
	d := stat.Welch(stat.Summarise(a), stat.Summarise(b))
	out.Absolute, out.Half, out.Percent, out.Shown = finite(d.Absolute), finite(d.Half), finite(d.Percent), d.Shown
	out.Gain = d.Shown && ((m.better == "higher" && d.Absolute > 0) || (m.better == "lower" && d.Absolute < 0))
	return out
}

func spread(runs []float64) *api.Spread {
	if len(runs) == 0 {
		return nil
	}
	s := stat.Summarise(runs)
	return &api.Spread{N: s.N, Mean: s.Mean, Half: finite(s.Half), Runs: runs}
}

// finite returns x, or nothing where it is no finite number: JSON has none.
func finite(x float64) *float64 {
	if math.IsNaN(x) || math.IsInf(x, 0) {
		return nil
	}
	return &x
}
