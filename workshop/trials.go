package workshop

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"math"
	"slices"
	"time"

	"zerokeel/core/fan"
	"zerokeel/core/invalid"
	"zerokeel/core/ladder"
	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/proof"
	"zerokeel/core/verdict"
	"zerokeel/core/yardstick"
	"zerokeel/link"
	"zerokeel/store"
)

// Trial is a trial with its legs and, where it was asked for by itself, its events.
type Trial struct {
	store.Trial
	Legs   []store.Leg
	Events []store.Event
}

// OriginMS is the moment at which the trial's axis begins, on the rig's clock: the start of its first leg. It is false when
// none has begun.
func (t *Trial) OriginMS() (int64, bool) {
	for _, l := range t.Legs {
		if l.StartedMS.Valid {
			return l.StartedMS.Int64, true
		}
	}
	return 0, false
}

// Over reports whether nothing more will be done for it.
func (t *Trial) Over() bool { return t.State == store.TrialEnded }

// LengthS is how long the trial's legs are planned to take, DoneS how much of it was seen, and RemainingS what is left of the
// legs that have not ended, all in seconds of the rig's clock.
func (t *Trial) LengthS() float64 {
	return t.over(func(l *store.Leg) float64 { return l.Seconds })
}

// DoneS is how much of the trial was seen; see LengthS.
func (t *Trial) DoneS() float64 {
	return t.over(func(l *store.Leg) float64 { return float64(l.EndMS()-l.StartedMS.Int64) / 1000 })
}

// RemainingS is what is left of the trial; see LengthS.
func (t *Trial) RemainingS() float64 {
	return t.over(func(l *store.Leg) float64 {
		switch l.State {
		case store.LegWaiting, store.LegOrdered, store.LegRunning:
			return math.Max(0, l.Seconds-float64(l.EndMS()-l.StartedMS.Int64)/1000)
		}
		return 0
	})
}

func (t *Trial) over(of func(*store.Leg) float64) float64 {
	total := 0.0
	for i := range t.Legs {
		total += of(&t.Legs[i])
	}
	return total
}

// Trials lists a rig's newest trials, those with a number below before where that is above 0, newest first.
func (w *Workshop) Trials(ctx context.Context, rig int64, before int) ([]Trial, error) {
	if err := may(ctx, look, rig); err != nil {
		return nil, err
	}
	list, err := w.store.Trials(ctx, rig, before)
	if err != nil {
		return nil, err
	}
	ids := make([]int64, len(list))
	for i := range list {
		ids[i] = list[i].ID
	}
	legs, err := w.store.Legs(ctx, ids...)
	if err != nil {
		return nil, err
	}
	byTrial := map[int64][]store.Leg{}
	for _, l := range legs {
		byTrial[l.TrialID] = append(byTrial[l.TrialID], l)
	}
	out := make([]Trial, len(list))
	for i := range list {
		out[i] = Trial{Trial: list[i], Legs: byTrial[list[i].ID]}
	}
	return out, nil
}

// Trial returns one trial.
func (w *Workshop) Trial(ctx context.Context, id int64) (*Trial, error) {
	if err := may(ctx, look, 0); err != nil {
		return nil, err
	}
	t, err := w.store.Trial(ctx, id)
	if err != nil {
		return nil, err
	}
	out := &Trial{Trial: *t}
	if out.Legs, err = w.store.Legs(ctx, id); err != nil {
		return nil, err
	}
	out.Events, err = w.store.Events(ctx, id)
	return out, err
}

// whole loads a trial with its legs, and its rig.
func (w *Workshop) whole(ctx context.Context, id int64) (*Trial, *store.Rig, error) {
	t, err := w.store.Trial(ctx, id)
	if err != nil {
		return nil, nil, err
	}
	r, err := w.store.Rig(ctx, t.RigID)
	if err != nil {
		return nil, nil, err
	}
	legs, err := w.store.Legs(ctx, id)
	return &Trial{Trial: *t, Legs: legs}, r, err
}

// Plan says what a trial shall run: a ladder, or legs, which may be repeated.
type Plan struct {
	Name    string
	Purpose string // store.PurposeProof where it is empty
	Ladder  string // id of a template, which says itself whether to go on and how often
	Legs    []LegPlan
	GoOn    *bool
	Repeat  *int
	Session *SessionBlock // whose runs they are
	Pilot   *PilotOrderOf // whose order it is
	Batch   int64         // whose rig it tries; 0 for none

	RestoreAfter bool // of a rig that is set in its running system: that is put back as it was found afterwards
}

// LegPlan is a leg as it is asked for.
type LegPlan struct {
	Load      load.Kind
	Yardstick string
	Cores     []int // nil for all that run
	Seconds   *float64
	Width     string
	MemoryMB  int
	AbortC    float64
	TargetC   float64
	Inject    *link.Inject
	Sweep     *fan.Sweep // of a header, while the machine rests
}

