package workshop

import (
	"context"
	"slices"
	"strings"

	"zerokeel/core/invalid"
	"zerokeel/core/trim"
	"zerokeel/store"
)

// Found is a trim that was looked for, of whatever rig.
type Found struct {
	Rig     string
	Trim    *store.Trim
	Changes string // against its parent, in the words of the trade
}

// Bounds of what is looked for, and how much is found.
const (
	mostFound  = 200
	mostSought = 200 // letters
)

// Find looks for trims over all rigs by words of what they are called, why they were made, what was noted, what they change, and what
// became of them. All words must be there. The newest come first; more tells that there are others.
func (w *Workshop) Find(ctx context.Context, words string) (found []Found, more bool, err error) {
	if err := may(ctx, look, 0); err != nil {
		return nil, false, err
	}
	var f invalid.List
	sought := strings.Fields(strings.ToLower(words))
	if len(sought) == 0 || len(words) > mostSought {
		f.Add("words", "give some words, such as a setting's name or a part of a reason", "%.40q is nothing to look for", words)
		return nil, false, f
	}
	parents := map[int64]trim.Settings{}
	rig := int64(0)
	err = w.store.EachTrim(ctx, func(name string, t *store.Trim) error {
		if t.RigID != rig {
			rig = t.RigID
			clear(parents)
		}
		parents[t.ID] = t.Settings.V
		var changes []trim.Change
		if t.ParentID.Valid {
			changes = trim.Diff(parents[t.ParentID.Int64], t.Settings.V)
		}
		text := strings.ToLower(strings.Join([]string{name, nameOf(t), t.Name, t.Reason, t.Notes, string(t.Standing), summary(t),
			changed(changes, len(changes))}, " "))
		if !slices.ContainsFunc(sought, func(word string) bool { return !strings.Contains(text, word) }) {
			found = append(found, Found{Rig: name, Trim: t, Changes: changed(changes, mostInALine)})
		}
		return nil
	})
	slices.SortStableFunc(found, func(a, b Found) int { return b.Trim.CreatedAt.Compare(a.Trim.CreatedAt) })
	if len(found) > mostFound {
		found, more = found[:mostFound], true
	}
	return found, more, err
}

// SummaryOf tells in some words how a trim stands.
func SummaryOf(t *store.Trim) string { return summary(t) }
