package server

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"zerokeel/core/invalid"
	"zerokeel/core/part"
	"zerokeel/core/preflight"
	"zerokeel/core/stat"
	"zerokeel/core/trim"
	"zerokeel/core/verdict"
	"zerokeel/live"
	"zerokeel/server/api"
	"zerokeel/store"
)

// rigParts loads a rig with its parts; a rig without known parts is a conflict that says so.
func (s *Server) rigParts(ctx context.Context, id int64) (*store.Rig, *part.Set, error) {
	r, err := s.store.Rig(ctx, id)
	if err != nil {
		return nil, nil, err
	}
	set, err := s.store.PartSet(ctx, r)
	if errors.Is(err, store.ErrNotFound) {
		return nil, nil, &conflict{"the parts of " + r.Name + " are not known, so its settings are not either; add part sheets first"}
	}
	return r, set, err
}

// ListSettings answers with what the rig's board offers.
func (s *Server) ListSettings(c *echo.Context, id int64) error {
	_, set, err := s.rigParts(c.Request().Context(), id)
	if err != nil {
		return err
	}
	out := []api.Setting{}
	for _, key := range trim.Keys(set.Processor, set.Board) {
		def, index, _ := trim.Find(key)
		entry, _ := set.Board.Lookup(key)
		row := api.Setting{
			Key: key, Group: string(def.Group), Type: api.SettingType(def.Type), Unit: def.Unit, Name: def.Name, Meaning: def.Meaning,
			Scope: string(def.Scope), Index: index, Kin: def.Kin, Signed: def.Signed, Neutral: def.Neutral, NoEffect: def.NoEffect, Lost: entry.Lost,
			Label: entry.Label, Menu: entry.Menu, Min: entry.Min, Max: entry.Max, Step: entry.Step, Choices: nonNil(trim.Choices(def, entry)),
			Stock: entry.Default, Spec: spec(set.Processor, def, index), Core: -1,
		}
		if def.Scope == part.ScopeTiming {
			row.Name = set.Board.Timings[index-1]
		}
		if entry.Second != nil {
			row.Second = entry.Second.Label
		}
		if def.Scope == part.ScopeCore {
			row.Core = index
		}
		out = append(out, row)
	}
	return c.JSON(http.StatusOK, out)
}

// spec returns the maker's value for a setting, unset where there is none.
func spec(p *part.Processor, def trim.Def, index int) part.Value {
	if def.Spec == nil {
		return part.Value{}
	}
	return def.Spec(p, index)
}

