package store

import (
	"context"
	"database/sql"
	"time"

	"github.com/jmoiron/sqlx"

	"zerokeel/core/forecast"
	"zerokeel/core/load"
	"zerokeel/core/proof"
	"zerokeel/core/trim"
	"zerokeel/core/verdict"
)

// Profile is what a trim is kept for. A rig has at most one trim of each.
type Profile string

const (
	ProfileNone  Profile = ""
	ProfileFast  Profile = "fast"
	ProfileQuiet Profile = "quiet"
)

// Trim is a trim as stored.
type Trim struct {
	ID        int64                 `db:"id"`
	RigID     int64                 `db:"rig_id"`
	Number    int                   `db:"number"`
	ParentID  sql.NullInt64         `db:"parent_id"`
	Name      string                `db:"name"`
	Reason    string                `db:"reason"`
	Settings  JSON[trim.Settings]   `db:"settings"`
	Forecast  JSON[forecast.Result] `db:"forecast"`
	Standing  proof.Standing        `db:"standing"`
	Verdict   verdict.Verdict       `db:"verdict"`
	Core      int                   `db:"core"`
	VerdictS  float64               `db:"verdict_s"`
	CreatedAt time.Time             `db:"created_at"` // on the rig's clock, as far as it was known then
	FittedAt  sql.NullTime          `db:"fitted_at"`
	Notes     string                `db:"notes"`
	Profile   Profile               `db:"profile"`
	UsedS     float64               `db:"used_s"`   // in daily use since its last fault
	Pilot     sql.NullInt64         `db:"pilot_id"` // that tried it on its way
	Proof     JSON[proof.Proof]     `db:"proof"`    // what it stood since it last failed; of none that was never judged
}

const trimColumns = `id, rig_id, number, parent_id, name, reason, settings, forecast, standing, verdict, core, verdict_s, created_at,
	fitted_at, notes, profile, proof, used_s, pilot_id`

// insertTrim numbers and stores a trim. Numbers count per rig from 0, which is stock.
func insertTrim(ctx context.Context, tx *txn, t *Trim) error {
	// Numbers are given out under a lock on the rig's row; in a cluster the row is written, so that of two nodes one loses.
	result, err := tx.ExecContext(ctx, `UPDATE rigs SET claims = claims + 1 WHERE id = ?`, t.RigID)
	if err == nil {
		err = changed(result, sql.ErrNoRows)
	}
	if err != nil {
		return err
	}
	if err := tx.GetContext(ctx, &t.Number, `SELECT COALESCE(MAX(number) + 1, 0) FROM trims WHERE rig_id = ?`, t.RigID); err != nil {
		return err
	}
	if t.CreatedAt.IsZero() {
		t.CreatedAt = time.Now()
	}
	t.CreatedAt, t.Core = t.CreatedAt.UTC().Truncate(time.Microsecond), -1
	result, err = tx.NamedExecContext(ctx, `INSERT INTO trims (rig_id, number, parent_id, name, reason, settings, forecast, standing,
		core, created_at, notes, pilot_id)
		VALUES (:rig_id, :number, :parent_id, :name, :reason, :settings, :forecast, :standing, :core, :created_at, :notes, :pilot_id)`, t)
	if err != nil {
		return err
	}
	t.ID, err = result.LastInsertId()
	tx.tell(TopicTrim, t.RigID, t.ID)
	return err
}

// CreateTrim numbers and stores a trim.
func (s *Store) CreateTrim(ctx context.Context, t *Trim) error {
	t.Standing = proof.Draft
	return known(s.within(ctx, func(tx *txn) error { return insertTrim(ctx, tx, t) }), "create trim %q", t.Name)
}

// Trims lists a rig's trims by number.
func (s *Store) Trims(ctx context.Context, rig int64) ([]Trim, error) {
	trims := []Trim{}
	err := s.db.SelectContext(ctx, &trims, `SELECT `+trimColumns+` FROM trims WHERE rig_id = ? ORDER BY number`, rig)
	return trims, known(err, "list the trims of rig %d", rig)
}

// Trim returns one trim.
func (s *Store) Trim(ctx context.Context, id int64) (*Trim, error) {
	var t Trim
	err := s.db.GetContext(ctx, &t, `SELECT `+trimColumns+` FROM trims WHERE id = ?`, id)
	return &t, known(err, "load trim %d", id)
}

// ChangeTrim stores what a person may change of a trim: of a draft its name, reason and settings, with their forecast, or ErrFixed
// once it was fitted or is about to be; of any trim its notes, and what it is kept for. Another trim of the rig that was kept for
// the same is so no longer. still is told how the trim stands then, and may refuse.
func (s *Store) ChangeTrim(ctx context.Context, t *Trim, still func(now *Trim) error) error {
	return known(s.within(ctx, func(tx *txn) error {
		var now Trim
		if err := tx.GetContext(ctx, &now, `SELECT `+trimColumns+` FROM trims WHERE id = ? FOR UPDATE`, t.ID); err != nil {
			return err
		}
		if err := still(&now); err != nil {
			return err
		}
		tx.tell(TopicTrim, t.RigID, t.ID)
		if t.Name != now.Name || t.Reason != now.Reason || len(trim.Diff(now.Settings.V, t.Settings.V)) > 0 {
			result, err := tx.NamedExecContext(ctx, `UPDATE trims SET name = :name, reason = :reason, settings = :settings, forecast = :forecast
				WHERE id = :id AND standing = 'draft' AND NOT EXISTS (SELECT 1 FROM fittings WHERE trim_id = :id)`, t)
			if err != nil {
				return err
			}
			if err := changed(result, ErrFixed); err != nil {
				return err
			}
		}
		if t.Profile != ProfileNone {
			if _, err := tx.ExecContext(ctx, `UPDATE trims SET profile = '' WHERE rig_id = ? AND profile = ? AND id <> ?`, t.RigID, t.Profile,
				t.ID); err != nil {
				return err
			}
		}
		_, err := tx.ExecContext(ctx, `UPDATE trims SET notes = ?, profile = ? WHERE id = ?`, t.Notes, t.Profile, t.ID)
		return err
	}), "change trim %d", t.ID)
}

