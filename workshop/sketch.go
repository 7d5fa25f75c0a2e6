package workshop

import (
	"context"
	"encoding/json"
	"errors"

	"zerokeel/core/part"
	"zerokeel/core/trim"
	"zerokeel/store"
)

// Sketch makes the sheets of a rig whose parts are not known, or of which they are sketches already, from what its machine tells of itself
// and what its running system lets be set. From then on its trims are set there.
func (w *Workshop) Sketch(ctx context.Context, rig int64) (*Rig, error) {
	if err := may(ctx, change, rig); err != nil {
		return nil, err
	}
	r, err := w.store.Rig(ctx, rig)
	if err != nil {
		return nil, err
	}
	set, err := w.store.PartSet(ctx, r)
	switch {
	case err == nil && !set.Sketched():
		return nil, conflict("the parts of %s are known; its settings are those of %s", r.Name, set.Board.Name)
	case err != nil && !errors.Is(err, store.ErrNotFound):
		return nil, err
	case r.FirmwareAddress != "":
		return nil, conflict("%s has a board that is reached over the network; make its sheet from that", r.Name)
	case !w.hub.Status(rig).Hello.Asked:
		return nil, conflict("the agent of %s is not linked here, or does not set its running system: link it, and start it as root", r.Name)
	}
	offer, err := w.boards.running(r).Offer(ctx)
	if err != nil {
		return nil, conflict("%s does not tell what it lets be set: %v", r.Name, err)
	}
	settings := trim.AsFound(offer.Settings, offer.Found)
	if len(settings) == 0 {
		return nil, conflict("the running system of %s lets nothing be set: neither cores, clocks, limits nor fans", r.Name)
	}
	if set, err = part.Sketch(part.Told{Machine: r.Name, Processor: r.Facts.V.Processor, Cores: offer.Cores, MemoryMB: r.Facts.V.MemoryMB},
		settings); err != nil {
		return nil, conflict("no sheets can be made of what %s tells of itself: %v", r.Name, err)
	}
	parts := []store.Part{}
	for kind, sheet := range map[part.Kind]any{part.KindProcessor: set.Processor, part.KindBoard: set.Board, part.KindCooler: set.Cooler,
		part.KindMemory: set.Memory} {
		text, err := json.MarshalIndent(sheet, "", "  ")
		if err != nil {
			return nil, err
		}
		name := part.NameOf(sheet)
		parts = append(parts, store.Part{Kind: string(kind), ID: name.ID, Name: name.String(), Sheet: text})
	}
	err = w.store.Sketch(ctx, rig, parts, trim.Stock(set.Processor, set.Board))
	if errors.Is(err, store.ErrTaken) {
		return nil, busy(r.Name)
	} else if err != nil {
		return nil, err
	}
	return w.Rig(ctx, rig)
}
