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

// ReadLog answers with what happened on a rig, newest first, a page of it.
func (s *Server) ReadLog(c *echo.Context, id int64, params api.ReadLogParams) error {
	ctx := c.Request().Context()
	if _, err := s.store.Rig(ctx, id); err != nil {
		return err
	}
	trims, err := s.store.Trims(ctx, id)
	if err != nil {
		return err
	}
	before := time.Date(9000, 1, 1, 0, 0, 0, 0, time.UTC)
	if params.Before != nil {
		before = *params.Before
	}
	h, err := s.store.History(ctx, id, before, logPage+1)
	if err != nil {
		return err
	}
	entries := slices.DeleteFunc(logOf(trims, h), func(e api.LogEntry) bool {
		return !e.At.Before(before) || params.Kinds != nil && !slices.Contains(*params.Kinds, api.ReadLogParamsKinds(e.Kind))
	})
	if len(entries) > logPage {
		end := logPage
		for end > logPage/2 && entries[end].At.Equal(entries[end-1].At) {
			end-- // what happened at one moment stays together, so that the next page can begin before it
		}
		entries = entries[:end]
	}
	return c.JSON(http.StatusOK, entries)
}

// logPage is how many entries an answer holds; fewer, but at least half as many, where several happened at one moment.
const logPage = 200

// logOf makes one list of a rig's history, the newest first. Moments are those of the rig's own clock, as far as it has
// told them.
func logOf(trims []store.Trim, h *store.History) []api.LogEntry {
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
	for _, f := range h.Fittings {
		add(f.RigClock, "fitting", f.TrimID, names[f.TrimID]+" "+string(f.State), f.Problem, f.State.Ended() && f.State != store.FitInForce)
	}
	for i := range h.Trials {
		t := &h.Trials[i]
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
	for _, i := range h.Incidents {
		by := "seen in daily use"
		if i.BootID.Valid {
			by = "noticed by the rig"
		}
		add(i.CreatedAt, "incident", i.TrimID, fmt.Sprintf("%s under %s, %s", i.Kind, names[i.TrimID], by), i.Note, true)
	}
	for _, n := range h.Notices {
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
