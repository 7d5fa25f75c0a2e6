package runner

import (
	"context"
	"errors"
	"fmt"
	"time"

	"zerokeel/core/watch"
	"zerokeel/store"
)

// risksEvery is the time between two looks for rigs whose records say something new of the trim in force.
const risksEvery = 2 * time.Second

// noteRisks tells the watches of the rigs that are at rest how likely the trim in force is to fail, once for each state of their records.
// What is tried meanwhile, by a pilot or by hand, is no use of a machine.
func (r *Runner) noteRisks(ctx context.Context, busy, elsewhere map[int64]bool) error {
	if time.Since(r.risksAt) < risksEvery {
		return nil
	}
	r.risksAt = time.Now()
	list, err := r.store.WatchedRigs(ctx, watch.Risk.Key)
	if err != nil {
		return err
	}
	for _, is := range list {
		if busy[is.Rig] || elsewhere[is.Rig] || r.risks[is.Rig] == is {
			continue
		}
		if failed := r.shop.NoteRisk(ctx, is.Rig); failed != nil { // the others are told all the same
			err = errors.Join(err, fmt.Errorf("rig %d: %w", is.Rig, failed))
			continue
		}
		r.risks[is.Rig] = is
	}
	return err
}

// flown are the rigs on which somebody, or a pilot, is at work.
func flown(busy map[int64]bool, pilots []store.Pilot, sessions []store.Session) map[int64]bool {
	out := map[int64]bool{}
	for rig := range busy {
		out[rig] = true
	}
	for i := range pilots {
		out[pilots[i].RigID] = true
	}
	for i := range sessions {
		out[sessions[i].RigID] = true
	}
	return out
}
