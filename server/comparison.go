package server

import (
	"math"
	"net/http"

	"github.com/labstack/echo/v5"

	"zerokeel/server/api"
	"zerokeel/workshop"
)

// CompareTrims answers with trims side by side.
func (s *Server) CompareTrims(c *echo.Context, params api.CompareTrimsParams) error {
	x, err := s.shop.Compare(c.Request().Context(), params.Trim)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, api.Comparison{Of: each(x.Of, apiCompared), Words: each(x.Words, apiPhrases),
		Verdicts: each(x.Verdicts, apiVerdict),
		Notes:    nonNil(x.Notes), Changes: each(x.Changes, apiContrast), Settled: each(x.Settled, apiSettledRow), Held: each(x.Held, apiHeld),
		Tables: each(x.Tables, apiComparisonTable)})
}

// ExportComparison answers with the same as a table.
func (s *Server) ExportComparison(c *echo.Context, params api.ExportComparisonParams) error {
	x, err := s.shop.ExportComparison(c.Request().Context(), params.Trim, commaOf(string(deref(params.Form))))
	if err != nil {
		return err
	}
	return writeTable(c, x)
}

func apiCompared(x *workshop.Compared) api.Compared {
	out := api.Compared{Rig: x.Rig.ID, RigName: x.Rig.Name, Simulated: x.Rig.Simulated, Trim: x.ID, Number: x.Number, Name: x.Name,
		TrimName: x.Trim.Name, Standing: api.ComparedStanding(x.Standing), Summary: x.Summary, InForce: x.InForce, UsedS: x.UsedS,
		Stood: []api.RegimeStood{}, Legs: []api.ComparedLeg{}}
	if x.Proof != nil {
		out.Stood = each(x.Proof.Rows, apiStood)
	}
	for _, kind := range workshop.Loads() {
		if at, known := x.Legs[kind]; known {
			out.Legs = append(out.Legs, api.ComparedLeg{Load: string(kind), Trial: at.TrialID, FromS: float64(at.From) / 1000,
				ToS: float64(at.To) / 1000})
		}
	}
	return out
}

func apiPhrases(list *[]workshop.Phrase) []api.Phrase {
	return each(*list, func(p *workshop.Phrase) api.Phrase { return api.Phrase{Text: p.Text, Shown: p.Shown, Gain: p.Gain} })
}

func apiVerdict(v *workshop.Verdict) api.GoalVerdict {
	return api.GoalVerdict{Goal: v.Goal, Text: v.Text, Places: apiPlaces(v.Places)}
}

func apiPlaces(list []workshop.Place) []api.Place {
	out := make([]api.Place, len(list))
	for i, p := range list {
		out[i] = api.Place(p)
	}
	return out
}

func apiContrast(x *workshop.Contrast) api.Contrast {
	return api.Contrast{Key: x.Key, Name: x.Name, Values: x.Values, Counts: x.Counts}
}

func apiHeld(r *workshop.HeldRow) api.HeldRow {
	out := api.HeldRow{Load: string(r.Load), By: string(r.By)}
	for _, share := range r.Shares {
		out.Shares = append(out.Shares, finite(share))
	}
	return out
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
	return api.ComparisonRow{Key: r.Key, Label: r.Label, Unit: r.Unit, Better: api.ComparisonRowBetter(r.Better.Word()),
		Sides: each(r.Sides, apiSpread), Places: apiPlaces(r.Places()),
		Pairs: apiPairs(r.Pairs, r.Unit, func(side int) float64 { return r.Sides[side].Mean })}
}

func apiSettledRow(r *workshop.SettledRow) api.SettledRow {
	return api.SettledRow{Load: string(r.Load), Key: r.Key, Label: r.Label, Unit: r.Unit, Better: api.SettledRowBetter(r.Better.Word()),
		Explains: r.Explains(), Sides: each(r.Sides, apiLevel), Places: apiPlaces(r.Places()),
		Pairs: apiPairs(r.Pairs, r.Unit, func(side int) float64 { return r.Sides[side].Value })}
}

// apiPairs encodes the pairs of a row; of tells what a side's figure is.
func apiPairs(list []workshop.ComparedPair, unit string, of func(side int) float64) []api.ComparedPair {
	return each(list, func(p *workshop.ComparedPair) api.ComparedPair {
		out := api.ComparedPair{Base: p.Base, Other: p.Other, Judged: p.Judged, Shown: p.Shown, Gain: p.Gain}
		if p.Both {
			out.Absolute, out.Half, out.Percent, out.Visible = finite(p.Absolute), finite(p.Half), finite(p.Percent), finite(p.Visible)
			if unit != "°C" {
				out.VisiblePercent = finite(100 * p.Visible / math.Abs(of(p.Base)))
			}
		}
		return out
	})
}

func apiLevel(l *workshop.SettledLevel) api.SettledLevel {
	return api.SettledLevel{Legs: l.Legs, Value: finite(l.Value), Half: finite(l.Half())}
}

func apiSpread(x *workshop.ComparedSide) api.Spread {
	out := api.Spread{N: x.N, Runs: nonNil(x.Runs)}
	if x.N > 0 {
		out.Mean, out.Half = finite(x.Mean), finite(x.Half)
	}
	return out
}
