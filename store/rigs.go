package store

import (
	"context"
	"database/sql"
	"time"

	"zerokeel/core/channel"
	"zerokeel/core/fan"
	"zerokeel/core/proof"
	"zerokeel/core/trim"
	"zerokeel/core/tuning"
	"zerokeel/link"
)

// Rig is a rig as stored.
type Rig struct {
	ID               int64                   `db:"id"`
	Name             string                  `db:"name"`
	Simulated        bool                    `db:"simulated"`
	AmbientC         float64                 `db:"ambient_c"`
	Processor        sql.NullString          `db:"processor_id"`
	Board            sql.NullString          `db:"board_id"`
	Cooler           sql.NullString          `db:"cooler_id"`
	Memory           sql.NullString          `db:"memory_id"`
	FirmwareAddress  string                  `db:"firmware_address"`
	FirmwareUser     string                  `db:"firmware_user"`
	FirmwarePassword string                  `db:"firmware_password"`
	TokenHash        []byte                  `db:"token_hash"`
	TrimInForce      sql.NullInt64           `db:"trim_in_force"`
	BootID           string                  `db:"boot_id"` // of its last hello
	Facts            JSON[link.Facts]        `db:"facts"`
	Channels         JSON[[]channel.Channel] `db:"channels"`
	Headers          JSON[[]link.Header]     `db:"headers"`    // whose duty it can set
	CoolerFan        JSON[fan.Learnt]        `db:"cooler_fan"` // as it is known beyond the cooler's sheet
	FirmwareVersion  string                  `db:"firmware_version"`
	CheckDue         bool                    `db:"check_due"` // it has started anew: see whether its trim is still in force
	Refit            bool                    `db:"refit"`     // fit again what its board has lost
	Note             string                  `db:"note"`      // what it is for, in a sentence
	Goal             tuning.Goal             `db:"goal"`      // what a tuning of it is for; empty where that was not said
	Retired          bool                    `db:"retired"`   // kept, and no longer on the bench
	InSystem         bool                    `db:"in_system"` // its settings are those of the running system, which its agent sets
	LostTrim         sql.NullInt64           `db:"lost_trim"` // the trim that was in force and no longer is
	Drift            JSON[[]trim.Difference] `db:"drift"`     // in what
	Absence          Absence                 `db:"absence"`
	AbsentSince      sql.NullTime            `db:"absent_since"` // on its own clock
	CreatedAt        time.Time               `db:"created_at"`
	RecordsVersion   int64                   `db:"records_version"` // raised by whatever changes what a fit or preflight reads of it
}

// ByHand reports whether a person brings settings to a rig: neither its board is reached, nor its running system set.
func (r *Rig) ByHand() bool { return r.FirmwareAddress == "" && !r.InSystem }

const rigColumns = `id, name, simulated, ambient_c, processor_id, board_id, cooler_id, memory_id, firmware_address, firmware_user,
	firmware_password, token_hash, trim_in_force, boot_id, facts, channels, firmware_version, check_due, refit, note, goal, retired,
	in_system, lost_trim, drift, absence, absent_since, created_at, records_version, headers,
	(SELECT f.learnt FROM fans f WHERE f.rig_id = rigs.id AND f.role = 'cooler') AS cooler_fan`

// CreateRig stores a rig and its first trim, T0: the settings as delivered, or as found where they cannot be read.
func (s *Store) CreateRig(ctx context.Context, r *Rig, first *Trim, inForce bool) error {
	r.CreatedAt = time.Now().UTC().Truncate(time.Microsecond)
	err := s.within(ctx, func(tx *txn) error {
		if err := claimParts(ctx, tx, r); err != nil {
			return err
		}
		result, err := tx.NamedExecContext(ctx, `INSERT INTO rigs (name, note, goal, simulated, ambient_c, processor_id, board_id,
			cooler_id, memory_id, firmware_address, firmware_user, firmware_password, in_system, token_hash, created_at) VALUES (:name, :note,
			:goal, :simulated, :ambient_c, :processor_id, :board_id, :cooler_id, :memory_id, :firmware_address, :firmware_user,
			:firmware_password, :in_system, :token_hash, :created_at)`, r)
		if err != nil {
			return err
		}
		if r.ID, err = result.LastInsertId(); err != nil {
			return err
		}
		tx.tell(TopicRig, r.ID, 0)
		first.RigID, first.Standing = r.ID, proof.Draft
		if err := insertTrim(ctx, tx, first); err != nil {
			return err
		}
		if inForce {
			r.TrimInForce = sql.NullInt64{Int64: first.ID, Valid: true}
			return setInForce(ctx, tx, r.ID, first.ID, r.CreatedAt)
		}
		return nil
	})
	return known(err, "create rig %s", r.Name)
}

