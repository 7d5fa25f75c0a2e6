package store

import (
	"context"
	"database/sql"
	"errors"

	"zerokeel/core/energy"
)

// Own is what a workshop says of itself: what it is called, what stands under what it hands over, what a kWh costs it, and how it reckons
// a day of use.
type Own struct {
	Name     string             `db:"name"`
	Note     string             `db:"note"`
	Currency string             `db:"currency"` // empty while nobody said
	PerKWh   float64            `db:"per_kwh"`  // 0 while nobody said
	Hours    JSON[energy.Hours] `db:"hours"`
}

// Own returns what the workshop says of itself.
func (s *Store) Own(ctx context.Context) (*Own, error) {
	var o Own
	err := s.db.GetContext(ctx, &o, `SELECT name, note, currency, per_kwh, hours FROM workshop WHERE id = 1`)
	if errors.Is(err, sql.ErrNoRows) {
		return &Own{Hours: AsJSON(energy.Usual)}, nil
	}
	return &o, known(err, "look up what the workshop says of itself")
}

// SetOwn says it anew.
func (s *Store) SetOwn(ctx context.Context, o *Own) error {
	_, err := s.db.NamedExecContext(ctx, `INSERT INTO workshop (id, name, note, currency, per_kwh, hours)
		VALUES (1, :name, :note, :currency, :per_kwh, :hours) ON DUPLICATE KEY UPDATE name = VALUES(name), note = VALUES(note),
			currency = VALUES(currency), per_kwh = VALUES(per_kwh), hours = VALUES(hours)`, o)
	return known(err, "say what the workshop is")
}
