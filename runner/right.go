package runner

import (
	"context"
	"errors"

	"zerokeel/core/channel"
	"zerokeel/core/part"
	"zerokeel/core/sensor"
	"zerokeel/store"
)

// Right puts a rig's figures right: by what its board's sheet says of its sensors, and by what was entered for the rig
// itself, which counts before it. What is stored stays as it was read.
type Right struct {
	board *part.Board
	own   map[string]sensor.Correction
}

// RightOf returns how a rig's figures are put right.
func RightOf(ctx context.Context, s *store.Store, rig *store.Rig) (Right, error) {
	r := Right{own: map[string]sensor.Correction{}}
	set, err := s.PartSet(ctx, rig)
	switch {
	case err == nil:
		r.board = set.Board
	case !errors.Is(err, store.ErrNotFound):
		return r, err
	}
	list, err := s.Corrections(ctx, rig.ID)
	for _, c := range list {
		r.own[c.Channel] = sensor.Correction{Scale: c.Scale, Shift: c.Shift}
	}
	return r, err
}

// Of returns the correction of a channel.
func (r Right) Of(channel string) sensor.Correction {
	if c, ok := r.own[channel]; ok {
		return c
	}
	return r.Board(channel)
}

// Board returns the correction of a channel by its board's sheet alone.
func (r Right) Board(channel string) sensor.Correction {
	c := sensor.Correction{Scale: 1}
	if r.board != nil {
		c.Scale = r.board.Right(channel)
	}
	return c
}

// Put corrects samples in place.
func (r Right) Put(samples channel.Samples) {
	for key, list := range samples {
		if c := r.Of(key); c != (sensor.Correction{Scale: 1}) {
			for i := range list {
				list[i].V = c.Apply(list[i].V)
			}
		}
	}
}
