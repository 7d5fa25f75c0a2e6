package server

import (
	"math"
	"net/http"

	"github.com/labstack/echo/v5"

	"zerokeel/server/api"
	"zerokeel/workshop"
)

// ListYardsticks answers with every yardstick.
func (s *Server) ListYardsticks(c *echo.Context) error {
	list, err := s.shop.Yardsticks(c.Request().Context())
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, each(list, apiYardstick))
}

func apiYardstick(y *workshop.Yardstick) api.Yardstick {
	return api.Yardstick{Id: y.ID, Name: y.Name, Unit: y.Unit, Better: api.YardstickBetter(y.Better), Own: y.Own, Load: string(y.Load),
		Seconds: y.RestS + y.TypicalS, Runs: y.Runs}
}

// ListScores answers with a rig's scores.
func (s *Server) ListScores(c *echo.Context, id int64) error {
	list, err := s.shop.Scores(c.Request().Context(), id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, each(list, apiScore))
}

func apiScore(x *workshop.Score) api.Score {
	return api.Score{Id: x.ID, Trim: x.TrimID, Trial: id(x.TrialID.Int64), Yardstick: x.Yardstick, Value: x.Value, At: x.RigClock,
		Spoilt: x.Spoilt, Note: x.Note}
}

// CompareTrims answers with what changed between two trims.
func (s *Server) CompareTrims(c *echo.Context, id int64, params api.CompareTrimsParams) error {
	x, err := s.shop.Compare(c.Request().Context(), id, params.Base, params.Trim)
	if err != nil {
		return err
	}
	out := api.Comparison{Base: x.Base, Trim: x.Trim, Settled: each(x.Settled, apiSettledRow),
		Tables: each(x.Tables, apiComparisonTable), Changes: each(x.Changes, apiContrast)}
	return c.JSON(http.StatusOK, out)
}

func apiContrast(x *workshop.Contrast) api.Contrast {
	return api.Contrast{Key: x.Key, Name: x.Name, From: x.From, To: x.To, Counts: x.Counts}
}

func apiComparisonTable(t *workshop.ComparedTable) api.ComparisonTable {
	out := api.ComparisonTable{Yardstick: t.By.ID, Sessions: t.Sessions, Interleaved: t.Interleaved, Rows: each(t.Rows, apiComparisonRow),
		Left: []api.LeftRun{}}
	for _, r := range t.Left {
		out.Left = append(out.Left, api.LeftRun{Score: r.ID, Why: r.Left})
	}
	return out
}

func apiComparisonRow(r *workshop.ComparedRow) api.ComparisonRow {
	p := &r.Pairs[0]
	out := api.ComparisonRow{Key: r.Key, Label: r.Label, Unit: r.Unit, Better: api.ComparisonRowBetter(r.Better.Word()),
		Base: apiSpread(&r.Sides[0]), Trim: apiSpread(&r.Sides[1]), Judged: p.Judged, Shown: p.Shown, Gain: p.Gain}
	if p.Both {
		out.Absolute, out.Half, out.Percent = finite(p.Absolute), finite(p.Half), finite(p.Percent)
		out.Visible, out.VisiblePercent = finite(p.Visible), finite(100*p.Visible/math.Abs(r.Sides[0].Mean))
		if r.Unit == "°C" {
			out.VisiblePercent = nil
		}
	}
	return out
}

func apiSettledRow(r *workshop.SettledRow) api.SettledRow {
	p := &r.Pairs[0]
	out := api.SettledRow{Load: string(r.Load), Key: r.Key, Label: r.Label, Unit: r.Unit, Better: api.SettledRowBetter(r.Better.Word()),
		Base: apiLevel(&r.Sides[0]), Trim: apiLevel(&r.Sides[1]), Judged: p.Judged, Shown: p.Shown, Gain: p.Gain}
	if p.Both {
		out.Absolute, out.Half, out.Percent = finite(p.Absolute), finite(p.Half), finite(p.Percent)
	}
	return out
}

func apiLevel(l *workshop.SettledLevel) *api.SettledLevel {
	if l.Legs == 0 {
		return nil
	}
	return &api.SettledLevel{Legs: l.Legs, Value: l.Value, Half: l.Half()}
}

func apiSpread(x *workshop.ComparedSide) *api.Spread {
	if x.N == 0 {
		return nil
	}
	return &api.Spread{N: x.N, Mean: x.Mean, Half: finite(x.Half), Runs: x.Runs}
}

// AddScores adds results of another program.
func (s *Server) AddScores(c *echo.Context, id int64) error {
	in, err := body[api.AddScoresRequest](c)
	if err != nil {
		return err
	}
	added, err := s.shop.AddScores(c.Request().Context(), id, workshop.NewScores{Trim: in.Trim, Yardstick: in.Yardstick, Unit: in.Unit,
		Better: string(in.Better), Values: in.Values, At: in.At, Note: deref(in.Note)})
	return answerAdded(c, added, err)
}

// ImportScores adds results of other programs from a table.
func (s *Server) ImportScores(c *echo.Context, id int64) error {
	added, err := s.shop.ImportScores(c.Request().Context(), id, c.Request().Body)
	return answerAdded(c, added, err)
}

func answerAdded(c *echo.Context, a workshop.Added, err error) error {
	if err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, api.ScoresAdded{Added: a.Added, Known: a.Known})
}

// DeleteScore removes a score that was typed or imported.
func (s *Server) DeleteScore(c *echo.Context, id, score int64) error {
	return gone(c, s.shop.DropScore(c.Request().Context(), id, score))
}
