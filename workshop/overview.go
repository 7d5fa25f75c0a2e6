package workshop

import (
	"context"
	"fmt"
	"math"

	"zerokeel/core/channel"
	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/proof"
	"zerokeel/core/trim"
	"zerokeel/store"
)

// Rig is a rig at a glance.
type Rig struct {
	store.Rig
	Set       *part.Set // nil where its parts are not known
	Simulated bool
	Linked    bool
	Asked     bool   // its agent can set its running system, and is linked to this process
	Powers    bool   // its agent can shut it down, and is linked to this process
	State     string // what it is doing, in a word
	Standing  proof.Standing
	Raised    []string // messages of its watches that are raised
	Vitals    []Vital
}

// CanFit reports whether trims are brought to its board over the network.
func (r *Rig) CanFit() bool { return r.Set != nil && !r.Rig.ByHand() }

// ByHand reports whether trims are entered from a card.
func (r *Rig) ByHand() bool { return r.Set != nil && r.Rig.ByHand() }

// Cores is the number of its cores, as far as it is known.
func (r *Rig) Cores() int {
	if r.Set != nil {
		return r.Set.Processor.Cores()
	}
	return r.Facts.V.Cores
}

// Rigs returns every rig at a glance.
func (w *Workshop) Rigs(ctx context.Context) ([]Rig, error) {
	if err := may(ctx, look, 0); err != nil {
		return nil, err
	}
	return w.overview(ctx, 0)
}

// Rig returns one rig at a glance.
func (w *Workshop) Rig(ctx context.Context, id int64) (*Rig, error) {
	if err := may(ctx, look, id); err != nil {
		return nil, err
	}
	list, err := w.overview(ctx, id)
	if err != nil {
		return nil, err
	}
	if id == 0 || len(list) == 0 {
		return nil, fmt.Errorf("rig %d: %w", id, store.ErrNotFound)
	}
	return &list[0], nil
}

func (w *Workshop) overview(ctx context.Context, only int64) ([]Rig, error) {
	o, err := w.store.Overview(ctx, only)
	if err != nil {
		return nil, err
	}
	out := make([]Rig, len(o.Rigs))
	for i, row := range o.Rigs {
		r := Rig{Rig: row, Set: o.Sets[row.ID], Standing: o.Standing[row.ID], Raised: o.Raised[row.ID], Vitals: []Vital{}}
		at := linkIn(o.Holds, row.ID)
		if st := w.hub.Status(row.ID); st.Linked {
			at = here(st)
			r.Asked, r.Powers = st.Hello.Asked, st.Hello.Powers
		}
		r.Linked, r.Simulated = at.Linked, row.Simulated || at.Simulated
		if r.Linked && row.Absence == "" {
			r.Vitals = w.vitals.last(row.ID)
		}
		trial, onTrial := o.Trial[row.ID]
		r.State = doing(r.Linked, o.Fitting[row.ID], onTrial, trial, row.Absence)
		out[i] = r
	}
	return out, nil
}

// doing tells in a word what a rig does.
func doing(linked, fitting, onTrial bool, trial store.TrialState, absence store.Absence) string {
	switch {
	case onTrial && trial != store.TrialRunning:
		return "recovering"
	case onTrial && !linked:
		return "silent"
	case onTrial:
		return "on trial"
	case fitting:
		return "fitting"
	case absence != "":
		return string(absence)
	case !linked:
		return "not linked"
	}
	return "idle"
}

// LimitAudit is a limit of the maker against the one that a board puts in force as delivered.
type LimitAudit struct {
	Key, Name, Unit string
	Maker           float64
	Board           float64 // +Inf for none
	Exceeds         bool
}

// audit compares the maker's limits with those that the board puts in force as delivered.
func audit(set *part.Set) []LimitAudit {
	out := []LimitAudit{}
	if set.Sketched() {
		return out // the maker's are not known
	}
	tuning, err := machine.Tune(set, nil)
	if err != nil {
		return out
	}
	l := &tuning.Limits
	for _, one := range []struct {
		key   string
		board float64
	}{
		{"limit.ppt", l.SustainedW}, {"limit.tdc", l.SustainedA}, {"limit.edc", l.PeakA},
		{"limit.pl1", l.SustainedW}, {"limit.pl2", l.ShortW}, {"limit.tau", l.WindowS}, {"limit.iccMax", l.PeakA},
		{"limit.temperature", l.TemperatureC},
	} {
		def, index, _ := trim.Find(one.key)
		if def.Parts != nil && !def.Parts(set.Processor) {
			continue
		}
		maker, _ := def.Spec(set.Processor, index).Number()
		out = append(out, LimitAudit{Key: one.key, Name: def.Name, Unit: def.Unit, Maker: maker, Board: one.board, Exceeds: one.board > maker})
	}
	return out
}

// Unlimited reports whether a limit is none.
func (l *LimitAudit) Unlimited() bool { return math.IsInf(l.Board, 1) }

// Baseline is what a rig is and did as delivered: its limits against the maker's, and the figures of the first heavy leg that
// held under T0.
type Baseline struct {
	Limits  []LimitAudit
	Figures []channel.Figure
}

// Baseline returns the baseline of a rig.
func (w *Workshop) Baseline(ctx context.Context, r *Rig) (*Baseline, error) {
	if err := may(ctx, look, r.ID); err != nil {
		return nil, err
	}
	out := &Baseline{Limits: []LimitAudit{}}
	if r.Set != nil {
		out.Limits = audit(r.Set)
	}
	var err error
	out.Figures, err = w.store.FirstHeld(ctx, r.ID, load.Heavy)
	return out, err
}

// Channels lists the channels that a rig reports.
func (w *Workshop) Channels(ctx context.Context, rig int64) ([]channel.Channel, error) {
	if err := may(ctx, look, rig); err != nil {
		return nil, err
	}
	r, err := w.store.Rig(ctx, rig)
	if err != nil {
		return nil, err
	}
	return r.Channels.V, nil
}

// Newest is a rig that is linked here, with the newest figure of each of its channels, as it was read.
type Newest struct {
	Name      string
	Simulated bool
	Channels  []channel.Channel
	Values    map[string]float64
}

// Newest returns the newest figures of every rig that is linked to this process.
func (w *Workshop) Newest(ctx context.Context) ([]Newest, error) {
	if err := may(ctx, look, 0); err != nil {
		return nil, err
	}
	rigs, err := w.store.Rigs(ctx)
	var out []Newest
	for _, r := range rigs {
		if st := w.hub.Status(r.ID); st.Linked {
			out = append(out, Newest{r.Name, r.Simulated || st.Hello.Simulated, r.Channels.V, w.vitals.all(r.ID)})
		}
	}
	return out, err
}
