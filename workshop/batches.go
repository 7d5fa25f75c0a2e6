package workshop

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"zerokeel/core/batch"
	"zerokeel/core/forecast"
	"zerokeel/core/invalid"
	"zerokeel/core/ladder"
	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/trim"
	"zerokeel/store"
)

// BatchPlan says what is tried on several rigs.
type BatchPlan struct {
	Name   string
	Rigs   []int64
	Ladder string
	Trim   int64   // carried to each rig and fitted first; 0 for each one's trim in force
	MostW  float64 // at the wall, of all of them together, at any moment; 0 for no ceiling
}

// Batch is a batch with the trials of its rigs as far as they have begun.
type Batch struct {
	store.Batch
	Trials map[int64]*Trial // by rig
}

// DrawW returns what the rigs of a batch draw at the most at this moment, as it is reckoned with.
func (b *Batch) DrawW() float64 {
	all, going := make([]batch.Draw, len(b.Members)), make([]bool, len(b.Members))
	for i, m := range b.Members {
		all[i], going[i] = batch.Draw{Works: m.ExpectW, Rests: m.IdleW}, m.State == store.MemberGoes
	}
	return batch.Now(all, going)
}

// Bounds of a batch.
const (
	mostBatch  = 200
	mostBatchW = 1e5
	keptBatch  = 20
)

// Batches lists the newest batches, newest first.
func (w *Workshop) Batches(ctx context.Context) ([]Batch, error) {
	if err := may(ctx, look, 0); err != nil {
		return nil, err
	}
	list, err := w.store.Batches(ctx, keptBatch)
	if err != nil {
		return nil, err
	}
	out := make([]Batch, len(list))
	for i := range list {
		if out[i].Batch = list[i]; i == 0 || !list[i].EndedAt.Valid {
			if err := w.batchTrials(ctx, &out[i]); err != nil {
				return nil, err
			}
		}
	}
	return out, nil
}

// Batch returns one batch.
func (w *Workshop) Batch(ctx context.Context, id int64) (*Batch, error) {
	if err := may(ctx, look, 0); err != nil {
		return nil, err
	}
	b, err := w.store.Batch(ctx, id)
	if err != nil {
		return nil, err
	}
	out := &Batch{Batch: *b}
	return out, w.batchTrials(ctx, out)
}

func (w *Workshop) batchTrials(ctx context.Context, b *Batch) error {
	b.Trials = map[int64]*Trial{}
	for _, m := range b.Members {
		t, err := w.store.BatchTrial(ctx, b.ID, m.RigID)
		if errors.Is(err, store.ErrNotFound) {
			continue
		} else if err != nil {
			return err
		}
		if b.Trials[m.RigID], err = w.Trial(ctx, t.ID); err != nil {
			return err
		}
	}
	return nil
}

// StartBatch begins a ladder on several rigs, each under its trim in force or under a trim that is carried to it and fitted first. As many
// work at once as the ceiling bears. A rig that cannot take part is refused with words that name it, and then none begins.
func (w *Workshop) StartBatch(ctx context.Context, p BatchPlan) (*Batch, error) {
	if err := may(ctx, change, 0); err != nil {
		return nil, err
	}
	l, err := w.batchLadder(ctx, &p)
	if err != nil {
		return nil, err
	}
	b := &store.Batch{Name: strings.TrimSpace(p.Name), Ladder: p.Ladder, MostW: p.MostW}
	if b.Name == "" {
		b.Name = l.Name
	}
	var f invalid.List
	var draws []batch.Draw
	var settings []trim.Settings
	var names []string
	for i, id := range p.Rigs {
		m, name, under, err := w.member(ctx, id, &p, l)
		var stands *Conflict
		var faults invalid.List
		switch {
		case errors.As(err, &stands), errors.As(err, &faults), errors.Is(err, ErrNotFound):
			f.Add(fmt.Sprintf("rigs[%d]", i), "leave it out, or see to it first", "%v", err)
			continue
		case err != nil:
			return nil, err
		}
		b.Members, settings = append(b.Members, *m), append(settings, under)
		draws, names = append(draws, batch.Draw{Works: m.ExpectW, Rests: m.IdleW}), append(names, name)
	}
	if f = append(f, batch.Check(p.MostW, draws, names)...); len(f) > 0 {
		return nil, f
	}
	open, err := w.store.OpenMembers(ctx)
	if err != nil {
		return nil, err
	}
	if slices.ContainsFunc(open, func(m store.Member) bool { return slices.Contains(p.Rigs, m.RigID) }) {
		return nil, inBatch() // before a trim is made on any of them
	}
	if p.Trim != 0 {
		for i := range b.Members {
			if err := w.carryTo(ctx, p.Trim, &b.Members[i], settings[i]); err != nil {
				return nil, err
			}
		}
	}
	err = w.store.CreateBatch(ctx, b)
	if errors.Is(err, store.ErrTaken) {
		return nil, inBatch()
	} else if err != nil {
		return nil, err
	}
	return w.Batch(ctx, b.ID)
}

