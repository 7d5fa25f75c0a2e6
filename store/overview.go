package store

import (
	"context"
	"encoding/json"
	"fmt"

	"zerokeel/core/part"
	"zerokeel/core/proof"
	"zerokeel/core/watch"
)

// Overview is what a glance at rigs needs, read in as many queries whatever their number.
type Overview struct {
	Rigs     []Rig
	Standing map[int64]proof.Standing // by rig, of its trim in force
	Sets     map[int64]*part.Set      // by rig, of those whose parts are all known
	Fitting  map[int64]bool           // by rig: a fitting is under way
	Trial    map[int64]TrialState     // by rig: of the trial under way
	Holds    []Hold
	Raised   map[int64][]string // by rig: messages of its raised watches
}

// Overview reads what a glance at the rigs needs; at one of them where only is not 0.
func (s *Store) Overview(ctx context.Context, only int64) (*Overview, error) {
	o := &Overview{Standing: map[int64]proof.Standing{}, Sets: map[int64]*part.Set{}, Fitting: map[int64]bool{},
		Trial: map[int64]TrialState{}, Raised: map[int64][]string{}}
	for _, read := range []func(context.Context, int64, *Overview) error{s.overRigs, s.overParts, s.overWork, s.overHolds, s.overWatches} {
		if err := read(ctx, only, o); err != nil {
			return nil, known(err, "look over the rigs")
		}
	}
	return o, nil
}

func (s *Store) overRigs(ctx context.Context, only int64, o *Overview) error {
	var rows []struct {
		Rig
		InForce *proof.Standing `db:"standing"`
	}
	err := s.db.SelectContext(ctx, &rows,
		`SELECT r.*, m.standing FROM (SELECT `+rigColumns+` FROM rigs WHERE ? = 0 OR id = ?) r LEFT JOIN trims m ON m.id = r.trim_in_force
			ORDER BY r.id`, only, only)
	for _, row := range rows {
		o.Rigs = append(o.Rigs, row.Rig)
		if row.InForce != nil {
			o.Standing[row.ID] = *row.InForce
		}
	}
	return err
}

func (s *Store) overParts(ctx context.Context, only int64, o *Overview) error {
	var rows []Part
	err := s.db.SelectContext(ctx, &rows, `SELECT p.kind, p.id, p.name, p.sheet FROM parts p WHERE EXISTS (SELECT 1 FROM rigs r
		WHERE (? = 0 OR r.id = ?) AND
		(p.kind = 'processor' AND p.id = r.processor_id OR p.kind = 'board' AND p.id = r.board_id OR p.kind = 'cooler' AND p.id = r.cooler_id
		OR p.kind = 'memory' AND p.id = r.memory_id))`, only, only)
	if err != nil {
		return err
	}
	processors, boards, coolers, kits := map[string]*part.Processor{}, map[string]*part.Board{}, map[string]*part.Cooler{},
		map[string]*part.Memory{}
	for _, p := range rows {
		switch part.Kind(p.Kind) {
		case part.KindProcessor:
			err = sheetInto(processors, p)
		case part.KindBoard:
			err = sheetInto(boards, p)
		case part.KindCooler:
			err = sheetInto(coolers, p)
		case part.KindMemory:
			err = sheetInto(kits, p)
		}
		if err != nil {
			return err
		}
	}
	for _, r := range o.Rigs {
		set := &part.Set{Processor: processors[r.Processor.String], Board: boards[r.Board.String], Cooler: coolers[r.Cooler.String],
			Memory: kits[r.Memory.String]}
		if set.Processor != nil && set.Board != nil && set.Cooler != nil && set.Memory != nil {
			o.Sets[r.ID] = set
		}
	}
	return nil
}

func sheetInto[T any](into map[string]*T, p Part) error {
	var sheet T
	if err := json.Unmarshal(p.Sheet, &sheet); err != nil {
		return fmt.Errorf("%s sheet %s: %w", p.Kind, p.ID, err)
	}
	into[p.ID] = &sheet
	return nil
}

func (s *Store) overWork(ctx context.Context, only int64, o *Overview) error {
	var rows []struct {
		Rig   int64  `db:"rig_id"`
		Kind  string `db:"kind"`
		State string `db:"state"`
	}
	err := s.db.SelectContext(ctx, &rows, `SELECT rig_id, 'fitting' AS kind, state FROM fittings
		WHERE ended_at IS NULL AND (? = 0 OR rig_id = ?)
		UNION ALL SELECT rig_id, 'trial', state FROM trials WHERE ended_at IS NULL AND (? = 0 OR rig_id = ?)`, only, only, only, only)
	for _, row := range rows {
		if row.Kind == "fitting" {
			o.Fitting[row.Rig] = true
		} else {
			o.Trial[row.Rig] = TrialState(row.State)
		}
	}
	return err
}

func (s *Store) overHolds(ctx context.Context, only int64, o *Overview) error {
	var rigs []int64
	if only != 0 {
		rigs = []int64{only}
	}
	var err error
	o.Holds, err = s.Holds(ctx, rigs...)
	return err
}

func (s *Store) overWatches(ctx context.Context, only int64, o *Overview) error {
	var rows []struct {
		Rig   int64             `db:"rig_id"`
		Rule  JSON[watch.Rule]  `db:"rule"`
		State JSON[watch.State] `db:"state"`
	}
	err := s.db.SelectContext(ctx, &rows, `SELECT rig_id, rule, state FROM watches WHERE ? = 0 OR rig_id = ? ORDER BY id`, only, only)
	for _, row := range rows {
		if row.State.V.Raised {
			o.Raised[row.Rig] = append(o.Raised[row.Rig], row.Rule.V.Message)
		}
	}
	return err
}
