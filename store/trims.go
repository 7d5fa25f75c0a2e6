package store

import (
	"context"
	"database/sql"
	"time"

	"github.com/jmoiron/sqlx"

	"zerokeel/core/forecast"
	"zerokeel/core/trim"
	"zerokeel/core/verdict"
)

// Standing is how far a trim has come.
type Standing string

const (
	StandingDraft  Standing = "draft"  // never fitted; may still change
	StandingFitted Standing = "fitted" // was in force, but not proven
	StandingProven Standing = "proven" // its last proof held
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
}

const trimColumns = `id, rig_id, number, parent_id, name, reason, settings, forecast, standing, verdict, core, verdict_s, created_at, fitted_at, notes, profile`

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

// judgeTrim records how a proof ended against the trim. A stopped or void proof says nothing about it.
func judgeTrim(ctx context.Context, tx *sqlx.Tx, trimID int64, r verdict.Result) error {
	standing := StandingProven
	switch {
	case r.Verdict.Failed():
		standing = StandingFailed
	case r.Verdict != verdict.Held:
		return nil
	}
	_, err := tx.ExecContext(ctx, `UPDATE trims SET standing = ?, verdict = ?, core = ?, verdict_s = ? WHERE id = ?`, standing, r.Verdict, r.Core, r.AtS, trimID)
	return err
}
