package store

import (
	"context"
	"fmt"
	"slices"
	"time"

	"zerokeel/core/trim"
)

// Sketch gives a rig sheets that were made from what is told of it: those that several rigs may share, unless there is one by the same id,
// and its own others in place of earlier ones. Its first trim, of which no settings were known, becomes what was found. It is ErrTaken
// while a fitting or a trial runs on the rig.
func (s *Store) Sketch(ctx context.Context, rig int64, parts []Part, shared []string, found trim.Settings, inSystem bool) error {
	return known(s.within(ctx, func(tx *txn) error {
		if err := claim(ctx, tx, rig); err != nil {
			return err
		}
		for _, p := range parts {
			put := `ON DUPLICATE KEY UPDATE name = VALUES(name), sheet = VALUES(sheet), updated_at = VALUES(updated_at), claims = claims + 1`
			if slices.Contains(shared, p.Kind) {
				put = `ON DUPLICATE KEY UPDATE claims = claims + 1`
			}
			if _, err := tx.ExecContext(ctx, `INSERT INTO parts (kind, id, name, sheet, updated_at) VALUES (?, ?, ?, ?, ?) `+put, p.Kind, p.ID,
				p.Name, string(p.Sheet), time.Now().UTC()); err != nil {
				return err
			}
			// The column's name is one of four.
			if _, err := tx.ExecContext(ctx, fmt.Sprintf(`UPDATE rigs SET %s_id = ? WHERE id = ?`, p.Kind), p.ID, rig); err != nil {
				return err
			}
		}
		tx.tell(TopicPart, 0, 0)
		tx.tell(TopicRig, rig, 0)
		tx.tell(TopicTrim, rig, 0)
		if _, err := tx.ExecContext(ctx, `UPDATE trims SET settings = ? WHERE rig_id = ? AND number = 0 AND JSON_LENGTH(settings) = 0`,
			AsJSON(found), rig); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `UPDATE rigs SET in_system = ?, records_version = records_version + 1 WHERE id = ?`, inSystem, rig)
		return err
	}), "sketch rig %d", rig)
}

// NameParts gives a rig the sheets that it names; first is what its trim as delivered becomes, nil where that stays. It is ErrTaken while a
// fitting or a trial runs on the rig, and ErrNotFound where a sheet is missing.
func (s *Store) NameParts(ctx context.Context, r *Rig, first *Trim) error {
	return known(s.within(ctx, func(tx *txn) error {
		if err := claim(ctx, tx, r.ID); err != nil {
			return err
		}
		if err := claimParts(ctx, tx, r); err != nil {
			return err
		}
		if _, err := tx.NamedExecContext(ctx, `UPDATE rigs SET processor_id = :processor_id, board_id = :board_id, cooler_id = :cooler_id,
			memory_id = :memory_id, records_version = records_version + 1 WHERE id = :id`, r); err != nil {
			return err
		}
		tx.tell(TopicRig, r.ID, 0)
		if first == nil {
			return nil
		}
		tx.tell(TopicTrim, r.ID, 0)
		_, err := tx.ExecContext(ctx, `UPDATE trims SET name = ?, settings = ?, forecast = ? WHERE rig_id = ? AND number = 0`, first.Name,
			first.Settings, first.Forecast, r.ID)
		return err
	}), "name the parts of rig %d", r.ID)
}
