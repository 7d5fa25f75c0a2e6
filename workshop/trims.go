package workshop

import (
	"cmp"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"strings"

	"zerokeel/core/invalid"
	"zerokeel/core/part"
	"zerokeel/core/preflight"
	"zerokeel/core/proof"
	"zerokeel/core/trim"
	"zerokeel/core/verdict"
	"zerokeel/store"
)

// rigParts loads a rig with its parts; a rig without known parts is a conflict that says so.
func (w *Workshop) rigParts(ctx context.Context, id int64) (*store.Rig, *part.Set, error) {
	r, err := w.store.Rig(ctx, id)
	if err != nil {
		return nil, nil, err
	}
	set, err := w.partsKnown(ctx, r)
	return r, set, err
}

// trimParts loads a trim with its rig and the rig's parts.
func (w *Workshop) trimParts(ctx context.Context, id int64) (*store.Trim, *store.Rig, *part.Set, error) {
	t, err := w.store.Trim(ctx, id)
	if err != nil {
		return nil, nil, nil, err
	}
	r, set, err := w.rigParts(ctx, t.RigID)
	return t, r, set, err
}

// partsKnown loads the parts of a rig; that they are not known is a conflict that says so.
func (w *Workshop) partsKnown(ctx context.Context, r *store.Rig) (*part.Set, error) {
	set, err := w.store.PartSet(ctx, r)
	if errors.Is(err, store.ErrNotFound) {
		return nil, conflict("the parts of %s are not known, so its settings are not either; add part sheets first", r.Name)
	}
	return set, err
}

// trimOf loads a trim of a rig.
func (w *Workshop) trimOf(ctx context.Context, rig, id int64) (*store.Trim, error) {
	t, err := w.store.Trim(ctx, id)
	if err != nil {
		return nil, err
	}
	if t.RigID != rig {
		return nil, fmt.Errorf("trim %d of rig %d: %w", id, rig, store.ErrNotFound)
	}
	return t, nil
}

// onParent returns a parent, nil for the board's settings as delivered where it is 0, and the settings that changes on it make.
func (w *Workshop) onParent(ctx context.Context, rig int64, set *part.Set, parent int64, changes trim.Settings) (*store.Trim,
	trim.Settings, error) {
	stock := trim.Stock(set.Processor, set.Board)
	if parent == 0 {
		return nil, stock.With(changes), nil
	}
	t, err := w.trimOf(ctx, rig, parent)
	if err != nil {
		return nil, nil, err
	}
	return t, t.Settings.V.With(changes), nil
}

// Setting is a setting that a rig's board offers.
type Setting struct {
	Key    string
	Def    trim.Def
	Index  int // of an indexed one
	Name   string
	Entry  part.BoardSetting
	Second string     // label of its second place in the menus
	Spec   part.Value // the maker's value; unset where there is none
	Core   int        // whose it is; -1 for none
}

// Settings lists what a rig's board offers, in work order.
func (w *Workshop) Settings(ctx context.Context, rig int64) ([]Setting, error) {
	if err := may(ctx, look, rig); err != nil {
		return nil, err
	}
	_, set, err := w.rigParts(ctx, rig)
	if err != nil {
		return nil, err
	}
	out := []Setting{}
	for _, key := range trim.Keys(set.Processor, set.Board) {
		def, index, _ := trim.Find(key)
		entry, _ := set.Board.Lookup(key)
		one := Setting{Key: key, Def: def, Index: index, Name: def.Name, Entry: entry, Core: -1}
		if def.Spec != nil && !set.Sketched() {
			one.Spec = def.Spec(set.Processor, index)
		}
		switch def.Scope {
		case part.ScopeTiming:
			one.Name = set.Board.Timings[index-1]
		case part.ScopeCore:
			one.Core = index
		}
		if entry.Second != nil {
			one.Second = entry.Second.Label
		}
		out = append(out, one)
	}
	return out, nil
}

// Trim is a trim with what others say of it.
type Trim struct {
	store.Trim
	Changes []trim.Change // against its parent
	InForce bool
	Points  *float64     // mean score of an all-core burst; nil without one
	Summary string       // how it stands, in some words
	Next    []trim.Group // with which the work goes on from it; none where the parts are not known
	BackTo  int64        // the trim to go back to from it; 0 when none ever held
	Proof   *Proof       // nil of one that says nothing yet
}

