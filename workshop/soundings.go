package workshop

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"zerokeel/core/invalid"
	"zerokeel/core/load"
	"zerokeel/core/part"
	"zerokeel/core/sounding"
	"zerokeel/core/survey"
	"zerokeel/core/trim"
	"zerokeel/core/yardstick"
	"zerokeel/store"
)

// UsualRisk is the chance of a fault in a day of mixed use that is allowed unless somebody says otherwise.
const UsualRisk = 0.05

// mostBreaks is the chance up to which more risk than is allowed is put up with: some times what a recommendation leaves, since each trial
// moves what is believed a little.
const mostBreaks = 0.2

// Look says what soundings are looked at for.
type Look struct {
	What    sounding.What
	Trim    int64   // whose settings stay; 0 for that of a pilot at work, the one in force, or the newest
	Risk24h float64 // that is allowed; 0 for UsualRisk
	Keel    []int   // depths that are considered instead of the trim's, in steps; nil for the trim's
}

// Soundings is how deep each core goes, by all that a rig's records tell.
type Soundings struct {
	None      string // why there is nothing to look for; empty where there is
	Axis      *sounding.Axis
	Processor *part.Processor
	Trim      *store.Trim // nil where the rig's parts are not known
	Keel      []int       // depths looked at, by core of the axis
	Own       []int       // those of the trim
	Risk24h   float64
	At        survey.Assessment // of Keel
	Found     []int             // recommended
	AtFound   survey.Assessment
	Holders   []int   // cores each of which holds a rail by itself at Keel, while all work
	Breaks    float64 // the chance that Keel's own risk is more than is allowed
	Over      bool    // and it is too large to be left alone
	Limits    []survey.Limit
	Slope     Slope
	Chances   [][]float64 // by core and depth from Deepest on: of a fault in a day
	Deepest   int
	Points    []Sounded
	Rings     []Ring
	Forecasts []DepthForecast
	Plane     *Plane // of clock and voltage; nil where the voltage is not fixed
	Left      int    // trials that are not counted
	Fleet     int    // like chips that the belief begins with
}

// DepthForecast is what is expected of the machine at some depths, settled under heavy load; NaN for what is not known.
type DepthForecast struct {
	Of                    string // "trim", "keel" or "found"
	Watts, Degrees, Score float64
}

// Slope is how fast faults become rarer: volts for each of which the rate halves, with its 90 % interval; of what is no core in the unit of
// its setting.
type Slope struct{ V, Low, High float64 }

// Soundings tells how deep each core of a rig goes.
func (w *Workshop) Soundings(ctx context.Context, rig int64, in Look) (*Soundings, error) {
	if err := may(ctx, look, rig); err != nil {
		return nil, err
	}
	if in.Risk24h == 0 {
		in.Risk24h = UsualRisk
	}
	var f invalid.List
	if !in.What.Valid() {
		f.Add("what", fmt.Sprintf("choose one of %q", sounding.Whats()), "there is no %.40q to look for", in.What)
		return nil, f
	}
	if !(in.Risk24h >= 1e-4 && in.Risk24h <= 0.5) {
		f.Add("risk", "give 0.0001 to 0.5", "%g is no chance that a builder would allow", in.Risk24h)
		return nil, f
	}
	r, k, err := w.rigKnown(ctx, rig)
	if stands := (*Conflict)(nil); errors.As(err, &stands) {
		return &Soundings{None: stands.Error(), Risk24h: in.Risk24h}, nil
	} else if err != nil {
		return nil, err
	}
	if in.Trim == 0 { // a pilot's trim of the moment is none to look at
		open, err := w.store.OpenPilots(ctx)
		if err != nil {
			return nil, err
		}
		if at := slices.IndexFunc(open, func(p store.Pilot) bool { return p.RigID == rig }); at >= 0 {
			in.Trim = open[at].Base
		}
	}
	t, err := lookedAt(r, k.trims, in.Trim)
	if err != nil {
		return nil, err
	}
	x, err := w.surveyFor(ctx, r, k, in.What, t.Settings.V, true)
	if none := (*sounding.None)(nil); errors.As(err, &none) {
		return &Soundings{None: none.Why, Trim: t, Risk24h: in.Risk24h}, nil
	} else if err != nil {
		return nil, err
	}
	x.mu.Lock()
	defer x.mu.Unlock()
	a := x.axis
	out := &Soundings{Axis: a, Processor: k.set.Processor, Trim: t, Own: a.Depths(k.set.Processor, t.Settings.V), Risk24h: in.Risk24h,
		Deepest: a.Min, Left: x.told.Left, Fleet: x.fleet}
	out.Keel = out.Own
	if in.Keel != nil {
		if f := checkKeel(a, in.Keel); len(f) > 0 {
			return nil, f
		}
		out.Keel = in.Keel
	}
	out.At, out.Found = x.survey.Assess(out.Keel), x.recommend(in.Risk24h)
	out.AtFound = x.survey.Assess(out.Found)
	for _, i := range x.survey.Holders(out.Keel) {
		out.Holders = append(out.Holders, a.Cores[i])
	}
	out.Breaks = x.survey.Breaks(out.Keel, in.Risk24h)
	out.Over = out.Breaks > mostBreaks
	out.Limits = x.survey.Result().Limits
	out.Slope = slopeOf(a, x.survey.Chip())
	for i := range a.Cores {
		out.Chances = append(out.Chances, x.survey.Chances(i, out.Keel))
	}
	out.Points, out.Rings = x.points()
	for of, depths := range map[string][]int{"trim": out.Own, "keel": out.Keel, "found": out.Found} {
		out.Forecasts = append(out.Forecasts, w.depthForecast(r, k, of, t.Settings.V.With(a.Changes(depths))))
	}
	if x.plane == nil {
		x.plane = x.planeOf(k, t.Settings.V, r.AmbientC)
	}
	out.Plane = x.plane
	slices.SortFunc(out.Forecasts, func(p, q DepthForecast) int { return strings.Compare(p.Of, q.Of) })
	return out, nil
}