// AddUse adds some seconds of daily use to a trim, during which nothing failed.
func (s *Store) AddUse(ctx context.Context, id int64, seconds float64) error {
	_, err := s.db.ExecContext(ctx, `UPDATE trims SET used_s = used_s + ? WHERE id = ?`, seconds, id)
	return known(err, "note the use of trim %d", id)
}

// judgeTrim records how a trim stands.
func judgeTrim(ctx context.Context, tx *txn, id int64, by *proof.Stood) error {
	_, err := tx.ExecContext(ctx, `UPDATE trims SET standing = ?, verdict = ?, core = ?, verdict_s = ?, proof = ?,
		used_s = IF(?, 0, used_s) WHERE id = ?`,
		by.Standing, by.Verdict, by.Core, by.AtS, AsJSON(by.Proof), by.Standing == proof.Failed, id)
	return err
}

// tried lists the trials of a trim that have a result, oldest first, with their judged legs, and when the last incident was
// held against it; a zero time is none.
func tried(ctx context.Context, tx *txn, trim int64) (list []proof.Trial, incident time.Time, err error) {
	var trials []Trial
	if err := tx.SelectContext(ctx, &trials, `SELECT `+trialColumns+` FROM trials WHERE trim_id = ? AND result IS NOT NULL ORDER BY id`,
		trim); err != nil {
		return nil, incident, err
	}
	var legs []struct {
		Trial  int64                `db:"trial_id"`
		Load   load.Kind            `db:"load_kind"`
		Cores  JSON[[]int]          `db:"cores"`
		Result JSON[verdict.Result] `db:"result"`
	}
	if err := tx.SelectContext(ctx, &legs, `SELECT l.trial_id, l.load_kind, l.cores, l.result FROM legs l JOIN trials t ON t.id = l.trial_id
		WHERE t.trim_id = ? AND t.result IS NOT NULL AND l.result IS NOT NULL ORDER BY l.trial_id, l.position`, trim); err != nil {
		return nil, incident, err
	}
	for _, t := range trials {
		one := proof.Trial{Proof: t.Purpose == PurposeProof, Result: t.Result.V, StartedAt: t.StartedAt.Time}
		if t.Cores.Valid {
			one.Cores = t.Cores.V
		}
		for ; len(legs) > 0 && legs[0].Trial == t.ID; legs = legs[1:] {
			one.Legs = append(one.Legs, proof.Leg{Load: legs[0].Load, Cores: legs[0].Cores.V, Result: legs[0].Result.V})
		}
		list = append(list, one)
	}
	var last sql.NullTime
	err = tx.GetContext(ctx, &last, `SELECT MAX(created_at) FROM incidents WHERE trim_id = ?`, trim)
	return list, last.Time, err
}

// InForceOn lists the trims in force on the other rigs with the same processor as one.
func (s *Store) InForceOn(ctx context.Context, r *Rig) ([]int64, error) {
	var trims []int64
	err := s.db.SelectContext(ctx, &trims,
		`SELECT trim_in_force FROM rigs WHERE processor_id = ? AND id <> ? AND trim_in_force IS NOT NULL ORDER BY id`, r.Processor, r.ID)
	return trims, known(err, "list what is in force on rigs like %s", r.Name)
}

// Like lists the other rigs with the same processor as one.
func (s *Store) Like(ctx context.Context, r *Rig) ([]int64, error) {
	var rigs []int64
	err := s.db.SelectContext(ctx, &rigs, `SELECT id FROM rigs WHERE processor_id = ? AND id <> ? ORDER BY id`, r.Processor, r.ID)
	return rigs, known(err, "list rigs like %s", r.Name)
}

// SettingsOf returns the settings of trims.
func (s *Store) SettingsOf(ctx context.Context, trims []int64) (map[int64]trim.Settings, error) {
	out := map[int64]trim.Settings{}
	if len(trims) == 0 {
		return out, nil
	}
	query, args, err := sqlx.In(`SELECT id, settings FROM trims WHERE id IN (?)`, trims)
	if err != nil {
		return nil, known(err, "load settings")
	}
	var rows []struct {
		ID       int64               `db:"id"`
		Settings JSON[trim.Settings] `db:"settings"`
	}
	err = s.db.SelectContext(ctx, &rows, query, args...)
	for _, row := range rows {
		out[row.ID] = row.Settings.V
	}
	return out, known(err, "load settings")
}