// StartTrial begins a trial under the trim in force.
func (w *Workshop) StartTrial(ctx context.Context, rig int64, p Plan) (*Trial, error) {
	if err := may(ctx, change, rig); err != nil {
		return nil, err
	}
	r, err := w.store.Rig(ctx, rig)
	if err != nil {
		return nil, err
	}
	if err := w.mayRun(ctx, r); err != nil {
		return nil, err
	}
	if !r.TrimInForce.Valid {
		return nil, conflict("no trim is known to be in force on %s; fit one first", r.Name)
	}
	t := &store.Trial{RigID: rig, TrimID: r.TrimInForce.Int64, Purpose: store.PurposeProof, Name: p.Name}
	if p.Purpose != "" {
		t.Purpose = p.Purpose
	}
	if s := p.Session; s != nil {
		t.Session, t.Block = sql.NullInt64{Int64: s.Session, Valid: true}, sql.NullInt64{Int64: int64(s.Block), Valid: true}
	}
	if o := p.Pilot; o != nil {
		t.Pilot, t.Order = sql.NullInt64{Int64: o.Pilot, Valid: true}, sql.NullInt64{Int64: int64(o.Number), Valid: true}
	}
	if t.RestoreAfter = p.RestoreAfter; t.RestoreAfter && !r.InSystem {
		return nil, invalid.List{{Field: "restoreAfter", Problem: r.Name + " is not set in its running system",
			Remedy: "leave it out; what is on the board stays until another trim is fitted"}}
	}
	t.Batch = sql.NullInt64{Int64: p.Batch, Valid: p.Batch != 0}
	cores, err := w.runningCores(ctx, r)
	if err != nil {
		return nil, err
	}
	t.Cores = store.AsJSON(cores)
	legs, err := w.legsOf(ctx, &p, t, cores)
	if err != nil {
		return nil, err
	}
	if err := w.keepSafe(ctx, r, t.TrimID, legs); err != nil {
		return nil, err
	}
	err = w.store.CreateTrial(ctx, t, legs)
	if errors.Is(err, store.ErrTaken) {
		return nil, busy(r.Name)
	} else if err != nil {
		return nil, err
	}
	return w.Trial(ctx, t.ID)
}

// mayRun refuses what a rig cannot run now: it is not linked, or a session runs on it that others than its driver would disturb.
func (w *Workshop) mayRun(ctx context.Context, r *store.Rig) error {
	if err := w.noSession(ctx, r); err != nil {
		return err
	}
	at, err := w.linkOf(ctx, r.ID)
	if err != nil {
		return err
	}
	if !at.Linked {
		return conflict("%s is not linked; start its agent first", r.Name)
	}
	return nil
}

// abortAboveC is by how much a leg may pass the maker's temperature limit where nothing else holds the processor to one, and
// belowTripC how far from the trip it ends at least.
const (
	abortAboveC = 5.0
	belowTripC  = 3.0
)

// keepSafe gives legs an end where the trim in force lets the processor go past the maker's temperature limit: so a board without
// limits can be measured as delivered.
func (w *Workshop) keepSafe(ctx context.Context, r *store.Rig, trimID int64, legs []store.Leg) error {
	set, err := w.store.PartSet(ctx, r)
	if errors.Is(err, store.ErrNotFound) {
		return nil
	} else if err != nil {
		return err
	}
	t, err := w.trimOf(ctx, r.ID, trimID)
	if err != nil {
		return err
	}
	maker := set.Processor.Limits.TemperatureC
	tuning, err := machine.Tune(set, t.Settings.V)
	if err != nil || tuning.Limits.TemperatureC <= maker {
		return nil // its sheets have changed since, and say nothing of this trim; or it has a limit
	}
	for i := range legs {
		if legs[i].AbortC == 0 {
			legs[i].AbortC = min(maker+abortAboveC, tuning.TripC-belowTripC)
		}
	}
	return nil
}

// legsOf returns the legs that a plan names, itself or by a ladder, as often as they shall run, and takes over what else it
// says of the trial.
func (w *Workshop) legsOf(ctx context.Context, p *Plan, t *store.Trial, cores []int) ([]store.Leg, error) {
	var f invalid.List
	switch {
	case (p.Ladder == "") == (p.Legs == nil):
		f.Add("legs", "name either legs or a ladder", "the request names both, or neither")
	case p.Ladder != "" && (p.GoOn != nil || p.Repeat != nil || t.Purpose != store.PurposeProof):
		f.Add("ladder", "leave out goOn and repeat, which the ladder says itself, and prove with it", "a ladder is a proof of its own")
	}
	if len(f) > 0 {
		return nil, f
	}
	if p.Ladder != "" {
		return w.laddered(ctx, p.Ladder, t, cores)
	}
	put(&t.GoOn, p.GoOn)
	repeat := 1
	put(&repeat, p.Repeat)
	if n := len(p.Legs) * repeat; n > ladder.MaxLegs {
		f.Add("repeat", fmt.Sprintf("keep to %d legs in all", ladder.MaxLegs), "it makes %d legs", n)
		return nil, f
	}
	legs, f := planned(p.Legs, t.Purpose, cores)
	if len(f) > 0 {
		return nil, f
	}
	return slices.Repeat(legs, repeat), nil
}