// Trims lists a rig's trims by number.
func (w *Workshop) Trims(ctx context.Context, rig int64) ([]Trim, error) {
	if err := may(ctx, look, rig); err != nil {
		return nil, err
	}
	r, err := w.store.Rig(ctx, rig)
	if err != nil {
		return nil, err
	}
	trims, err := w.store.Trims(ctx, rig)
	if err != nil {
		return nil, err
	}
	points, err := w.meanPoints(ctx, rig)
	if err != nil {
		return nil, err
	}
	set, err := w.store.PartSet(ctx, r)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return nil, err
	}
	out := make([]Trim, len(trims))
	standings, parents := make([]proof.Standing, len(trims)), make([]int, len(trims))
	for i := range trims {
		standings[i] = trims[i].Standing
		parents[i] = slices.IndexFunc(trims, func(t store.Trim) bool { return trims[i].ParentID.Valid && t.ID == trims[i].ParentID.Int64 })
	}
	for i := range trims {
		out[i] = viewOf(&trims[i], trims, r, points)
		if back := proof.BackTo(standings, parents, i); back >= 0 {
			out[i].BackTo = trims[back].ID
		}
		if set != nil {
			out[i].Next = trim.NextGroups(set.Processor, set.Board, trims[i].Settings.V)
		}
	}
	return out, nil
}

// Trim returns one trim.
func (w *Workshop) Trim(ctx context.Context, id int64) (*Trim, error) {
	if err := may(ctx, look, 0); err != nil {
		return nil, err
	}
	t, err := w.store.Trim(ctx, id)
	if err != nil {
		return nil, err
	}
	all, err := w.Trims(ctx, t.RigID)
	if err != nil {
		return nil, err
	}
	for i := range all {
		if all[i].ID == id {
			return &all[i], nil
		}
	}
	return nil, fmt.Errorf("trim %d: %w", id, store.ErrNotFound)
}

func viewOf(t *store.Trim, all []store.Trim, r *store.Rig, points map[int64]float64) Trim {
	out := Trim{Trim: *t, Changes: []trim.Change{}, InForce: r.TrimInForce.Valid && r.TrimInForce.Int64 == t.ID, Summary: summary(t),
		Proof: proofOf(t, r)}
	if p, ok := points[t.ID]; ok {
		out.Points = &p
	}
	for i := range all {
		if t.ParentID.Valid && all[i].ID == t.ParentID.Int64 {
			out.Changes = trim.Diff(all[i].Settings.V, t.Settings.V)
		}
	}
	return out
}

// Proof is what a trim has stood, regime by regime, and what is missing to its next grade.
type Proof struct {
	proof.Proof
	Rows   []proof.Row
	Stands string         // of a fault that still counts; empty for none
	Next   proof.Standing // the next grade; fitted while a fault stands, empty for none
	Lacks  string         // what is missing to it
	TakesS float64        // and how long that takes
	Used   proof.Row      // daily use, which proves no regime in particular
}

// proofOf tells what a trim has stood; nil of a draft, and of one that failed in a way that no trial takes back.
func proofOf(t *store.Trim, r *store.Rig) *Proof {
	if t.Standing == proof.Draft || t.Standing == proof.Failed && (!t.Proof.Valid || t.Proof.V.Fault == nil) {
		return nil
	}
	out := &Proof{Proof: t.Proof.V}
	if out.Cores == 0 {
		out.Cores = r.Facts.V.Cores
	}
	out.Rows = out.Proof.Rows()
	next, missing := out.Proof.Next()
	out.Next = next
	out.Lacks, out.TakesS = proof.Lacks(missing)
	out.Used = proof.Row{Words: "daily use", StoodS: t.UsedS, BoundS: proof.BoundS(t.UsedS)}
	if f := out.Fault; f != nil {
		out.Stands = f.Stands()
	}
	return out
}

