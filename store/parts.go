package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"time"

	"zerokeel/core/part"
)

// Part is a part sheet as stored.
type Part struct {
	Kind  string `db:"kind"`
	ID    string `db:"id"`
	Name  string `db:"name"`
	Sheet []byte `db:"sheet"`
}

// PutPart stores a sheet, in place of an earlier one of the same kind and id, which still is told, nil for none, and may refuse.
func (s *Store) PutPart(ctx context.Context, p Part, still func(now *Part) error) error {
	return known(s.within(ctx, func(tx *txn) error {
		var there []Part
		if err := tx.SelectContext(ctx, &there, `SELECT kind, id, name, sheet FROM parts WHERE kind = ? AND id = ? FOR UPDATE`, p.Kind,
			p.ID); err != nil {
			return err
		}
		var now *Part
		if len(there) > 0 {
			now = &there[0]
		}
		if err := still(now); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `INSERT INTO parts (kind, id, name, sheet, updated_at) VALUES (?, ?, ?, ?, ?)
			ON DUPLICATE KEY UPDATE name = VALUES(name), sheet = VALUES(sheet), updated_at = VALUES(updated_at)`, p.Kind, p.ID, p.Name,
			string(p.Sheet), time.Now().UTC()); err != nil {
			return err
		}
		tx.tell(TopicPart, 0, 0)
		_, err := tx.ExecContext(ctx, `UPDATE rigs SET records_version = records_version + 1
			WHERE (? = 'processor' AND processor_id = ?) OR (? = 'board' AND board_id = ?)
			OR (? = 'cooler' AND cooler_id = ?) OR (? = 'memory' AND memory_id = ?)`, p.Kind, p.ID, p.Kind, p.ID, p.Kind, p.ID, p.Kind, p.ID)
		return err
	}), "store %s %s", p.Kind, p.ID)
}

// Parts lists every sheet.
func (s *Store) Parts(ctx context.Context) ([]Part, error) {
	parts := []Part{}
	err := s.db.SelectContext(ctx, &parts, `SELECT kind, id, name, sheet FROM parts ORDER BY kind, id`)
	return parts, known(err, "list part sheets")
}

// PartSet returns the sheets of a rig's parts. It is ErrNotFound when the rig has none or one is missing.
func (s *Store) PartSet(ctx context.Context, r *Rig) (*part.Set, error) {
	if !r.Processor.Valid || !r.Board.Valid || !r.Cooler.Valid || !r.Memory.Valid {
		return nil, fmt.Errorf("parts of rig %s: %w", r.Name, ErrNotFound)
	}
	var rows []struct {
		Kind  part.Kind `db:"kind"`
		Sheet []byte    `db:"sheet"`
	}
	if err := s.db.SelectContext(ctx, &rows, `SELECT kind, sheet FROM parts WHERE (kind, id) IN ((?, ?), (?, ?), (?, ?), (?, ?))`,
		part.KindProcessor, r.Processor, part.KindBoard, r.Board, part.KindCooler, r.Cooler, part.KindMemory, r.Memory); err != nil {
		return nil, known(err, "load the part sheets of rig %s", r.Name)
	}
	set := &part.Set{}
	for _, row := range rows {
		into := map[part.Kind]any{part.KindProcessor: &set.Processor, part.KindBoard: &set.Board, part.KindCooler: &set.Cooler,
			part.KindMemory: &set.Memory}[row.Kind]
		if err := json.Unmarshal(row.Sheet, into); err != nil {
			return nil, fmt.Errorf("load the %s sheet of rig %s: %w", row.Kind, r.Name, err)
		}
	}
	if len(rows) != 4 {
		return nil, fmt.Errorf("load the part sheets of rig %s: %w", r.Name, ErrNotFound)
	}
	if r.CoolerFan.Valid { // the fan that is there, not the one of the sheet
		set.Cooler.Fan = r.CoolerFan.V.Fan(set.Cooler.Fan)
	}
	return set, nil
}

// Part returns one sheet.
func (s *Store) Part(ctx context.Context, kind, id string) (*Part, error) {
	var p Part
	err := s.db.GetContext(ctx, &p, `SELECT kind, id, name, sheet FROM parts WHERE kind = ? AND id = ?`, kind, id)
	return &p, known(err, "load %s %s", kind, id)
}

// claimParts writes to the sheets that a rig is to use: no transaction, on this node of a cluster or on another, removes one
// of them at the same time.
func claimParts(ctx context.Context, tx *txn, r *Rig) error {
	for _, used := range []struct {
		kind string
		id   sql.NullString
	}{{"processor", r.Processor}, {"board", r.Board}, {"cooler", r.Cooler}, {"memory", r.Memory}} {
		if !used.id.Valid {
			continue
		}
		result, err := tx.ExecContext(ctx, `UPDATE parts SET claims = claims + 1 WHERE kind = ? AND id = ?`, used.kind, used.id.String)
		if err != nil {
			return err
		}
		if err := changed(result, fmt.Errorf("%s %s: %w", used.kind, used.id.String, ErrNotFound)); err != nil {
			return err
		}
	}
	return nil
}

// DeletePart removes a sheet. It is ErrTaken while a rig uses it.
func (s *Store) DeletePart(ctx context.Context, kind, id string) error {
	err := s.within(ctx, func(tx *txn) error {
		// Removed first, and then looked at: a rig that is made meanwhile waits for the row, or has been seen.
		result, err := tx.ExecContext(ctx, `DELETE FROM parts WHERE kind = ? AND id = ?`, kind, id)
		if err != nil {
			return err
		}
		if err := changed(result, sql.ErrNoRows); err != nil {
			return err
		}
		var used int
		if err := tx.GetContext(ctx, &used, `SELECT COUNT(*) FROM rigs
			WHERE (? = 'processor' AND processor_id = ?) OR (? = 'board' AND board_id = ?)
			OR (? = 'cooler' AND cooler_id = ?) OR (? = 'memory' AND memory_id = ?)`, kind, id, kind, id, kind, id, kind, id); err != nil {
			return err
		}
		if used > 0 {
			return ErrTaken
		}
		return nil
	})
	return known(err, "remove %s %s", kind, id)
}
