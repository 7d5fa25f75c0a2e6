package store

import (
	"context"
	"database/sql"
	"time"

	"github.com/jmoiron/sqlx"

	"zerokeel/core/forecast"
	"zerokeel/core/load"
	"zerokeel/core/trim"
	"zerokeel/core/verdict"
)

// Standing is how far a trim has come.
type Standing string

const (
	StandingDraft  Standing = "draft"  // never fitted; may still change
	StandingFitted Standing = "fitted" // was in force, but not proven
	StandingProven Standing = "proven" // what was tried held, and every regime was tried
	StandingFailed Standing = "failed" // its last proof failed
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
	Standing  Standing              `db:"standing"`
	Verdict   verdict.Verdict       `db:"verdict"`
	Core      int                   `db:"core"`
	VerdictS  float64               `db:"verdict_s"`
	CreatedAt time.Time             `db:"created_at"` // on the rig's clock, as far as it was known then
	FittedAt  sql.NullTime          `db:"fitted_at"`
	Notes     string                `db:"notes"`
	Profile   Profile               `db:"profile"`
	Untried   JSON[[]load.Regime]   `db:"untried"` // regimes in which it has yet to hold, once something held
}

const trimColumns = `id, rig_id, number, parent_id, name, reason, settings, forecast, standing, verdict, core, verdict_s, created_at, fitted_at, notes, profile, untried`

// insertTrim numbers and stores a trim. Numbers count per rig from 0, which is stock.
func insertTrim(ctx context.Context, tx *sqlx.Tx, t *Trim) error {
	// The rig's row serves as the lock under which numbers are given out.
	var rig int64
	if err := tx.GetContext(ctx, &rig, `SELECT id FROM rigs WHERE id = ? FOR UPDATE`, t.RigID); err != nil {
		return err
	}
	if err := tx.GetContext(ctx, &t.Number, `SELECT COALESCE(MAX(number) + 1, 0) FROM trims WHERE rig_id = ?`, t.RigID); err != nil {
		return err
	}
	if t.CreatedAt.IsZero() {
		t.CreatedAt = time.Now()
	}
	t.CreatedAt, t.Core = t.CreatedAt.UTC().Truncate(time.Microsecond), -1
	result, err := tx.NamedExecContext(ctx, `INSERT INTO trims (rig_id, number, parent_id, name, reason, settings, forecast, standing, core, created_at, notes)
		VALUES (:rig_id, :number, :parent_id, :name, :reason, :settings, :forecast, :standing, :core, :created_at, :notes)`, t)
	if err != nil {
		return err
	}
	t.ID, err = result.LastInsertId()
	return err
}

// CreateTrim numbers and stores a trim.
func (s *Store) CreateTrim(ctx context.Context, t *Trim) error {
	t.Standing = StandingDraft
	return known(s.within(ctx, func(tx *sqlx.Tx) error { return insertTrim(ctx, tx, t) }), "create trim %q", t.Name)
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

// UpdateTrim stores a changed draft. It is ErrFixed once the trim was fitted, or is about to be.
func (s *Store) UpdateTrim(ctx context.Context, t *Trim) error {
	result, err := s.db.NamedExecContext(ctx, `UPDATE trims SET name = :name, reason = :reason, settings = :settings, forecast = :forecast
		WHERE id = :id AND standing = 'draft' AND NOT EXISTS (SELECT 1 FROM fittings WHERE trim_id = :id)`, t)
	if err != nil {
		return known(err, "update trim %d", t.ID)
	}
	if n, err := result.RowsAffected(); err != nil || n == 0 {
		return known(ErrFixed, "update trim %d", t.ID)
	}
	return nil
}

// NoteTrim stores what may change of a trim at any time: its notes, and what it is kept for. Another trim of the rig that
// was kept for the same is so no longer.
func (s *Store) NoteTrim(ctx context.Context, t *Trim) error {
	err := s.within(ctx, func(tx *sqlx.Tx) error {
		if t.Profile != ProfileNone {
			if _, err := tx.ExecContext(ctx, `UPDATE trims SET profile = '' WHERE rig_id = ? AND profile = ? AND id <> ?`, t.RigID, t.Profile, t.ID); err != nil {
				return err
			}
		}
		_, err := tx.ExecContext(ctx, `UPDATE trims SET notes = ?, profile = ? WHERE id = ?`, t.Notes, t.Profile, t.ID)
		return err
	})
	return known(err, "note trim %d", t.ID)
}

// judgeTrim records how a proof ended against the trim. A stopped or void proof says nothing about it. One that held makes
// it proven once every core has held in every regime since the last fault.
func judgeTrim(ctx context.Context, tx *sqlx.Tx, t *Trial) error {
	r, standing, untried := t.Result.V, StandingProven, []load.Regime(nil)
	switch {
	case r.Verdict.Failed():
		standing = StandingFailed
	case r.Verdict != verdict.Held:
		return nil
	default:
		var err error
		if untried, err = untriedBy(ctx, tx, t); err != nil {
			return err
		}
		if len(untried) > 0 {
			standing = StandingFitted
		}
	}
	_, err := tx.ExecContext(ctx, `UPDATE trims SET standing = ?, verdict = ?, core = ?, verdict_s = ?, untried = ? WHERE id = ?`, standing, r.Verdict, r.Core, r.AtS, AsJSON(untried), t.TrimID)
	return err
}

// untriedBy lists the regimes in which a trial's trim has yet to hold.
func untriedBy(ctx context.Context, tx *sqlx.Tx, t *Trial) ([]load.Regime, error) {
	var rows []struct {
		Load   load.Kind            `db:"load_kind"`
		Cores  JSON[[]int]          `db:"cores"`
		Result JSON[verdict.Result] `db:"result"`
	}
	err := tx.SelectContext(ctx, &rows, `SELECT l.load_kind, l.cores, l.result FROM legs l JOIN trials t ON t.id = l.trial_id
		WHERE t.trim_id = ? AND t.purpose = 'proof' AND l.result IS NOT NULL
			AND t.id > (SELECT COALESCE(MAX(f.id), 0) FROM trials f WHERE f.trim_id = t.trim_id AND f.id <> ?
				AND JSON_VALUE(f.result, '$.verdict') NOT IN ('held', 'stopped', 'void') AND JSON_VALUE(f.result, '$.injected') NOT IN ('1', 'true'))
			AND (t.id = ? OR t.started_at > (SELECT COALESCE(MAX(i.created_at), '1970-01-01') FROM incidents i WHERE i.trim_id = t.trim_id))`,
		t.TrimID, t.ID, t.ID)
	if err != nil {
		return nil, err
	}
	cores := t.Cores.V
	var held []verdict.Hold
	for _, r := range rows {
		if r.Result.V.Verdict == verdict.Held {
			held = append(held, verdict.Hold{Load: r.Load, Cores: r.Cores.V, Exposure: r.Result.V.Exposure})
		}
		if !t.Cores.Valid {
			cores = append(cores, r.Cores.V...)
		}
	}
	return verdict.Untried(cores, held), nil
}