// MissingLadder is the ladder that runs what a trim lacks to its next grade.
const MissingLadder = "missing"

// template returns the template with an id.
func (w *Workshop) template(ctx context.Context, id string, t *store.Trial, cores int) (*store.Ladder, error) {
	if id != MissingLadder {
		return w.store.Ladder(ctx, id)
	}
	under, err := w.store.Trim(ctx, t.TrimID)
	if err != nil {
		return nil, err
	}
	stood := under.Proof.V
	stood.Cores = cores
	to, missing := stood.Next()
	if len(missing) == 0 {
		return nil, invalid.List{{Field: "ladder", Problem: "the trim is proven, and nothing is missing", Remedy: "name one from /api/ladders"}}
	}
	return &store.Ladder{ID: id, Template: proof.Ladder(to, missing)}, nil
}

// laddered turns a template into legs.
func (w *Workshop) laddered(ctx context.Context, id string, t *store.Trial, cores []int) ([]store.Leg, error) {
	l, err := w.template(ctx, id, t, len(cores))
	if errors.Is(err, store.ErrNotFound) {
		return nil, invalid.List{{Field: "ladder", Problem: fmt.Sprintf("%.40q is no ladder", id), Remedy: "name one from /api/ladders"}}
	} else if err != nil {
		return nil, err
	}
	t.GoOn = l.Template.GoOn
	if t.Name == "" {
		t.Name = l.Template.Name
	}
	steps, err := l.Template.Legs(cores)
	var f invalid.List
	if errors.As(err, &f) {
		return nil, f.Under("ladder")
	}
	legs := make([]store.Leg, len(steps))
	for i, s := range steps {
		legs[i].InForce = true
		legs[i].LegSpec = store.LegSpec{Load: s.Load, Cores: store.AsJSON(s.Cores), Seconds: s.Seconds, Width: s.Width, MemoryMB: s.MemoryMB,
			AbortC: s.AbortC, TargetC: s.TargetC}
	}
	return legs, err
}

// runningCores lists the cores that a rig's trim in force leaves switched on; those that its agent found where its parts
// are not known.
func (w *Workshop) runningCores(ctx context.Context, r *store.Rig) ([]int, error) {
	found := machine.AllCores(r.Facts.V.Cores)
	set, err := w.store.PartSet(ctx, r)
	if errors.Is(err, store.ErrNotFound) {
		return found, nil
	} else if err != nil {
		return nil, err
	}
	settings, err := w.onBoard(ctx, r)
	if err != nil {
		return nil, err
	}
	tuning, err := machine.Tune(set, settings)
	if err != nil {
		return found, nil
	}
	var on []int
	for core, is := range tuning.On {
		if is {
			on = append(on, core)
		}
	}
	return on, nil
}

// planned turns what was asked for into legs, with every fault of it.
func planned(asked []LegPlan, purpose string, cores []int) ([]store.Leg, invalid.List) {
	var f invalid.List
	var legs []store.Leg
	for i := range asked {
		at := fmt.Sprintf("legs[%d]", i)
		l, own := plannedLeg(&asked[i], purpose, cores)
		f = append(f, own.Under(at)...)
		if rest := restBefore(&l, len(legs) == 0); rest != nil {
			legs = append(legs, *rest)
		}
		legs = append(legs, l)
	}
	return legs, f
}

// firstRestS is how long a trial rests before its first run that shall begin cool, since nobody knows what the machine did until
// then.
const firstRestS = 300.0

// restBefore is the leg at rest after which a run begins as cool as every other; nil where it may begin as it is.
func restBefore(l *store.Leg, first bool) *store.Leg {
	y, known := yardstick.Of(l.Yardstick)
	if !known || y.RestS == 0 {
		return nil
	}
	rest := store.Leg{LegSpec: store.LegSpec{Load: load.Idle, Seconds: y.RestS, Cores: l.Cores}}
	rest.InForce = true
	if first {
		rest.Seconds = math.Max(firstRestS, y.RestS)
	}
	return &rest
}