func inBatch() error {
	return conflict("one of these rigs is part of another batch; let that end, or stop it")
}

// batchLadder checks a plan by itself, and returns its ladder.
func (w *Workshop) batchLadder(ctx context.Context, p *BatchPlan) (*ladder.Template, error) {
	var f invalid.List
	if len(p.Rigs) == 0 || len(p.Rigs) > mostBatch {
		f.Add("rigs", fmt.Sprintf("name 1 to %d", mostBatch), "%d rigs are named", len(p.Rigs))
	}
	for i, id := range p.Rigs {
		if slices.Contains(p.Rigs[:i], id) {
			f.Add(fmt.Sprintf("rigs[%d]", i), "name each once", "rig %d stands twice", id)
		}
	}
	if !(p.MostW >= 0 && p.MostW <= mostBatchW) {
		f.Add("mostW", fmt.Sprintf("give up to %.0f W, or 0 for no ceiling", mostBatchW), "%g W is out of range", p.MostW)
	}
	l, err := w.store.Ladder(ctx, p.Ladder)
	if errors.Is(err, store.ErrNotFound) {
		f.Add("ladder", "name one from /api/ladders", "%.40q is no ladder", p.Ladder)
	} else if err != nil {
		return nil, err
	}
	if len(f) > 0 {
		return nil, f
	}
	return &l.Template, nil
}

// member makes a rig ready to be part of a batch: what it would run under is not stopped by preflight, and what it draws is known where a
// ceiling asks for it.
func (w *Workshop) member(ctx context.Context, id int64, p *BatchPlan, l *ladder.Template) (m *store.Member, name string,
	settings trim.Settings, err error) {
	r, k, err := w.rigKnown(ctx, id)
	if err != nil {
		return nil, "", nil, err
	}
	if err := errors.Join(w.noPilot(ctx, r), w.mayRun(ctx, r)); err != nil {
		return nil, r.Name, nil, err
	}
	m = &store.Member{RigID: id, State: store.MemberWaits}
	switch {
	case p.Trim != 0:
		from, err := w.store.Trim(ctx, p.Trim)
		if err != nil {
			return nil, r.Name, nil, err
		}
		if from.RigID == id {
			m.TrimID = sql.NullInt64{Int64: from.ID, Valid: true}
		}
		_, sourceSet, err := w.rigParts(ctx, from.RigID)
		if err != nil {
			return nil, r.Name, nil, err
		}
		taken, unfit := trim.Transfer(sourceSet, k.set, from.Settings.V)
		if len(unfit) > 0 {
			return nil, r.Name, nil, conflict("%s does not take %s of T%d: %s", r.Name, unfit[0].Key, from.Number, unfit[0].Why)
		}
		settings = taken
		c, err := w.check(ctx, r, k, nil, settings)
		if err != nil {
			return nil, r.Name, nil, err
		}
		if why := c.Stops(); why != "" {
			return nil, r.Name, nil, conflict("preflight stops this trim on %s: %s", r.Name, why)
		}
	case !r.TrimInForce.Valid:
		return nil, r.Name, nil, conflict("no trim is known to be in force on %s; fit one first", r.Name)
	default:
		t, err := w.trimOf(ctx, id, r.TrimInForce.Int64)
		if err != nil {
			return nil, r.Name, nil, err
		}
		settings = t.Settings.V
	}
	if k.set.Sketched() {
		return nil, r.Name, nil, conflict("what %s draws is not known, since its sheets are a sketch; try it by itself", r.Name)
	}
	f := w.keptForecast(r, k, settings)
	if f == nil {
		return nil, r.Name, nil, conflict("the board of %s does not take its settings any more, so what it would draw is not known", r.Name)
	}
	m.ExpectW, m.IdleW = mostDrawn(k.set, settings, f, l)
	return m, r.Name, settings, nil
}