// Rigs lists every rig by name.
func (s *Store) Rigs(ctx context.Context) ([]Rig, error) {
	rigs := []Rig{}
	err := s.db.SelectContext(ctx, &rigs, `SELECT `+rigColumns+` FROM rigs ORDER BY id`)
	return rigs, known(err, "list rigs")
}

// Rig returns one rig.
func (s *Store) Rig(ctx context.Context, id int64) (*Rig, error) {
	var r Rig
	err := s.db.GetContext(ctx, &r, `SELECT `+rigColumns+` FROM rigs WHERE id = ?`, id)
	return &r, known(err, "load rig %d", id)
}

// RigOfLeg returns the rig on which a leg runs.
func (s *Store) RigOfLeg(ctx context.Context, leg int64) (*Rig, error) {
	var r Rig
	err := s.db.GetContext(ctx, &r,
		`SELECT `+rigColumns+` FROM rigs WHERE id = (SELECT t.rig_id FROM trials t JOIN legs l ON l.trial_id = t.id WHERE l.id = ?)`, leg)
	return &r, known(err, "find the rig of leg %d", leg)
}

// RigByToken returns the rig whose token has this hash.
func (s *Store) RigByToken(ctx context.Context, hash []byte) (*Rig, error) {
	var r Rig
	err := s.db.GetContext(ctx, &r, `SELECT `+rigColumns+` FROM rigs WHERE token_hash = ?`, hash)
	return &r, known(err, "find the rig of a token")
}

// ChangeRig changes what a person may change of a rig, as it stands then: of two changes at once neither is lost. change may be
// called more than once.
func (s *Store) ChangeRig(ctx context.Context, id int64, change func(*Rig) error) error {
	return known(s.within(ctx, func(tx *txn) error {
		var r Rig
		if err := tx.GetContext(ctx, &r, `SELECT `+rigColumns+` FROM rigs WHERE id = ? FOR UPDATE`, id); err != nil {
			return err
		}
		if err := change(&r); err != nil {
			return err
		}
		tx.tell(TopicRig, id, 0)
		_, err := tx.NamedExecContext(ctx, `UPDATE rigs SET name = :name, retired = :retired, ambient_c = :ambient_c,
			firmware_address = :firmware_address, firmware_user = :firmware_user, firmware_password = :firmware_password, in_system = :in_system,
			refit = :refit, note = :note, goal = :goal, records_version = records_version + 1 WHERE id = :id`, r)
		return err
	}), "change rig %d", id)
}

// RenewToken stores the hash of a rig's new token, and tells every process that links of the one before have ended.
func (s *Store) RenewToken(ctx context.Context, id int64, hash []byte) error {
	return known(s.within(ctx, func(tx *txn) error {
		tx.tell(TopicToken, id, 0)
		result, err := tx.ExecContext(ctx, `UPDATE rigs SET token_hash = ? WHERE id = ?`, hash, id)
		if err != nil {
			return err
		}
		return changed(result, sql.ErrNoRows)
	}), "renew the token of rig %d", id)
}

// Hello stores what a rig said of itself, makes the process that it is linked to its holder, and returns the last frame
// held of its stream.
func (s *Store) Hello(ctx context.Context, rig int64, h *link.Hello, holder string) (last uint64, lease Lease, err error) {
	err = s.within(ctx, func(tx *txn) error {
		var err error
		if lease, err = takeLease(ctx, tx, rig, holder, Link{Simulated: h.Simulated, ClockMS: h.Now, ClockRate: h.ClockRate}); err != nil {
			return err
		}
		tx.tell(TopicRig, rig, 0)
		version := cut(h.Facts.Firmware, maxVersion)
		if _, err := tx.ExecContext(ctx,
			`UPDATE rigs SET check_due = check_due OR boot_id <> ?, boot_id = ?, facts = ?, channels = ?, headers = ?,
				firmware_version = IF(firmware_address = '' AND ? <> '', ?, firmware_version) WHERE id = ?`,
			h.BootID, h.BootID, AsJSON(h.Facts), AsJSON(h.Channels), AsJSON(h.Headers), version, version, rig); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `DELETE FROM link_codes WHERE rig_id = ? AND told`, rig); err != nil {
			return err
		}
		// A stream that is not known begins where the rig says: what came before was told to a database that is no more.
		if _, err := tx.ExecContext(ctx, `INSERT IGNORE INTO link_streams (rig_id, stream, last_seq) VALUES (?, ?, ?)`, rig,
			h.Stream, max(h.From, 1)-1); err != nil {
			return err
		}
		last, err = follow(ctx, tx, rig, h.Stream, h.From)
		return err
	})
	return last, lease, known(err, "store the hello of rig %d", rig)
}