func plannedLeg(a *LegPlan, purpose string, cores []int) (store.Leg, invalid.List) {
	var f invalid.List
	l := store.Leg{LegSpec: store.LegSpec{Load: a.Load, Width: a.Width, MemoryMB: a.MemoryMB, AbortC: a.AbortC, TargetC: a.TargetC}}
	l.InForce = true
	if l.AbortC > 0 && l.TargetC > l.AbortC {
		f.Add("targetC", "give less than the abort limit", "%g °C lies above the abort limit of %g °C", l.TargetC, l.AbortC)
	}
	if a.Sweep != nil {
		l.Sweep = store.AsJSON(*a.Sweep)
	}
	on := a.Cores
	if on == nil {
		on = cores
	}
	checkCores(&f, on, cores)
	l.Cores = store.AsJSON(on)
	if a.Inject != nil {
		l.Inject = store.AsJSON(*a.Inject)
		if !slices.Contains(on, a.Inject.Core) {
			f.Add("inject.core", "name a core of the leg", "core %d does not run in this leg", a.Inject.Core)
		}
	}
	if purpose != store.PurposeScore {
		if a.Load == "" || a.Yardstick != "" {
			f.Add("load", "name a load; a yardstick belongs to a score", "a proof runs loads")
			return l, f
		}
		if a.Seconds == nil {
			f.Add("seconds", "give the seconds to run", "the time is missing")
			return l, f
		}
		l.Seconds = *a.Seconds
		return l, f
	}
	y, known := yardstick.Of(a.Yardstick)
	if !known {
		f.Add("yardstick", "name one from /api/yardsticks that rigs take themselves", "%.40q is none of them", a.Yardstick)
		return l, f
	}
	if a.Seconds != nil || a.Load != "" {
		f.Add("seconds", "leave out the load and the time", "a yardstick is a fixed amount of work under a load of its own")
	}
	l.Yardstick, l.Load, l.Seconds = y.ID, y.Load, y.TypicalS
	l.Cores = store.AsJSON(y.Cores(on))
	return l, f
}

// checkCores lists what is wrong with the cores of a leg, on a machine where these run.
func checkCores(f *invalid.List, on, running []int) {
	seen := map[int]bool{}
	for _, core := range on {
		if !slices.Contains(running, core) || seen[core] {
			f.Add("cores", fmt.Sprintf("name each core once, of %d that run: %s", len(running), coresInWords(running)),
				"core %d does not run or stands twice", core)
		}
		seen[core] = true
	}
	if len(on) == 0 {
		f.Add("cores", "name the cores to load", "no core is named")
	}
}

// coresInWords writes cores as ranges, such as "0 to 3, 6".
func coresInWords(cores []int) string {
	text := ""
	for i := 0; i < len(cores); {
		j := i
		for j+1 < len(cores) && cores[j+1] == cores[j]+1 {
			j++
		}
		if text != "" {
			text += ", "
		}
		text += fmt.Sprint(cores[i])
		if j > i {
			text += fmt.Sprintf(" to %d", cores[j])
		}
		i = j + 1
	}
	return text
}

// MarkTrial pins a remark to this moment of a trial. atS is where it lies on the trial's axis.
func (w *Workshop) MarkTrial(ctx context.Context, id int64, text string) (e *store.Event, atS float64, err error) {
	if err := may(ctx, change, 0); err != nil {
		return nil, 0, err
	}
	t, err := w.Trial(ctx, id)
	if err != nil {
		return nil, 0, err
	}
	at, err := w.linkOf(ctx, t.RigID)
	if err != nil {
		return nil, 0, err
	}
	origin, _ := t.OriginMS()
	for i := range t.Legs {
		l := &t.Legs[i]
		if l.State != store.LegRunning || !l.StartedMS.Valid {
			continue
		}
		started := store.FromMS(l.StartedMS.Int64)
		e := &store.Event{LegID: l.ID, Kind: verdict.EventMark, AtS: math.Max(0, at.Clock.Sub(started).Seconds()), Core: -1, Note: text}
		if err := w.store.AddEvent(ctx, t.RigID, e); err != nil {
			return nil, 0, err
		}
		return e, e.AtS + started.Sub(store.FromMS(origin)).Seconds(), nil
	}
	return nil, 0, conflict("no leg of this trial runs at the moment")
}

// clockMS is the time on a rig's clock now, in ms since 1970 UTC.
func (w *Workshop) clockMS(ctx context.Context, rig int64) (int64, error) {
	at, err := w.linkOf(ctx, rig)
	return at.Clock.UnixMilli(), err
}

// RigClock returns the time on a rig's clock, or this machine's where the rig is not linked.
func (w *Workshop) RigClock(ctx context.Context, rig int64) (time.Time, error) {
	if err := may(ctx, look, rig); err != nil {
		return time.Time{}, err
	}
	at, err := w.linkOf(ctx, rig)
	return at.Clock, err
}
