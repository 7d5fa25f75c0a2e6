package workshop

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"math"
	"slices"

	"zerokeel/core/channel"
	"zerokeel/core/clock"
	"zerokeel/core/forecast"
	"zerokeel/core/invalid"
	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/memory"
	"zerokeel/core/part"
	"zerokeel/core/trim"
	"zerokeel/store"
)

// Drawings are what builders work out by hand of settings.
type Drawings struct {
	Plan        clock.Plan
	Windows     []machine.Window
	LoadLines   []machine.LineLevel
	Curves      []CoreCurve
	Corridor    []CorridorPoint
	Entries     []VoltageEntry
	Bands       *part.Bands
	Memory      MemoryAid
	UsualRatios []float64 // for each number of active cores, where the settings leave it to the processor
}

// MemoryAid is what the kit's timings are at the rate that the settings give, and where the memory was proven on this rig.
type MemoryAid struct {
	MTs     float64
	Timings []memory.Timing
	Proven  []memory.Running // the fastest first
}

// CoreCurve is the voltage/frequency curve of a core.
type CoreCurve struct {
	Core   int
	Kind   string
	MaxV   float64
	Points []machine.CurvePoint
}

// CorridorPoint is the voltage corridor at a temperature.
type CorridorPoint struct{ C, FloorV, CeilingV float64 }

// VoltageEntry is what was entered for the core voltage and what was then measured under load: what is typed is not what
// one gets.
type VoltageEntry struct {
	Trim       int64
	Load       load.Kind
	Entered    string // in words
	EnteredV   *float64
	RequestedV *float64
	MeasuredV  float64
}

// curvePoints is how many points a drawn curve has, and corridorFromC, ToC and StepC where a corridor is drawn.
const (
	curvePoints   = 40
	corridorFromC = 20
	corridorToC   = 110
	corridorStepC = 5
)

// Draw works out the drawings of a rig's settings: changes on those of a parent, or on the board's as delivered where it is 0.
func (w *Workshop) Draw(ctx context.Context, rig, parent int64, changes trim.Settings) (*Drawings, error) {
	r, set, settings, k, err := w.edited(ctx, rig, parent, changes)
	if err != nil {
		return nil, err
	}
	model, err := k.fit.Model(settings)
	if err != nil {
		return nil, err
	}
	proven := math.Max(set.Memory.RatedMTs, k.provenMTs)
	out := &Drawings{
		Plan:   clock.NewPlan(set.Processor, machine.Asked(set, settings), proven, set.Board.Steps("memory.rate")),
		Curves: curvesOf(set, model), Corridor: corridorOf(model.Tuning()), Entries: entriesOf(k.history), Bands: set.Board.Bands,
		Memory: memoryOf(set, model.Tuning(), k.history),
	}
	if out.LoadLines, err = machine.LoadLines(set, settings); err != nil && !errors.Is(err, machine.ErrNoPoint) {
		return nil, err // of settings under which it could not run, preflight tells
	}
	if set.Processor.Style == part.StyleWindow {
		if out.Windows, err = windowsOf(model, r.AmbientC); err != nil && !errors.Is(err, machine.ErrNoPoint) {
			return nil, err
		}
	}
	own := model.Tuning().Clocks
	own.Active = nil
	for active := 1; active <= set.Processor.Cores(); active++ {
		top := own.Top(set.Processor, 0, clock.Awake{Here: active, Kind: active, All: active}, false)
		out.UsualRatios = append(out.UsualRatios, top/own.ReferenceMHz)
	}
	return out, nil
}

// memoryOf works out the aid for the memory of tuned settings.
func memoryOf(set *part.Set, tuning *machine.Tuning, h *history) MemoryAid {
	kit, ras := machine.KitOf(set.Memory)
	out := MemoryAid{MTs: tuning.Memory.MTs, Timings: tuning.Memory.Kept(kit, ras)}
	for _, settings := range h.provenMemory() {
		if t, err := machine.Tune(set, settings); err == nil && !slices.ContainsFunc(out.Proven, func(m memory.Running) bool {
			return m.MTs == t.Memory.MTs && m.CL == t.Memory.CL && m.RCD == t.Memory.RCD && m.RP == t.Memory.RP && m.V == t.Memory.V
		}) {
			out.Proven = append(out.Proven, t.Memory)
		}
	}
	slices.SortStableFunc(out.Proven, func(a, b memory.Running) int { return cmp.Compare(b.MTs, a.MTs) })
	return out
}

