package store

import (
	"context"
	"fmt"

	"zerokeel/keys"
)

// secretColumns are the columns that hold secrets, each with its table, and the one whose value is part of its purpose.
var secretColumns = []struct{ table, column, bound string }{
	{"rigs", "firmware_password", "firmware_address"}, {"watches", "send", "''"}, {"notices", "send", "''"},
}

// SealSecrets seals what was stored before secrets were sealed. seal is told the table, and what the secret is bound to.
func (s *Store) SealSecrets(ctx context.Context, seal func(table, bound, secret string) string) error {
	for _, c := range secretColumns {
		var rows []struct {
			ID     int64  `db:"id"`
			Bound  string `db:"bound"`
			Secret string `db:"secret"`
		}
		if err := s.db.SelectContext(ctx, &rows, fmt.Sprintf(`SELECT id, %s AS bound, %s AS secret FROM %s WHERE %[2]s <> ''`,
			c.bound, c.column, c.table)); err != nil {
			return known(err, "look for secrets in %s", c.table)
		}
		for _, r := range rows {
			if keys.IsSealed(r.Secret) {
				continue
			}
			// Whoever changed it meanwhile has sealed it.
			if _, err := s.exec(ctx, fmt.Sprintf(`UPDATE %s SET %s = ? WHERE id = ? AND %[2]s = ?`, c.table, c.column),
				seal(c.table, r.Bound, r.Secret), r.ID, r.Secret); err != nil {
				return known(err, "seal a secret of %s", c.table)
			}
		}
	}
	return nil
}
