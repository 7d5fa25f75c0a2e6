package server

import (
	"bytes"
	"fmt"
	"net/http"

	"github.com/labstack/echo/v5"

	"zerokeel/core/preflight"
	"zerokeel/core/trim"
	"zerokeel/handover"
	"zerokeel/server/api"
	"zerokeel/workshop"
)

// ListSettings answers with what the rig's board offers.
func (s *Server) ListSettings(c *echo.Context, id int64) error {
	list, err := s.shop.Settings(c.Request().Context(), id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, each(list, apiSetting))
}

func apiSetting(x *workshop.Setting) api.Setting {
	d, e := &x.Def, &x.Entry
	return api.Setting{
		Key: x.Key, Group: string(d.Group), Type: api.SettingType(d.Type), Unit: d.Unit, Name: x.Name, Meaning: d.Meaning,
		Scope: string(d.Scope), Index: x.Index, Kin: d.Kin, Signed: d.Signed, Neutral: d.Neutral, NoEffect: d.NoEffect, Lost: e.Lost,
		Label: e.Label, Menu: e.Menu, Min: e.Min, Max: e.Max, Step: e.Step, Choices: nonNil(trim.Choices(*d, *e)),
		Stock: e.Default, Spec: x.Spec, Second: x.Second, Core: x.Core, First: d.First(),
	}
}

// CheckTrim answers with preflight and forecast.
func (s *Server) CheckTrim(c *echo.Context, id int64) error {
	in, err := body[api.CheckRequest](c)
	if err != nil {
		return err
	}
	k, err := s.shop.Check(c.Request().Context(), id, deref(in.Parent), in.Settings)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, api.Check{Changes: nonNil(k.Changes), Reason: k.Reason, Forecast: k.Forecast,
		ParentForecast: k.ParentForecast, NoForecast: k.NoForecast,
		Findings: nonNil(k.Findings), Inert: k.Inert, Curve: each(k.Curve, apiCurveOffset), WithinSpec: k.WithinSpec})
}

func apiCurveOffset(x *workshop.CurveOffset) api.CurveOffset {
	return api.CurveOffset{Steps: x.Steps, Before: x.Before}
}

// ListTrims answers with the rig's course.
func (s *Server) ListTrims(c *echo.Context, id int64) error {
	list, err := s.shop.Trims(c.Request().Context(), id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, each(list, apiTrim))
}

func apiTrim(t *workshop.Trim) api.Trim {
	out := api.Trim{Version: workshop.VersionOfTrim(&t.Trim),
		Id: t.ID, Rig: t.RigID, Number: t.Number, Name: t.Name, Reason: t.Reason, Settings: t.Settings.V, Changes: nonNil(t.Changes),
		Standing: api.TrimStanding(t.Standing), InForce: t.InForce, Notes: t.Notes, Profile: api.TrimProfile(t.Profile), CreatedAt: t.CreatedAt,
		Verdict: string(t.Verdict), Core: t.Core, Summary: t.Summary, Points: t.Points,
		Parent: id(t.ParentID.Int64), Next: texts(t.Next), BackTo: id(t.BackTo), Pilot: id(t.Trim.Pilot.Int64),
	}
	if out.Settings == nil {
		out.Settings = trim.Settings{}
	}
	if p := t.Proof; p != nil {
		out.Proof = &api.TrimProof{SumS: p.SumS, Stands: p.Stands, Next: string(p.Next), Lacks: p.Lacks, TakesS: p.TakesS,
			Regimes: each(p.Rows, apiStood), Used: apiStood(&p.Used)}
	}
	if t.FittedAt.Valid {
		out.FittedAt = &t.FittedAt.Time
	}
	return out
}

func apiStood(r *workshop.ProofRow) api.RegimeStood {
	return api.RegimeStood{Regime: string(r.Regime), Words: r.Words, StoodS: r.StoodS, BoundS: r.BoundS, LackS: r.LackS}
}

// GetTrim answers with one trim.
func (s *Server) GetTrim(c *echo.Context, id int64) error { return s.answerTrim(c, id, http.StatusOK) }

func (s *Server) answerTrim(c *echo.Context, id int64, status int) error {
	t, err := s.shop.Trim(c.Request().Context(), id)
	if err != nil {
		return err
	}
	out := apiTrim(t)
	tagged(c, out.Version)
	return c.JSON(status, out)
}

// CreateTrim makes a trim from another.
func (s *Server) CreateTrim(c *echo.Context, id int64) error {
	in, err := body[api.CreateTrimRequest](c)
	if err != nil {
		return err
	}
	made, err := s.shop.MakeTrim(c.Request().Context(), id, workshop.NewTrim{Parent: in.Parent, Name: in.Name, Reason: deref(in.Reason),
		Changes: in.Settings})
	if err != nil {
		return err
	}
	return s.answerTrim(c, made.Trim.ID, http.StatusCreated)
}

