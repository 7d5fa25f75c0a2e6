package server

import (
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"zerokeel/server/api"
	"zerokeel/store"
)

// ReadLog answers with what happened on a rig, newest first.
func (s *Server) ReadLog(c *echo.Context, id int64, params api.ReadLogParams) error {
	ctx := c.Request().Context()
	if _, err := s.store.Rig(ctx, id); err != nil {
		return err
	}
	trims, err := s.store.Trims(ctx, id)
	if err != nil {
		return err
	}
	fittings, err := s.store.Fittings(ctx, id)
	if err != nil {
		return err
	}
	trials, err := s.store.Trials(ctx, id)
	if err != nil {
		return err
	}
	incidents, err := s.store.Incidents(ctx, id)
	if err != nil {
		return err
	}
	notices, err := s.store.Notices(ctx, id)
	if err != nil {
		return err
	}
	entries := logOf(trims, fittings, trials, incidents, notices)
	if params.Kinds != nil {
		entries = slices.DeleteFunc(entries, func(e api.LogEntry) bool {
			return !slices.Contains(*params.Kinds, api.ReadLogParamsKinds(e.Kind))
		})
	}
	return c.JSON(http.StatusOK, entries)
}

// logOf makes one list of a rig's history, the newest first. Moments are those of the rig's own clock, as far as it has
// told them.
func logOf(trims []store.Trim, fittings []store.Fitting, trials []store.Trial, incidents []store.Incident, notices []store.Notice) []api.LogEntry {
	out := []api.LogEntry{}
	names := map[int64]string{}
	add := func(at time.Time, kind api.LogEntryKind, trim int64, title, text string, bad bool) *api.LogEntry {
		e := api.LogEntry{At: at, Kind: kind, Title: title, Text: text, Bad: bad}
		if trim != 0 {
			e.Trim = &trim
		}
		out = append(out, e)
		return &out[len(out)-1]
	}
	for _, t := range trims {
		names[t.ID] = fmt.Sprintf("T%d", t.Number)
		at := t.CreatedAt
		if t.FittedAt.Valid && t.FittedAt.Time.Before(at) {
			at = t.FittedAt.Time // made before the rig first linked, and so on another clock
		}
		add(at, "trim", t.ID, names[t.ID]+" "+t.Name, t.Reason, false)
	}
	for _, f := range fittings {
		add(f.RigClock, "fitting", f.TrimID, names[f.TrimID]+" "+string(f.State), f.Problem, f.State.Ended() && f.State != store.FitInForce)
	}
	for i := range trials {
		t := &trials[i]
		at := t.CreatedAt
		if t.StartedAt.Valid {
			at = t.StartedAt.Time
		}
		title, text, bad := fmt.Sprintf("Trial %d under %s: %s", t.Number, names[t.TrimID], t.State), t.Name, false
		if t.Result.Valid {
			title = fmt.Sprintf("Trial %d under %s: %s", t.Number, names[t.TrimID], t.Result.V.Verdict)
			text, bad = strings.TrimPrefix(t.Name+": "+t.Result.V.Why, ": "), t.Result.V.Verdict.Failed()
		}
		add(at, "trial", t.TrimID, title, text, bad).Trial = &t.ID
	}
	for _, i := range incidents {
		by := "seen in daily use"
		if i.BootID.Valid {
			by = "noticed by the rig"
		}
		add(i.CreatedAt, "incident", i.TrimID, fmt.Sprintf("%s under %s, %s", i.Kind, names[i.TrimID], by), i.Note, true)
	}
	for _, n := range notices {
		title := "All clear: " + n.Rule.V.Message
		if n.Raised {
			title = n.Rule.V.Message
		}
		text := fmt.Sprintf("%s at %g, %s %g for %g s", n.Rule.V.Channel, n.Value, n.Rule.V.When, n.Rule.V.Threshold, n.Rule.V.DelayS)
		if n.Outcome != "" {
			text += "; sent: " + n.Outcome
		}
		add(n.At, "watch", 0, title, text, n.Raised)
	}
	slices.SortStableFunc(out, func(a, b api.LogEntry) int { return b.At.Compare(a.At) })
	return out
}
