package workshop

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"zerokeel/core/tuning"
	"zerokeel/store"
)

// JournalEntry is one thing that happened on a rig. Trim and Trial are 0 for none.
type JournalEntry struct {
	At          time.Time // on the rig's clock, as far as it has told it
	Kind        string    // trim, fitting, trial, incident, watch, pilot
	Trim, Trial int64
	Title, Text string
	Bad         bool
}

// Journal returns what happened on a rig before a moment, newest first, a page of it: of some kinds only, where any is named.
func (w *Workshop) Journal(ctx context.Context, rig int64, before time.Time, kinds []string) ([]JournalEntry, error) {
	if err := may(ctx, look, rig); err != nil {
		return nil, err
	}
	if _, err := w.store.Rig(ctx, rig); err != nil {
		return nil, err
	}
	trims, err := w.store.Trims(ctx, rig)
	if err != nil {
		return nil, err
	}
	h, err := w.store.History(ctx, rig, before, journalPage+1)
	if err != nil {
		return nil, err
	}
	entries := slices.DeleteFunc(journalOf(trims, h), func(e JournalEntry) bool {
		return !e.At.Before(before) || len(kinds) > 0 && !slices.Contains(kinds, e.Kind)
	})
	if len(entries) > journalPage {
		end := journalPage
		for end > journalPage/2 && entries[end].At.Equal(entries[end-1].At) {
			end-- // what happened at one moment stays together, so that the next page can begin before it
		}
		entries = entries[:end]
	}
	return entries, nil
}

// journalPage is how many entries an answer holds; fewer, but at least half as many, where several happened at one moment.
const journalPage = 200

// journalOf makes one list of a rig's history, the newest first. Moments are those of the rig's own clock, as far as it has
// told them.
func journalOf(trims []store.Trim, h *store.History) []JournalEntry {
	out := []JournalEntry{}
	names := map[int64]string{}
	add := func(at time.Time, kind string, trim int64, title, text string, bad bool) *JournalEntry {
		out = append(out, JournalEntry{At: at, Kind: kind, Trim: trim, Title: title, Text: text, Bad: bad})
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
		text := f.Problem
		if f.Despite != "" {
			text = strings.TrimPrefix(text+"; fitted although preflight stopped it: "+f.Despite, "; ")
		}
		add(f.RigClock, "fitting", f.TrimID, names[f.TrimID]+" "+string(f.State), text, f.State.Ended() && f.State != store.FitInForce)
	}
	for i := range h.Trials {
		t := &h.Trials[i]
		at := t.CreatedAt
		if t.StartedAt.Valid {
			at = t.StartedAt.Time
		}
		title, text, bad := fmt.Sprintf("Trial %d under %s: %s", t.Number, names[t.TrimID], t.State), t.Name, false
		if t.RigEnded.Valid {
			at = t.RigEnded.Time // what came of it was known no sooner
		}
		if t.Result.Valid {
			title = fmt.Sprintf("Trial %d under %s: %s", t.Number, names[t.TrimID], t.Result.V.Verdict)
			text, bad = strings.TrimPrefix(t.Name+": "+t.Result.V.Why, ": "), t.Result.V.Verdict.Failed()
		}
		add(at, "trial", t.TrimID, title, text, bad).Trial = t.ID
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
	for i := range h.Pilots {
		p := &h.Pilots[i]
		what := "Survey"
		if p.Plan.V.Goal != "" {
			what = "Tuning, " + string(p.Plan.V.Goal)
		}
		asked := fmt.Sprintf("%.0f min of bench time, a fault in a day with a chance of %g %% allowed", p.Plan.V.Minutes, 100*p.Plan.V.Risk24h)
		came := "ended with " + names[p.Progress.V.Found]
		if p.Plan.V.Goal == tuning.MeasureUp {
			what, asked, came = "Measuring up", fmt.Sprintf("%.0f min of loads", p.Plan.V.Minutes), "done"
		}
		add(p.RigBegan, "pilot", p.Base, what+": begun from "+names[p.Base], asked, false)
		for _, d := range p.Progress.V.Done {
			text := d.Words
			if d.Skipped {
				text = "left out: " + text
			}
			tells := d.Kind == tuning.Baseline || d.Kind == tuning.Measure // whatever came of it
			e := add(d.At, "pilot", d.Trim, fmt.Sprintf("%s: %s", what, d.Kind), text, d.Trim != 0 && !d.Kept && !d.Skipped && !tells)
			e.Trial = d.Trial
		}
		if p.RigEnded.Valid {
			title := what + ": " + came
			if p.Problem != "" {
				title = what + ": ended early"
			}
			add(p.RigEnded.Time, "pilot", p.Progress.V.Found, title, p.Problem, p.Problem != "")
		}
	}
	slices.SortStableFunc(out, func(a, b JournalEntry) int { return b.At.Compare(a.At) })
	return out
}
