package workshop

import (
	"context"
	"errors"
	"maps"
	"slices"

	"zerokeel/core/invalid"
	"zerokeel/core/part"
	"zerokeel/core/trim"
	"zerokeel/store"
)

// Parts lists every part sheet.
func (w *Workshop) Parts(ctx context.Context) ([]store.Part, error) {
	if err := may(ctx, look, 0); err != nil {
		return nil, err
	}
	return w.store.Parts(ctx)
}

// Part returns one part sheet.
func (w *Workshop) Part(ctx context.Context, kind, id string) (*store.Part, error) {
	if err := may(ctx, look, 0); err != nil {
		return nil, err
	}
	return w.store.Part(ctx, kind, id)
}

// SavePart stores a part sheet after it was checked whole, in place of an earlier one.
func (w *Workshop) SavePart(ctx context.Context, kind, id string, text []byte) (*store.Part, error) {
	if err := may(ctx, change, 0); err != nil {
		return nil, err
	}
	sheet, err := part.ParseSheet(part.Kind(kind), text)
	if err != nil {
		return nil, err
	}
	name := part.NameOf(sheet)
	if name.ID != id {
		return nil, invalid.List{{Field: "id", Problem: "the sheet says \"" + name.ID + "\", the address \"" + id + "\"",
			Remedy: "let both agree"}}
	}
	out := &store.Part{Kind: kind, ID: id, Name: name.String(), Sheet: text}
	return out, w.store.PutPart(ctx, *out, func(now *store.Part) error { return expect(ctx, fieldsOfPart(now)) })
}

// DropPart removes a sheet that no rig uses.
func (w *Workshop) DropPart(ctx context.Context, kind, id string) error {
	if err := may(ctx, manage, 0); err != nil {
		return err
	}
	err := w.store.DeletePart(ctx, kind, id)
	if errors.Is(err, store.ErrTaken) {
		return conflict("a rig uses this sheet")
	}
	return err
}

// LearnBoard reads the registry of a rig's board, and proposes which setting each attribute is.
func (w *Workshop) LearnBoard(ctx context.Context, rig int64) ([]trim.Learnt, error) {
	if err := may(ctx, look, rig); err != nil {
		return nil, err
	}
	list, _, err := w.registry(ctx, rig)
	if err != nil {
		return nil, err
	}
	trim.Propose(list)
	return list, nil
}

// DraftBoard makes a draft of a board's sheet from its registry and a mapping of attributes to settings. name is the board's;
// what else the rig's present sheet says is kept.
func (w *Workshop) DraftBoard(ctx context.Context, rig int64, name part.Name, mapping map[string]string) (*part.Board, error) {
	if err := may(ctx, look, rig); err != nil {
		return nil, err
	}
	list, r, err := w.registry(ctx, rig)
	if err != nil {
		return nil, err
	}
	if f := mapped(list, mapping); len(f) > 0 {
		return nil, f
	}
	draft := part.Board{}
	if set, err := w.store.PartSet(ctx, r); err == nil {
		draft = *set.Board
		draft.Quirks = nil
	} else if !errors.Is(err, store.ErrNotFound) {
		return nil, err
	}
	draft.Name = name
	draft.Settings = trim.SheetFrom(list)
	return &draft, nil
}

// mapped gives each attribute the setting that a mapping names, and lists what is wrong with the mapping.
func mapped(list []trim.Learnt, mapping map[string]string) invalid.List {
	var f invalid.List
	known, taken := map[string]bool{}, map[string]string{}
	for i := range list {
		name := list[i].Attribute
		key := mapping[name]
		known[name] = true
		list[i].Setting = key
		if key == "" {
			continue
		}
		if _, _, ok := trim.Find(key); !ok {
			f.Add("mapping."+name, "name a setting, or leave it out", "there is no setting %q", key)
		} else if other, twice := taken[key]; twice {
			f.Add("mapping."+name, "name each setting once", "%s is %s already", key, other)
		}
		taken[key] = name
	}
	for _, name := range slices.Sorted(maps.Keys(mapping)) {
		if !known[name] {
			f.Add("mapping."+name, "remove it", "the board has no such attribute")
		}
	}
	return f
}

// registry reads the attribute registry of a rig's board.
func (w *Workshop) registry(ctx context.Context, rig int64) ([]trim.Learnt, *store.Rig, error) {
	r, err := w.store.Rig(ctx, rig)
	if err != nil {
		return nil, nil, err
	}
	if r.FirmwareAddress == "" {
		return nil, nil, conflict("the board of %s is not reached over the network; give its address on the rig's sheet", r.Name)
	}
	board, err := w.boards.Of(r)
	if err != nil {
		return nil, nil, conflict("%v", err)
	}
	list, err := board.Registry(ctx)
	if err != nil {
		return nil, nil, conflict("the board's registry cannot be read: %v", err)
	}
	return list, r, nil
}