// summary tells in some words how a trim stands.
func summary(t *store.Trim) string {
	at := fmt.Sprintf("%d:%02d", int(t.VerdictS)/60, int(t.VerdictS)%60)
	if t.VerdictS >= 3600 {
		at = fmt.Sprintf("%d:%02d:%02d", int(t.VerdictS)/3600, int(t.VerdictS)/60%60, int(t.VerdictS)%60)
	}
	switch {
	case t.Verdict == verdict.NoPost:
		return "no POST"
	case t.Verdict.Failed() && t.Core >= 0:
		return fmt.Sprintf("core %d %s, %s", t.Core, strings.TrimPrefix(string(t.Verdict), "core "), at)
	case t.Verdict.Failed():
		return fmt.Sprintf("%s, %s", t.Verdict, at)
	case t.Verdict == verdict.Held && t.VerdictS == 0:
		return "a fault in daily use since"
	case t.Verdict == verdict.Held:
		return "stood " + at
	}
	return string(t.Standing)
}

// Made is a trim that was made or changed, with what preflight says of it.
type Made struct {
	Trim     *store.Trim
	Findings []preflight.Finding
	Unfit    []trim.Unfit // what was not carried over, of a copy
}

// NewTrim says what a trim is made of.
type NewTrim struct {
	Parent       int64
	Name, Reason string
	Changes      trim.Settings // on those of the parent
	Pilot        int64         // that makes it on its way; 0 for none
}

// MakeTrim makes a trim of a rig from another.
func (w *Workshop) MakeTrim(ctx context.Context, rig int64, in NewTrim) (*Made, error) {
	if err := may(ctx, change, rig); err != nil {
		return nil, err
	}
	r, set, err := w.rigParts(ctx, rig)
	if err != nil {
		return nil, err
	}
	parent, err := w.trimOf(ctx, rig, in.Parent)
	if errors.Is(err, store.ErrNotFound) {
		var f invalid.List
		f.Add("parent", "name a trim of "+r.Name, "%s has no trim with id %d", r.Name, in.Parent)
		return nil, f
	} else if err != nil {
		return nil, err
	}
	t := &store.Trim{RigID: rig, ParentID: sql.NullInt64{Int64: parent.ID, Valid: true}, Name: in.Name, Reason: in.Reason,
		Pilot: sql.NullInt64{Int64: in.Pilot, Valid: in.Pilot != 0}}
	return w.make(ctx, t, r, set, parent.Settings.V.With(in.Changes))
}

// make fills a new trim, stores it, and checks it.
func (w *Workshop) make(ctx context.Context, t *store.Trim, r *store.Rig, set *part.Set, settings trim.Settings) (*Made, error) {
	if err := w.fill(ctx, t, r, set, settings); err != nil {
		return nil, err
	}
	at, err := w.linkOf(ctx, r.ID)
	if err != nil {
		return nil, err
	}
	t.CreatedAt = at.Clock
	if err := w.store.CreateTrim(ctx, t); err != nil {
		return nil, err
	}
	return w.made(ctx, t, r, set)
}

func (w *Workshop) made(ctx context.Context, t *store.Trim, r *store.Rig, set *part.Set) (*Made, error) {
	c, err := w.checkTrim(ctx, r, set, t)
	if err != nil {
		return nil, err
	}
	return &Made{Trim: t, Findings: c.Findings}, nil
}

// fill gives a trim its settings, checked, and its forecast from all that is known of the rig; none from sheets that are sketches.
func (w *Workshop) fill(ctx context.Context, t *store.Trim, r *store.Rig, set *part.Set, settings trim.Settings) error {
	faults := trim.Check(set.Processor, set.Board, settings).Under("settings")
	if faults.Name("name", &t.Name); len(faults) > 0 {
		return faults
	}
	t.Settings = store.AsJSON(settings)
	if set.Sketched() {
		return nil
	}
	k, err := w.knownOf(ctx, r, set)
	if err != nil {
		return err
	}
	f, err := k.fit.Forecast(settings, r.AmbientC)
	if err != nil {
		return err
	}
	t.Forecast = store.AsJSON(*f)
	return nil
}

// TrimChange says what changes of a trim; nil leaves a thing as it is. Notes and Profile may change at any time, the rest
// only while it is a draft.
type TrimChange struct {
	Name, Reason, Notes *string
	Changes             trim.Settings
	Profile             *store.Profile
}

// changeTries is how often a change is made anew because another one came before it.
const changeTries = 8