// UpdateTrim changes a draft, or the notes and the profile of any trim.
func (s *Server) UpdateTrim(c *echo.Context, id int64) error {
	in, err := body[api.UpdateTrimRequest](c)
	if err != nil {
		return err
	}
	change := workshop.TrimChange{Name: in.Name, Reason: in.Reason, Notes: in.Notes, Changes: deref(in.Settings)}
	if in.Profile != nil {
		p := workshop.Profile(*in.Profile)
		change.Profile = &p
	}
	if _, err := s.shop.ChangeTrim(c.Request().Context(), id, change); err != nil {
		return err
	}
	return s.GetTrim(c, id)
}

// ExportTrim answers with a trim as a file: what differs from the board's delivery.
func (s *Server) ExportTrim(c *echo.Context, id int64) error {
	text, name, err := s.shop.ExportTrim(c.Request().Context(), id)
	if err != nil {
		return err
	}
	attach(c, name)
	return c.Blob(http.StatusOK, "application/json", text)
}

// ImportTrim makes a trim from a file.
func (s *Server) ImportTrim(c *echo.Context, id int64) error {
	text, err := whole(c)
	if err != nil {
		return err
	}
	made, err := s.shop.ImportTrim(c.Request().Context(), id, text)
	if err != nil {
		return err
	}
	return s.answerMade(c, made)
}

// CopyTrim carries a trim to another rig.
func (s *Server) CopyTrim(c *echo.Context, id int64) error {
	in, err := body[api.CopyTrimRequest](c)
	if err != nil {
		return err
	}
	made, err := s.shop.CopyTrim(c.Request().Context(), id, in.Rig, deref(in.Name))
	if err != nil {
		return err
	}
	return s.answerMade(c, made)
}

func (s *Server) answerMade(c *echo.Context, made *workshop.Made) error {
	t, err := s.shop.Trim(c.Request().Context(), made.Trim.ID)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, api.MadeTrim{Trim: apiTrim(t), Unfit: nonNil(made.Unfit),
		Findings: nonNil[preflight.Finding](made.Findings)})
}

// GetCard answers with the setting card of a trim.
func (s *Server) GetCard(c *echo.Context, id int64, params api.GetCardParams) error {
	lines, err := s.shop.Card(c.Request().Context(), id, deref(params.Full))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, lines)
}

// DiffTrims answers with the settings that differ between two trims.
func (s *Server) DiffTrims(c *echo.Context, id int64, params api.DiffTrimsParams) error {
	list, err := s.shop.TrimDiff(c.Request().Context(), id, params.From, params.To)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, nonNil(list))
}

// GetOutcome answers with what was forecast of a trim, and what was measured under it.
func (s *Server) GetOutcome(c *echo.Context, id int64) error {
	o, err := s.shop.Outcome(c.Request().Context(), id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, api.Outcome{Forecast: o.Forecast, Measured: each(o.Measured, apiMeasured)})
}

func apiMeasured(m *workshop.MeasuredLoad) api.MeasuredLoad {
	return api.MeasuredLoad{Load: string(m.Load), Legs: m.Legs, MeanMHz: finite(m.MeanMHz), PackageW: finite(m.PackageW),
		DeliveredV: finite(m.DeliveredV), HottestC: finite(m.HottestC), AmbientC: finite(m.AmbientC)}
}

// GetOwnerRecord answers with the record of a trim as a page.
func (s *Server) GetOwnerRecord(c *echo.Context, id int64, params api.GetOwnerRecordParams) error {
	x, err := s.shop.OwnerRecord(c.Request().Context(), id, deref(params.Whole))
	if err != nil {
		return err
	}
	var page bytes.Buffer
	if err := handover.Write(&page, x, fmt.Sprintf("%s://%s/rig/%d/trim/%d", c.Scheme(), c.Request().Host, x.Rig.ID, id)); err != nil {
		return err
	}
	return c.HTMLBlob(http.StatusOK, page.Bytes())
}

// GetBlame answers with which change broke a trim.
func (s *Server) GetBlame(c *echo.Context, id int64) error {
	b, err := s.shop.Blame(c.Request().Context(), id)
	if err != nil {
		return err
	}
	out := api.Blame{Changes: []api.Contrast{}}
	if b != nil {
		out = api.Blame{Held: &b.Held.ID, Number: b.Held.Number, Name: b.Held.Name, Standing: api.BlameStanding(b.Held.Standing),
			Summary: b.Held.Summary,
			Changes: each(b.Changes, apiContrast)}
	}
	return c.JSON(http.StatusOK, out)
}

// FindTrims answers with the trims of all rigs that hold some words.
func (s *Server) FindTrims(c *echo.Context, params api.FindTrimsParams) error {
	found, more, err := s.shop.Find(c.Request().Context(), params.Words)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, api.FoundTrims{Trims: each(found, apiFound), More: more})
}

func apiFound(f *workshop.Found) api.FoundTrim {
	t := f.Trim
	return api.FoundTrim{Rig: t.RigID, RigName: f.Rig, Trim: t.ID, Number: t.Number, Name: t.Name, Reason: t.Reason, Changes: f.Changes,
		Standing: api.FoundTrimStanding(t.Standing), Summary: workshop.SummaryOf(t), CreatedAt: t.CreatedAt}
}
