package workshop

import (
	"context"
	"fmt"
	"time"

	"zerokeel/core/compare"
	"zerokeel/core/stat"
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

// sessionOf names the session of a score: one that was interleaved, a trial, or, of what was typed or imported, the rig's day.
func sessionOf(rig int64, x *store.Score) string {
	switch {
	case x.Session.Valid:
		return fmt.Sprintf("session %d", x.Session.Int64)
	case x.TrialID.Valid:
		return fmt.Sprintf("trial %d", x.TrialID.Int64)
	}
	return fmt.Sprintf("%s on rig %d", x.RigClock.Format(time.DateOnly), rig)
}

// runsOf lists the runs of a yardstick under a trim of a rig; those that are spoilt are left out already.
func runsOf(rig int64, scores []store.Score, trimID int64, yardstick string) []compare.Run {
	var out []compare.Run
	for i := range scores {
		if x := &scores[i]; x.TrimID == trimID && x.Yardstick == yardstick {
			out = append(out, compare.Run{ID: x.ID, Session: sessionOf(rig, x), Score: x.Value, Figures: x.Figures.V, Left: x.Spoilt})
		}
	}
	return out
}
