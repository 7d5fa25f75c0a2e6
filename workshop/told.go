package workshop

import (
	"context"
	"errors"

	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/part/drawing"
	"zerokeel/core/trim"
	"zerokeel/store"
)

// PartForms tell what the sheets of each kind hold.
func (w *Workshop) PartForms(ctx context.Context) (map[part.Kind]part.Form, error) {
	if err := may(ctx, look, 0); err != nil {
		return nil, err
	}
	out := map[part.Kind]part.Form{}
	for _, kind := range part.Kinds {
		out[kind], _ = part.FormOf(kind)
	}
	return out, nil
}

// CheckPart lists every fault of a sheet that is being written, as the error, and draws what can be drawn of it.
func (w *Workshop) CheckPart(ctx context.Context, kind string, text []byte) ([]drawing.Drawing, error) {
	if err := may(ctx, look, 0); err != nil {
		return nil, err
	}
	sheet, err := part.ReadSheet(part.Kind(kind), text)
	if sheet == nil {
		return []drawing.Drawing{}, err
	}
	return drawing.Of(sheet), err
}

// ToldParts are the sheets that a rig's machine begins by what it tells of itself, and what the rig's own sheets say otherwise.
type ToldParts struct {
	Drafts         []part.Draft
	Contradictions []part.Contradiction
}

// ToldParts tells what a rig's machine says of its parts. Its running system is asked where its agent sets that.
func (w *Workshop) ToldParts(ctx context.Context, rig int64) (*ToldParts, error) {
	if err := may(ctx, look, rig); err != nil {
		return nil, err
	}
	r, err := w.store.Rig(ctx, rig)
	if err != nil {
		return nil, err
	}
	told := toldOf(r)
	out := &ToldParts{Drafts: []part.Draft{}, Contradictions: []part.Contradiction{}}
	set, err := w.store.PartSet(ctx, r)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return nil, err
	}
	if set != nil && r.Facts.Valid {
		if out.Contradictions, err = w.against(ctx, r, set, told); err != nil {
			return nil, err
		}
	}
	var settings []part.BoardSetting
	if w.hub.Status(rig).Hello.Asked {
		if offer, err := w.boards.running(r).Offer(ctx); err == nil { // who does not answer tells less
			settings, told.Cores = trim.AsFound(offer.Settings, offer.Found), offer.Cores
			told.Limits = limitsIn(settings)
		}
	}
	if len(told.Cores) > 0 {
		if out.Drafts, err = part.Drafts(told, settings); err != nil {
			return nil, conflict("no sheets can be begun with what %s tells of itself: %v", r.Name, err)
		}
	}
	return out, nil
}

// against lists what a rig's sheets say otherwise than its machine; cores that its trim switches off are no contradiction.
func (w *Workshop) against(ctx context.Context, r *store.Rig, set *part.Set, told part.Told) ([]part.Contradiction, error) {
	settings, err := w.onBoard(ctx, r)
	if err != nil {
		return nil, err
	}
	if tuning, err := machine.Tune(set, settings); err == nil && (!tuning.SMT || !allOn(tuning.On)) {
		told.Cores = nil
	}
	return set.Against(told), nil
}

func allOn(on []bool) bool {
	for _, is := range on {
		if !is {
			return false
		}
	}
	return true
}

// toldOf is what a rig's agent told of its machine.
func toldOf(r *store.Rig) part.Told {
	f := r.Facts.V
	t := part.Told{Machine: r.Name, Number: r.ID, Processor: f.Processor, MemoryMB: f.MemoryMB, BoardModel: f.Board}
	for i := range min(part.MaxCores, f.Cores) {
		threads := 1
		if i < f.Threads-f.Cores { // those with two come first
			threads = 2
		}
		t.Cores = append(t.Cores, part.ToldCore{Threads: threads})
	}
	for _, m := range f.Modules {
		t.Modules = append(t.Modules, part.ToldModule{Part: m.Part, SizeMB: m.SizeMB, RatedMTs: m.RatedMTs})
	}
	return t
}

// limitsIn are the limits of a running system as it was found.
func limitsIn(settings []part.BoardSetting) (l part.Limits) {
	for i := range settings {
		x, is := settings[i].Default.Number()
		if !is {
			continue
		}
		switch settings[i].Setting {
		case "limit.pl1":
			l.PL1W = x
		case "limit.pl2":
			l.PL2W = x
		case "limit.tau":
			l.TauS = x
		}
	}
	return l
}

// NameParts names the sheets of a rig's parts: of one that has none, sketches or measured ones, all of them; of any other its cooler and
// memory. Its trim as delivered becomes that of the board's sheet.
func (w *Workshop) NameParts(ctx context.Context, rig int64, ids PartIDs) (*Rig, error) {
	if err := may(ctx, change, rig); err != nil {
		return nil, err
	}
	r, err := w.store.Rig(ctx, rig)
	if err != nil {
		return nil, err
	}
	before, err := w.store.PartSet(ctx, r)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return nil, err
	}
	known := before != nil && !before.Sketched() && before.Processor.Source != part.Measured
	switch {
	case known && (ids.Processor != before.Processor.ID || ids.Board != before.Board.ID):
		return nil, conflict("a machine with another processor or board is another rig, whose trims stood nothing yet: add it as one, and retire %s",
			r.Name)
	case r.InSystem && before != nil && ids.Board != before.Board.ID:
		return nil, conflict("the settings of %s are those of its running system: leave its board as it is", r.Name)
	}
	set, err := w.partsOf(ctx, r, &ids)
	if err != nil {
		return nil, err
	}
	var first *store.Trim
	if !known && !r.InSystem {
		first = &store.Trim{Name: "stock"}
		if err := w.fill(ctx, first, r, set, trim.Stock(set.Processor, set.Board)); err != nil {
			return nil, err
		}
	}
	err = w.store.NameParts(ctx, r, first)
	if errors.Is(err, store.ErrTaken) {
		return nil, busy(r.Name)
	} else if err != nil {
		return nil, err
	}
	return w.Rig(ctx, rig)
}