// Surveyable is what a survey of a rig can look for, or why it cannot.
type Surveyable struct {
	What sounding.What
	Why  string // empty where it can
}

// Surveyable lists what a survey of a rig can look for beside a trim, or the one in force where none is named, in the order of the work.
func (w *Workshop) Surveyable(ctx context.Context, rig, trim int64) ([]Surveyable, error) {
	if err := may(ctx, look, rig); err != nil {
		return nil, err
	}
	r, err := w.store.Rig(ctx, rig)
	if err != nil {
		return nil, err
	}
	set, err := w.partsKnown(ctx, r)
	if stands := (*Conflict)(nil); errors.As(err, &stands) {
		return []Surveyable{{sounding.Depths, stands.Error()}}, nil
	} else if err != nil {
		return nil, err
	}
	trims, err := w.store.Trims(ctx, rig)
	if err != nil {
		return nil, err
	}
	t, err := lookedAt(r, trims, trim)
	if err != nil {
		return nil, err
	}
	var out []Surveyable
	for _, what := range sounding.Whats() {
		one := Surveyable{What: what}
		if _, err := sounding.AxisFor(what, set, t.Settings.V); err != nil {
			one.Why = err.Error()
		}
		out = append(out, one)
	}
	return out, nil
}

// depthForecast tells what is expected of a machine with some settings.
func (w *Workshop) depthForecast(r *store.Rig, k *rigKnowledge, of string, settings trim.Settings) DepthForecast {
	out := DepthForecast{of, math.NaN(), math.NaN(), math.NaN()}
	f := w.keptForecast(r, k, settings)
	if f == nil {
		return out
	}
	if heavy, ok := f.Load(load.Heavy); ok {
		out.Watts, out.Degrees = heavy.PackageW, heavy.HottestC
	}
	for _, s := range f.Scores {
		if s.Yardstick == yardstick.Burst {
			out.Score = s.Value
		}
	}
	return out
}

func checkKeel(a *sounding.Axis, keel []int) (f invalid.List) {
	if len(keel) != len(a.Cores) {
		f.Add("keel", "give one depth for each core", "%d for %d cores", len(keel), len(a.Cores))
		return f
	}
	for i, x := range keel {
		if x < a.Min || x > a.Max {
			f.Add(fmt.Sprintf("keel[%d]", i), fmt.Sprintf("give %d to %d steps", a.Min, a.Max), "the board does not go to %d", x)
		}
	}
	return f
}

// lookedAt returns the trim that soundings are looked at for.
func lookedAt(r *store.Rig, trims []store.Trim, id int64) (*store.Trim, error) {
	if id == 0 && r.TrimInForce.Valid {
		id = r.TrimInForce.Int64
	}
	for i := range trims {
		if t := &trims[i]; t.ID == id || id == 0 && i == len(trims)-1 {
			return t, nil
		}
	}
	return nil, fmt.Errorf("trim %d of rig %d: %w", id, r.ID, ErrNotFound)
}

// slopeOf tells what is believed of the slope, in volts, or in the unit of what is no core.
func slopeOf(a *sounding.Axis, chip survey.Surveyed) Slope {
	const ninety = 1.645
	step := a.StepV
	if a.Thing() != "" {
		step = math.Abs(a.Per)
	}
	at := func(z float64) float64 { return math.Ln2 * step * math.Exp(chip.Slope+z*chip.SlopeSD) }
	return Slope{at(0), at(-ninety), at(ninety)}
}
