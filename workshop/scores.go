package workshop

import (
	"context"
	"errors"
	"fmt"
	"math"
	"time"

	"zerokeel/core/channel"
	"zerokeel/core/compare"
	"zerokeel/core/load"
	"zerokeel/core/stat"
	"zerokeel/core/trim"
	"zerokeel/core/yardstick"
	"zerokeel/store"
)

// Yardstick is a yardstick of the bench.
type Yardstick struct {
	yardstick.Yardstick
	Own bool // rigs take it themselves
}

// Yardsticks lists every yardstick: those that rigs take themselves, and then the workshop's.
func (w *Workshop) Yardsticks(ctx context.Context) ([]Yardstick, error) {
	if err := may(ctx, look, 0); err != nil {
		return nil, err
	}
	var out []Yardstick
	for _, y := range yardstick.List() {
		out = append(out, Yardstick{y, true})
	}
	others, err := w.store.Yardsticks(ctx)
	for _, y := range others {
		out = append(out, Yardstick{y, false})
	}
	return out, err
}

// Scores lists a rig's scores, oldest first.
func (w *Workshop) Scores(ctx context.Context, rig int64) ([]store.Score, error) {
	if err := may(ctx, look, rig); err != nil {
		return nil, err
	}
	return w.store.Scores(ctx, rig)
}

// overall is the yardstick by which a trim's mean score is told beside its name.
const overall = yardstick.Burst

// meanPoints returns the mean score of an all-core burst by trim.
func (w *Workshop) meanPoints(ctx context.Context, rig int64) (map[int64]float64, error) {
	scores, err := w.store.Values(ctx, rig, overall)
	if err != nil {
		return nil, err
	}
	out := map[int64]float64{}
	for id, list := range scores {
		out[id] = stat.Summarise(list).Mean
	}
	return out, nil
}

// Comparison is what changed between two trims of a rig.
type Comparison struct {
	Base, Trim int64
	Changes    []trim.Contrast
	Settled    []compare.SettledRow // what legs of loads settled at
	Tables     []compare.Table
}

// Compare returns what changed between two trims of a rig: where they settle under the loads that they were proven with, and by
// every yardstick that one of them was held against. Runs that are spoilt do not count.
func (w *Workshop) Compare(ctx context.Context, rig, base, other int64) (*Comparison, error) {
	a, err := w.trimOfSeen(ctx, rig, base)
	if err != nil {
		return nil, err
	}
	b, err := w.trimOfSeen(ctx, rig, other)
	if err != nil {
		return nil, err
	}
	scores, err := w.store.Scores(ctx, rig)
	if err != nil {
		return nil, err
	}
	yardsticks, err := w.Yardsticks(ctx)
	if err != nil {
		return nil, err
	}
	h, err := w.history(ctx, rig)
	if err != nil {
		return nil, err
	}
	out := &Comparison{Base: base, Trim: other,
		Settled: compare.Settled(compare.Under{Legs: h.legsUnder(base)}, compare.Under{Legs: h.legsUnder(other)})}
	r, err := w.store.Rig(ctx, rig)
	if err != nil {
		return nil, err
	}
	set, err := w.store.PartSet(ctx, r)
	switch {
	case errors.Is(err, store.ErrNotFound): // and so its settings are not known either
	case err != nil:
		return nil, err
	default:
		out.Changes = trim.Contrasts(set, a.Settings.V, b.Settings.V, heavyVolts(out.Settled))
	}
	for _, y := range yardsticks {
		t := compare.Of(y.Yardstick, runsOf(scores, base, y.ID), runsOf(scores, other, y.ID))
		if len(t.Rows)+len(t.Left) > 0 {
			out.Tables = append(out.Tables, t)
		}
	}
	return out, nil
}

// heavyVolts are the core voltages that were measured at heavy load, NaN where none was.
func heavyVolts(rows []compare.SettledRow) [2]float64 {
	for _, r := range rows {
		if r.Load == load.Heavy && r.Key == channel.DeliveredVoltage {
			return [2]float64{r.Sides[0].Value, r.Sides[1].Value}
		}
	}
	return [2]float64{math.NaN(), math.NaN()}
}

// trimOfSeen is trimOf for somebody who looks.
func (w *Workshop) trimOfSeen(ctx context.Context, rig, id int64) (*store.Trim, error) {
	if err := may(ctx, look, rig); err != nil {
		return nil, err
	}
	return w.trimOf(ctx, rig, id)
}

// sessionOf names the session of a score: one that was interleaved, a trial, or, of what was typed or imported, its day.
func sessionOf(x *store.Score) string {
	switch {
	case x.Session.Valid:
		return fmt.Sprintf("session %d", x.Session.Int64)
	case x.TrialID.Valid:
		return fmt.Sprintf("trial %d", x.TrialID.Int64)
	}
	return x.RigClock.Format(time.DateOnly)
}

// runsOf lists the runs of a yardstick under a trim; those that are spoilt are left out already.
func runsOf(scores []store.Score, trimID int64, yardstick string) []compare.Run {
	var out []compare.Run
	for i := range scores {
		if x := &scores[i]; x.TrimID == trimID && x.Yardstick == yardstick {
			out = append(out, compare.Run{ID: x.ID, Session: sessionOf(x), Score: x.Value, Figures: x.Figures.V, Left: x.Spoilt})
		}
	}
	return out
}