// edited loads what a draft that is being edited comes to.
func (w *Workshop) edited(ctx context.Context, rig, parent int64, changes trim.Settings) (*store.Rig, *part.Set, trim.Settings,
	*rigKnowledge, error) {
	if err := may(ctx, look, rig); err != nil {
		return nil, nil, nil, nil, err
	}
	r, k, err := w.rigKnown(ctx, rig)
	if err != nil {
		return nil, nil, nil, nil, err
	}
	_, settings, err := w.onParent(ctx, rig, k.set, parent, changes)
	return r, k.set, trim.Stock(k.set.Processor, k.set.Board).With(settings), k, err
}

// windowsOf works out for how long the short-term budget lasts under each load.
func windowsOf(model *machine.Model, ambientC float64) ([]machine.Window, error) {
	var out []machine.Window
	for _, kind := range []load.Kind{load.Heavy, load.Mixed, load.Light} {
		w, err := model.BoostWindow(kind, ambientC)
		if err != nil {
			return nil, err
		}
		w.Points = slices.DeleteFunc(w.Points, func(p machine.WindowPoint) bool { return math.IsNaN(p.PowerW) || math.IsInf(p.PowerW, 0) })
		out = append(out, w)
	}
	return out, nil
}

// curvesOf draws the curves of the cores that are switched on.
func curvesOf(set *part.Set, model *machine.Model) []CoreCurve {
	var out []CoreCurve
	for core, on := range model.Tuning().On {
		if !on {
			continue
		}
		cluster := set.Processor.ClusterOf(core)
		out = append(out, CoreCurve{Core: core, Kind: set.Processor.Clusters[cluster].Kind, MaxV: set.Processor.ClusterMaxV(cluster),
			Points: model.Curve(core, curvePoints)})
	}
	return out
}

// corridorOf draws the voltage corridor; nothing where there is none.
func corridorOf(tuning *machine.Tuning) []CorridorPoint {
	var out []CorridorPoint
	if co := tuning.Corridor; co.On {
		for c := corridorFromC; c <= corridorToC; c += corridorStepC {
			floor, ceiling := co.Bounds(float64(c))
			out = append(out, CorridorPoint{C: float64(c), FloorV: floor, CeilingV: ceiling})
		}
	}
	return out
}

// ProposeEntry returns what to enter for the core voltage so that volts arrive at the die under load.
func (w *Workshop) ProposeEntry(ctx context.Context, rig, parent int64, changes trim.Settings, volts float64) (*forecast.Entry, error) {
	r, _, settings, k, err := w.edited(ctx, rig, parent, changes)
	if err != nil {
		return nil, err
	}
	entry, err := k.fit.EntryFor(settings, volts, r.AmbientC)
	var far *forecast.OutOfReach
	var skipped *forecast.Skipped
	switch {
	case errors.As(err, &far):
		remedy := fmt.Sprintf("give %.3f to %.3f V, or change ratios and load line first", far.Low, far.High)
		if math.IsInf(far.High, 1) {
			remedy = fmt.Sprintf("give %.3f V or more, or change ratios and load line first", far.Low)
		}
		return nil, invalid.List{{Field: "volts", Problem: fmt.Sprintf("%.3f V is out of reach", volts), Remedy: remedy}}
	case errors.As(err, &skipped):
		return nil, invalid.List{{Field: "volts", Problem: skipped.Error(), Remedy: "ask for what a step gives, or raise the limit first"}}
	case err != nil:
		return nil, err
	}
	return entry, nil
}

// entriesOf lists what was entered for the core voltage on a rig, and what was then measured.
func entriesOf(h *history) []VoltageEntry {
	var out []VoltageEntry
	for i := range h.records {
		l := &h.records[i]
		measured, _ := l.figure(channel.DeliveredVoltage)
		if math.IsNaN(measured) {
			continue
		}
		e := VoltageEntry{Trim: l.TrimID, Load: l.Load, MeasuredV: measured, Entered: entered(l.trim.Settings.V)}
		if v, ok := enteredV(l.trim.Settings.V); ok {
			e.EnteredV = &v
		}
		if v, _ := l.figure(channel.RequestedVoltage); !math.IsNaN(v) {
			e.RequestedV = &v
		}
		out = append(out, e)
	}
	return out
}

func enteredV(s trim.Settings) (float64, bool) {
	switch s.Word("voltage.core.mode") {
	case trim.Fixed:
		return s.Number("voltage.core.fixed", 0), true
	case trim.Adaptive:
		return s.Number("voltage.core.target", 0), true
	}
	return 0, false
}

func entered(s trim.Settings) string {
	if v, ok := enteredV(s); ok {
		return fmt.Sprintf("%s %.3f V", s.Word("voltage.core.mode"), v)
	}
	if x := s.Number("voltage.core.offset", 0); x != 0 {
		return "offset " + trim.Say("voltage.core.offset", part.Number(x))
	}
	if x := s.Number("curve.all", 0); x != 0 {
		def, _, _ := trim.Find("curve.all")
		return "curve " + def.Write(part.Number(x))
	}
	return "dynamic"
}