// ChangeTrim changes a draft, or the notes and the profile of any trim. It starts from how the trim stands: of two changes at once
// neither is lost.
func (w *Workshop) ChangeTrim(ctx context.Context, id int64, in TrimChange) (*Made, error) {
	if err := may(ctx, change, 0); err != nil {
		return nil, err
	}
	for range changeTries {
		made, err := w.changeTrim(ctx, id, in)
		if !errors.Is(err, errOvertaken) {
			return made, err
		}
	}
	return nil, conflict("others keep changing this trim; try again")
}

// errOvertaken reports that a trim was changed between its reading and its change.
var errOvertaken = errors.New("another change came before this one")

func (w *Workshop) changeTrim(ctx context.Context, id int64, in TrimChange) (*Made, error) {
	t, r, set, err := w.trimParts(ctx, id)
	if err != nil {
		return nil, err
	}
	if err := expect(ctx, fieldsOfTrim(t)); err != nil {
		return nil, err
	}
	read := VersionOfTrim(t)
	var faults invalid.List
	put(&t.Name, in.Name)
	if faults.Name("name", &t.Name); in.Name != nil && len(faults) > 0 {
		return nil, faults
	}
	put(&t.Reason, in.Reason)
	put(&t.Notes, in.Notes)
	put(&t.Profile, in.Profile)
	if in.Changes != nil {
		if err := w.fill(ctx, t, r, set, t.Settings.V.With(in.Changes)); err != nil {
			return nil, err
		}
	}
	if err := w.store.ChangeTrim(ctx, t, func(now *store.Trim) error {
		switch {
		case VersionOfTrim(now) != read:
			return errOvertaken
		case t.Profile != store.ProfileNone && t.Profile != now.Profile && now.Standing == proof.Failed:
			return conflict("%s failed; a profile is what is handed over, so give it to a trim that held", nameOf(now))
		}
		return nil
	}); err != nil {
		return nil, err
	}
	return w.made(ctx, t, r, set)
}

// put stores what a pointer points to, if it points to anything.
func put[T any](into, from *T) {
	if from != nil {
		*into = *from
	}
}

// TrimDiff lists the settings that differ between two trims of a rig.
func (w *Workshop) TrimDiff(ctx context.Context, rig, from, to int64) ([]trim.Change, error) {
	if err := may(ctx, look, rig); err != nil {
		return nil, err
	}
	a, err := w.trimOf(ctx, rig, from)
	if err != nil {
		return nil, err
	}
	b, err := w.trimOf(ctx, rig, to)
	if err != nil {
		return nil, err
	}
	return trim.Diff(a.Settings.V, b.Settings.V), nil
}

// nameOf calls a trim by its number, as pages do; the first by its name, "stock" or "as found".
func nameOf(t *store.Trim) string {
	if t.Number == 0 {
		return cmp.Or(t.Name, "stock")
	}
	return fmt.Sprintf("T%d", t.Number)
}

// TrimCalled finds a trim by its number on the course of a rig, which is called by its name or its own number.
func (w *Workshop) TrimCalled(ctx context.Context, rig string, number int) (int64, error) {
	if err := may(ctx, look, 0); err != nil {
		return 0, err
	}
	id, err := w.RigCalled(ctx, rig)
	if err != nil {
		return 0, err
	}
	trims, err := w.store.Trims(ctx, id)
	if err != nil {
		return 0, err
	}
	for i := range trims {
		if trims[i].Number == number {
			return trims[i].ID, nil
		}
	}
	return 0, fmt.Errorf("trim %d of %s: %w", number, rig, store.ErrNotFound)
}

// RigCalled finds a rig by its name or its own number.
func (w *Workshop) RigCalled(ctx context.Context, rig string) (int64, error) {
	if err := may(ctx, look, 0); err != nil {
		return 0, err
	}
	rigs, err := w.store.Rigs(ctx)
	if err != nil {
		return 0, err
	}
	at := slices.IndexFunc(rigs, func(r store.Rig) bool { return r.Name == rig })
	if at < 0 {
		at = slices.IndexFunc(rigs, func(r store.Rig) bool { return fmt.Sprint(r.ID) == rig })
	}
	if at < 0 {
		return 0, fmt.Errorf("rig %q: %w", rig, store.ErrNotFound)
	}
	return rigs[at].ID, nil
}
