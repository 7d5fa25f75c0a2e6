package workshop

import (
	"context"
	"encoding/json"
	"errors"

	"zerokeel/core/invalid"
	"zerokeel/core/part"
	"zerokeel/core/trim"
	"zerokeel/store"
)

// Sketch makes the sheets of a rig whose parts are not known, or of which they are sketches already, from what its machine tells of itself
// and what its running system lets be set. From then on its trims are set there.
func (w *Workshop) Sketch(ctx context.Context, rig int64) (*Rig, error) {
	r, err := w.sketchable(ctx, rig)
	if err != nil {
		return nil, err
	}
	if !w.hub.Status(rig).Hello.Asked {
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
	set, err := part.Sketch(part.Told{Machine: r.Name, Number: r.ID, Processor: r.Facts.V.Processor, Cores: offer.Cores,
		MemoryMB: r.Facts.V.MemoryMB}, settings)
	if err != nil {
		return nil, conflict("no sheets can be made of what %s tells of itself: %v", r.Name, err)
	}
	return w.sketched(ctx, r, set, []string{string(part.KindProcessor)}, true)
}

// HandSketch is what a person tells of a machine whose settings are entered at its board, and of which there are no sheets.
type HandSketch struct {
	Board                  string // as it is called; another rig with the same shares its sheet
	Style                  part.Style
	Cores, EfficiencyCores int // where no agent tells them; efficiency cores are among them
	Threads                int // per core, of those that are no efficiency cores
	Told                   trim.Board
}

// SketchByHand makes the sheets of a rig whose parts are not known by the trade names of every setting that its processor may have. From
// then on its trims are entered from cards.
func (w *Workshop) SketchByHand(ctx context.Context, rig int64, in HandSketch) (*Rig, error) {
	r, err := w.sketchable(ctx, rig)
	if err != nil {
		return nil, err
	}
	f := in.check()
	if in.Cores == 0 && r.Facts.V.Cores == 0 {
		f.Add("cores", "count them, or link its machine first", "nobody has told how many cores %s has", r.Name)
	}
	if len(f) > 0 {
		return nil, f
	}
	told := part.Told{Machine: r.Name, Number: r.ID, Board: in.Board, Style: in.Style, Processor: r.Facts.V.Processor,
		MemoryMB: r.Facts.V.MemoryMB, Cores: in.cores(r)}
	set, err := part.Sketch(told, nil)
	if err != nil {
		return nil, conflict("no sheets can be made of what is told of %s: %v", r.Name, err)
	}
	set.Board.LoadLine = part.FlatLevels(max(1, in.Told.Count))
	set.Board.Timings, set.Board.Fan.Points = trim.FurtherTimings, max(set.Board.Fan.Points, in.Told.FanPoints)
	set.Board.Settings = trim.ByName(set.Processor, in.Told)
	if there, err := w.store.Part(ctx, string(part.KindBoard), set.Board.ID); err == nil {
		if err := json.Unmarshal(there.Sheet, set.Board); err != nil {
			return nil, err
		}
	} else if !errors.Is(err, store.ErrNotFound) {
		return nil, err
	}
	return w.sketched(ctx, r, set, []string{string(part.KindProcessor), string(part.KindBoard)}, false)
}

func (in *HandSketch) check() (f invalid.List) {
	f.Name("board", &in.Board)
	if in.Style != part.StyleCeiling && in.Style != part.StyleWindow {
		f.Add("style", "say whether its limits are PPT, TDC and EDC, or PL1, PL2 and tau", "%.20q is no style of limits", in.Style)
	}
	if in.Cores < 0 || in.Cores > part.MaxCores {
		f.Add("cores", "give 1 to 64", "%d cores", in.Cores)
	}
	if in.EfficiencyCores < 0 || in.Cores > 0 && in.EfficiencyCores >= in.Cores {
		f.Add("efficiencyCores", "give fewer than there are cores", "%d efficiency cores", in.EfficiencyCores)
	}
	if in.Threads < 0 || in.Threads > 2 {
		f.Add("threads", "give 1 or 2", "%d threads", in.Threads)
	}
	if n := in.Told.FanPoints; n != 0 && (n < 2 || n > 16) {
		f.Add("fanPoints", "give 2 to 16, or nothing", "%d points of a fan curve", n)
	}
	if l := in.Told.Levels; l.Count < 0 || l.Count > 20 || l.Delivered < 0 || l.Delivered > l.Count || l.Count > 0 && l.Delivered == 0 {
		f.Add("levels", "give how many levels there are, and which it is delivered with; or neither", "level %d of %d", l.Delivered, l.Count)
	}
	return f
}

// cores lists the cores as told, or as the machine's agent counts them.
func (in *HandSketch) cores(r *store.Rig) []part.ToldCore {
	n, threads := in.Cores, in.Threads
	if n == 0 {
		n = min(part.MaxCores, r.Facts.V.Cores)
	}
	if threads == 0 {
		threads = 1
		if r.Facts.V.Threads > r.Facts.V.Cores {
			threads = 2
		}
	}
	out := make([]part.ToldCore, n)
	for i := range out {
		out[i].Threads = threads
		if in.EfficiencyCores == 0 {
			continue
		}
		// Told apart by their clocks, which are placeholders.
		if out[i].MaxMHz = 3000; i >= n-in.EfficiencyCores {
			out[i] = part.ToldCore{Threads: 1, MaxMHz: 2000}
		}
	}
	return out
}

// sketchable is a rig whose sheets may be sketched.
func (w *Workshop) sketchable(ctx context.Context, rig int64) (*store.Rig, error) {
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
	}
	return r, nil
}

// sketched gives a rig its sketched sheets.
func (w *Workshop) sketched(ctx context.Context, r *store.Rig, set *part.Set, shared []string, inSystem bool) (*Rig, error) {
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
	err := w.store.Sketch(ctx, r.ID, parts, shared, trim.Stock(set.Processor, set.Board), inSystem)
	if errors.Is(err, store.ErrTaken) {
		return nil, busy(r.Name)
	} else if err != nil {
		return nil, err
	}
	return w.Rig(ctx, r.ID)
}
