package store

import (
	"context"

	"zerokeel/core/compare"
	"zerokeel/core/forecast"
)

// Won is what a rig's trim in force came to against the machine as delivered, as it was worked out at a version of its records.
type Won struct {
	Gains  []compare.Gain
	Traits []forecast.Trait // of the machine, whatever its trim
	Warmer string           // by how much it is warmer than it was under the same trim, in words; empty where that is not shown
	Way    int              // in which this was worked out; another way has another number
}

// FleetLine is what is kept of a rig for a look over all of them.
type FleetLine struct {
	RigID   int64     `db:"rig_id"`
	TrimID  int64     `db:"trim_id"`
	Version int64     `db:"version"` // of the rig's records
	Won     JSON[Won] `db:"line"`
}

// FleetLines returns what is kept of every rig, by rig.
func (s *Store) FleetLines(ctx context.Context) (map[int64]*FleetLine, error) {
	list := []FleetLine{}
	err := s.db.SelectContext(ctx, &list, `SELECT rig_id, trim_id, version, line FROM fleet_lines`)
	out := make(map[int64]*FleetLine, len(list))
	for i := range list {
		out[list[i].RigID] = &list[i]
	}
	return out, known(err, "look over the fleet")
}

// KeepFleetLine keeps what was worked out of a rig, unless something newer is kept already.
func (s *Store) KeepFleetLine(ctx context.Context, l *FleetLine) error {
	_, err := s.db.NamedExecContext(ctx, `INSERT INTO fleet_lines (rig_id, trim_id, version, line)
		VALUES (:rig_id, :trim_id, :version, :line) ON DUPLICATE KEY UPDATE
			line = IF(VALUES(version) >= version, VALUES(line), line), trim_id = IF(VALUES(version) >= version, VALUES(trim_id), trim_id),
			version = GREATEST(VALUES(version), version)`, l)
	return known(err, "keep what rig %d came to", l.RigID)
}

// InForce returns the trims that are in force on the rigs, by rig.
func (s *Store) InForce(ctx context.Context) (map[int64]*Trim, error) {
	list := []Trim{}
	err := s.db.SelectContext(ctx, &list, `SELECT `+trimColumns+` FROM trims WHERE id IN (SELECT trim_in_force FROM rigs)`)
	out := make(map[int64]*Trim, len(list))
	for i := range list {
		out[list[i].RigID] = &list[i]
	}
	return out, known(err, "look up what is in force")
}

// Stocks returns the trim of every rig that is the machine as delivered, by rig.
func (s *Store) Stocks(ctx context.Context) (map[int64]int64, error) {
	var list []struct {
		Rig  int64 `db:"rig_id"`
		Trim int64 `db:"id"`
	}
	err := s.db.SelectContext(ctx, &list, `SELECT rig_id, id FROM trims WHERE number = 0`)
	out := make(map[int64]int64, len(list))
	for _, x := range list {
		out[x.Rig] = x.Trim
	}
	return out, known(err, "look up the trims of machines as delivered")
}

// EachTrim goes through the trims of all rigs, rig by rig in the order of their numbers, with the names of the rigs.
func (s *Store) EachTrim(ctx context.Context, do func(rig string, t *Trim) error) error {
	rows, err := s.db.QueryxContext(ctx, `SELECT r.name AS rig_name, t.* FROM (SELECT `+trimColumns+` FROM trims) t
		JOIN rigs r ON r.id = t.rig_id ORDER BY t.rig_id, t.number`)
	if err != nil {
		return known(err, "go through the trims")
	}
	defer func() { _ = rows.Close() }()
	for rows.Next() {
		var row struct {
			Trim
			RigName string `db:"rig_name"`
		}
		if err := rows.StructScan(&row); err != nil {
			return known(err, "go through the trims")
		}
		if err := do(row.RigName, &row.Trim); err != nil {
			return err
		}
	}
	return known(rows.Err(), "go through the trims")
}