// CheckTrim answers with preflight and forecast.
func (s *Server) CheckTrim(c *echo.Context, id int64) error {
	in, err := body[api.CheckRequest](c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	r, set, err := s.rigParts(ctx, id)
	if err != nil {
		return err
	}
	h, fit, err := s.known(ctx, r, set)
	if err != nil {
		return err
	}
	parent := trim.Stock(set.Processor, set.Board)
	var parentTrim *store.Trim
	if in.Parent != nil {
		if parentTrim, err = s.trimOf(ctx, id, *in.Parent); err != nil {
			return err
		}
		parent = parentTrim.Settings.V
	}
	settings := parent.With(in.Settings)
	records, err := s.preflightRecords(ctx, r, set, parentTrim, h)
	if err != nil {
		return err
	}
	out := api.Check{Changes: nonNil(trim.Diff(parent, settings)), Inert: map[string]string{}}
	out.Reason = inWords(out.Changes)
	// A trim that the board does not take has no forecast; the findings say why.
	if f, err := fit.Forecast(settings, r.AmbientC); err == nil {
		out.Forecast = f
	}
	out.ParentForecast = s.parentForecast(r, fit, parentTrim, parent)
	out.Findings = nonNil(preflight.Check(preflight.Input{Set: set, Settings: settings, Parent: parent, Forecast: out.Forecast, Records: records}))
	for _, key := range trim.Keys(set.Processor, set.Board) {
		if why := trim.Inert(set, settings, key); why != "" {
			out.Inert[key] = why
		}
	}
	return c.JSON(http.StatusOK, out)
}

func nonNil[T any](list []T) []T {
	if list == nil {
		return []T{}
	}
	return list
}

// inWords tells changes in a line.
func inWords(changes []trim.Change) string {
	var words []string
	for _, ch := range changes {
		def, _, _ := trim.Find(ch.Key)
		words = append(words, fmt.Sprintf("%s %s", def.Name, arrow(ch, def)))
	}
	const most = 4
	if n := len(words); n > most {
		words = append(words[:most], fmt.Sprintf("and %d more", n-most))
	}
	return strings.Join(words, "; ")
}

func arrow(ch trim.Change, def trim.Def) string {
	text := fmt.Sprintf("%s → %s", signed(ch.From, def), signed(ch.To, def))
	if def.Unit != "" {
		text += " " + def.Unit
	}
	return text
}

// signed writes a value for the screen: offsets with their sign, U+2212 for minus.
func signed(v part.Value, def trim.Def) string {
	text := v.String()
	if x, ok := v.Number(); ok && def.Signed && x > 0 {
		text = "+" + text
	}
	return strings.ReplaceAll(text, "-", "\u2212")
}

// trimOf loads a trim of a rig.
func (s *Server) trimOf(ctx context.Context, rig, id int64) (*store.Trim, error) {
	t, err := s.store.Trim(ctx, id)
	if err != nil {
		return nil, err
	}
	if t.RigID != rig {
		return nil, fmt.Errorf("trim %d of rig %d: %w", id, rig, store.ErrNotFound)
	}
	return t, nil
}

// ListTrims answers with the rig's course.
func (s *Server) ListTrims(c *echo.Context, id int64) error {
	ctx := c.Request().Context()
	r, err := s.store.Rig(ctx, id)
	if err != nil {
		return err
	}
	trims, err := s.store.Trims(ctx, id)
	if err != nil {
		return err
	}
	points, err := s.meanPoints(ctx, id)
	if err != nil {
		return err
	}
	out := []api.Trim{}
	for i := range trims {
		out = append(out, apiTrim(&trims[i], trims, r, points))
	}
	return c.JSON(http.StatusOK, out)
}

// meanPoints returns the mean all-core score by trim.
func (s *Server) meanPoints(ctx context.Context, rig int64) (map[int64]float64, error) {
	scores, err := s.store.Scores(ctx, rig)
	if err != nil {
		return nil, err
	}
	runs := map[int64][]float64{}
	for _, x := range scores {
		if x.Yardstick == "all-core" && x.Spoilt == "" {
			runs[x.TrimID] = append(runs[x.TrimID], x.Value)
		}
	}
	out := map[int64]float64{}
	for id, list := range runs {
		out[id] = stat.Summarise(list).Mean
	}
	return out, nil
}

func apiTrim(t *store.Trim, all []store.Trim, r *store.Rig, points map[int64]float64) api.Trim {
	out := api.Trim{
		Id: t.ID, Rig: t.RigID, Number: t.Number, Name: t.Name, Reason: t.Reason, Settings: t.Settings.V, Changes: []trim.Change{},
		Standing: api.TrimStanding(t.Standing), InForce: r.TrimInForce.Valid && r.TrimInForce.Int64 == t.ID,
		Notes: t.Notes, Profile: api.TrimProfile(t.Profile), CreatedAt: t.CreatedAt, Verdict: string(t.Verdict), Core: t.Core, Summary: summary(t), Untried: []string{},
	}
	if out.Settings == nil {
		out.Settings = trim.Settings{}
	}
	for _, r := range t.Untried.V {
		out.Untried = append(out.Untried, string(r))
	}
	if t.FittedAt.Valid {
		out.FittedAt = &t.FittedAt.Time
	}
	if p, ok := points[t.ID]; ok {
		out.Points = &p
	}
	if t.ParentID.Valid {
		out.Parent = &t.ParentID.Int64
		for i := range all {
			if all[i].ID == t.ParentID.Int64 {
				out.Changes = nonNil(trim.Diff(all[i].Settings.V, t.Settings.V))
			}
		}
	}
	return out
}

// summary tells in some words how a trim stands.
func summary(t *store.Trim) string {
	at := fmt.Sprintf("%d:%02d", int(t.VerdictS)/60, int(t.VerdictS)%60)
	switch {
	case t.Verdict == verdict.NoPost:
		return "no POST"
	case t.Verdict.Failed() && t.Core >= 0:
		return fmt.Sprintf("core %d %s, %s", t.Core, strings.TrimPrefix(string(t.Verdict), "core "), at)
	case t.Verdict.Failed():
		return fmt.Sprintf("%s, %s", t.Verdict, at)
	case t.Verdict == verdict.Held && len(t.Untried.V) > 0:
		if n := len(t.Untried.V); n > 1 {
			return fmt.Sprintf("held %s; %d untried", at, n)
		}
		return fmt.Sprintf("held %s; %s untried", at, t.Untried.V[0])
	case t.Verdict == verdict.Held:
		return "held " + at
	}
	return string(t.Standing)
}

// GetTrim answers with one trim.
func (s *Server) GetTrim(c *echo.Context, id int64) error { return s.answerTrim(c, id, http.StatusOK) }

func (s *Server) answerTrim(c *echo.Context, id int64, status int) error {
	t, err := s.apiTrimOf(c.Request().Context(), id)
	if err != nil {
		return err
	}
	return c.JSON(status, t)
}

func (s *Server) apiTrimOf(ctx context.Context, id int64) (*api.Trim, error) {
	t, err := s.store.Trim(ctx, id)
	if err != nil {
		return nil, err
	}
	r, err := s.store.Rig(ctx, t.RigID)
	if err != nil {
		return nil, err
	}
	all, err := s.store.Trims(ctx, t.RigID)
	if err != nil {
		return nil, err
	}
	points, err := s.meanPoints(ctx, t.RigID)
	if err != nil {
		return nil, err
	}
	out := apiTrim(t, all, r, points)
	return &out, nil
}

// CreateTrim makes a trim from another.
func (s *Server) CreateTrim(c *echo.Context, id int64) error {
	in, err := body[api.CreateTrimRequest](c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	r, set, err := s.rigParts(ctx, id)
	if err != nil {
		return err
	}
	parent, err := s.trimOf(ctx, id, in.Parent)
	if errors.Is(err, store.ErrNotFound) {
		var f invalid.List
		f.Add("parent", "name a trim of "+r.Name, "%s has no trim with id %d", r.Name, in.Parent)
		return f
	} else if err != nil {
		return err
	}
	t := &store.Trim{RigID: id, ParentID: sql.NullInt64{Int64: parent.ID, Valid: true}, Name: in.Name}
	if in.Reason != nil {
		t.Reason = *in.Reason
	}
	if err := s.make(ctx, t, r, set, parent.Settings.V.With(in.Settings)); err != nil {
		return err
	}
	return s.answerTrim(c, t.ID, http.StatusCreated)
}

// make fills a new trim and stores it.
func (s *Server) make(ctx context.Context, t *store.Trim, r *store.Rig, set *part.Set, settings trim.Settings) error {
	if err := s.fill(ctx, t, r, set, settings); err != nil {
		return err
	}
	t.CreatedAt = s.runner.RigClock(r.ID)
	if err := s.store.CreateTrim(ctx, t); err != nil {
		return err
	}
	s.bus.Publish(live.Message{Topic: "trim", Rig: r.ID, ID: t.ID})
	return nil
}

// fill gives a trim its settings, checked, and its forecast from all that is known of the rig.
func (s *Server) fill(ctx context.Context, t *store.Trim, r *store.Rig, set *part.Set, settings trim.Settings) error {
	if faults := trim.Check(set.Processor, set.Board, settings); len(faults) > 0 {
		return faults.Under("settings")
	}
	_, fit, err := s.known(ctx, r, set)
	if err != nil {
		return err
	}
	f, err := fit.Forecast(settings, r.AmbientC)
	if err != nil {
		return err
	}
	t.Settings, t.Forecast = store.AsJSON(settings), store.AsJSON(*f)
	return nil
}

// UpdateTrim changes a draft, or the notes and the profile of any trim.
func (s *Server) UpdateTrim(c *echo.Context, id int64) error {
	in, err := body[api.UpdateTrimRequest](c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	t, err := s.store.Trim(ctx, id)
	if err != nil {
		return err
	}
	r, set, err := s.rigParts(ctx, t.RigID)
	if err != nil {
		return err
	}
	if in.Name != nil {
		t.Name = *in.Name
	}
	if in.Reason != nil {
		t.Reason = *in.Reason
	}
	if in.Settings != nil {
		if err := s.fill(ctx, t, r, set, t.Settings.V.With(*in.Settings)); err != nil {
			return err
		}
	}
	if in.Name != nil || in.Reason != nil || in.Settings != nil {
		if err := s.store.UpdateTrim(ctx, t); err != nil {
			return err
		}
	}
	if in.Notes != nil || in.Profile != nil {
		if in.Notes != nil {
			t.Notes = *in.Notes
		}
		if in.Profile != nil {
			t.Profile = store.Profile(*in.Profile)
		}
		if err := s.store.NoteTrim(ctx, t); err != nil {
			return err
		}
	}
	s.bus.Publish(live.Message{Topic: "trim", Rig: t.RigID, ID: t.ID})
	return s.GetTrim(c, id)
}