// mostDrawn is what a machine draws at the wall, at the most under a ladder, and at rest: the upper ends of its forecast, and what a
// boost window lets through for a while.
func mostDrawn(set *part.Set, settings trim.Settings, f *forecast.Result, l *ladder.Template) (works, rests float64) {
	tuning, err := machine.Tune(set, settings)
	if err != nil {
		return math.Inf(1), math.Inf(1)
	}
	upper := func(kind load.Kind) float64 {
		for i, s := range f.Loads {
			if s.Load == kind && s.PackageW > 0 {
				w := s.PackageW + f.Spreads[i].PackageW
				if kind == load.Heavy || kind == load.Mixed {
					if short := tuning.Limits.ShortW; tuning.Limits.Windowed() && !math.IsInf(short, 1) {
						w = math.Max(w, short)
					}
				}
				return tuning.WallW(set, w, s.DeliveredV)
			}
		}
		return 0
	}
	rests = upper(load.Idle)
	works = rests
	for _, s := range l.Steps {
		kind, _ := s.Load.Class()
		if kind == load.Transition {
			kind = load.Heavy
		}
		works = math.Max(works, upper(kind))
	}
	return works, rests
}

// carryTo makes the trim of a batch on a member's rig, where it is not its own and the rig has none with the same settings.
func (w *Workshop) carryTo(ctx context.Context, id int64, m *store.Member, settings trim.Settings) error {
	if m.TrimID.Valid {
		return nil
	}
	trims, err := w.store.Trims(ctx, m.RigID)
	if err != nil {
		return err
	}
	for i := range trims {
		if trims[i].Settings.V.Fingerprint() == settings.Fingerprint() {
			m.TrimID = sql.NullInt64{Int64: trims[i].ID, Valid: true}
			return nil
		}
	}
	made, err := w.CopyTrim(ctx, id, m.RigID, "")
	if err != nil {
		return err
	}
	m.TrimID = sql.NullInt64{Int64: made.Trim.ID, Valid: true}
	return nil
}

// StopBatch ends a batch: what waits does not begin, and what runs is stopped. What was tried stays on record.
func (w *Workshop) StopBatch(ctx context.Context, id int64) (*Batch, error) {
	if err := may(ctx, change, 0); err != nil {
		return nil, err
	}
	b, err := w.store.Batch(ctx, id)
	if err != nil {
		return nil, err
	}
	if b.EndedAt.Valid {
		return nil, conflict("this batch has ended already")
	}
	if err := w.store.StopBatch(ctx, id); err != nil && !errors.Is(err, store.ErrMoved) {
		return nil, err
	}
	for _, m := range b.Members {
		t, err := w.store.BatchTrial(ctx, id, m.RigID)
		switch {
		case errors.Is(err, store.ErrNotFound):
		case err != nil:
			return nil, err
		case t.State != store.TrialEnded:
			if err := w.store.AskStop(ctx, t); err != nil {
				return nil, err
			}
		}
	}
	return w.Batch(ctx, id)
}