// SetInForce records which trim is in force on a rig; none when it is not valid.
func (s *Store) SetInForce(ctx context.Context, rig int64, trimID sql.NullInt64) error {
	return known(s.within(ctx, func(tx *txn) error {
		tx.tell(TopicRig, rig, 0)
		_, err := tx.ExecContext(ctx, `UPDATE rigs SET trim_in_force = ? WHERE id = ?`, trimID, rig)
		return err
	}), "set the trim in force of rig %d", rig)
}

// DueChecks lists the rigs that have started anew since their settings were last read, and run no fitting.
func (s *Store) DueChecks(ctx context.Context) ([]Rig, error) {
	rigs := []Rig{}
	err := s.db.SelectContext(ctx, &rigs, `SELECT `+rigColumns+` FROM rigs WHERE check_due
		AND NOT EXISTS (SELECT 1 FROM fittings WHERE rig_id = rigs.id AND ended_at IS NULL) ORDER BY id`)
	return rigs, known(err, "list the rigs to be checked")
}

// Checked records what a rig's board said: what drifted from the trim that was in force, and which trim is in force then.
// A loss stays announced until its trim is in force again. It changes nothing when another fitting has begun or another
// trim is in force by now.
func (s *Store) Checked(ctx context.Context, lease *Lease, r *Rig, version string, drift []trim.Difference, inForce sql.NullInt64) error {
	lost, lostTrim := r.Drift, r.LostTrim
	switch {
	case len(drift) > 0:
		lost, lostTrim = AsJSON(drift), r.TrimInForce
	case inForce == r.LostTrim:
		lost, lostTrim = JSON[[]trim.Difference]{}, sql.NullInt64{}
	}
	return known(s.within(ctx, func(tx *txn) error {
		if err := tx.hold(ctx, lease); err != nil {
			return err
		}
		tx.tell(TopicRig, r.ID, 0)
		if len(drift) > 0 {
			tx.tell(TopicTrim, r.ID, r.TrimInForce.Int64)
		}
		_, err := tx.ExecContext(ctx, `UPDATE rigs SET check_due = FALSE, firmware_version = ?, drift = ?, lost_trim = ?, trim_in_force = ?
			WHERE id = ? AND trim_in_force <=> ? AND NOT EXISTS (SELECT 1 FROM fittings WHERE rig_id = rigs.id AND ended_at IS NULL)`,
			cut(version, maxVersion), lost, lostTrim, inForce, r.ID, r.TrimInForce)
		return err
	}), "record the check of rig %d", r.ID)
}

// NothingToCheck records that a rig's settings cannot be read, or that there are none to be in force.
func (s *Store) NothingToCheck(ctx context.Context, rig int64) error {
	_, err := s.exec(ctx, `UPDATE rigs SET check_due = FALSE WHERE id = ?`, rig)
	return known(err, "record the check of rig %d", rig)
}

func setInForce(ctx context.Context, tx *txn, rig, trimID int64, at time.Time) error {
	if _, err := tx.ExecContext(ctx, `UPDATE rigs SET trim_in_force = ?, lost_trim = NULL, drift = NULL WHERE id = ?`, trimID,
		rig); err != nil {
		return err
	}
	_, err := tx.ExecContext(ctx, `UPDATE trims SET fitted_at = COALESCE(fitted_at, ?), standing = IF(standing = ?, ?, standing) WHERE id = ?`,
		at, proof.Draft, proof.Fitted, trimID)
	return err
}

// revise notes that what a fit or preflight reads of a rig has changed.
func (t *txn) revise(ctx context.Context, rig int64) error {
	_, err := t.ExecContext(ctx, `UPDATE rigs SET records_version = records_version + 1 WHERE id = ?`, rig)
	return err
}
