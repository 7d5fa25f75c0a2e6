package store

import (
	"context"
	"database/sql"
	"errors"
	"time"
)

// Account is somebody who may use the bench.
type Account struct {
	ID        int64     `db:"id"`
	Name      string    `db:"name"` // whatever its capitals
	Role      string    `db:"role"`
	Password  string    `db:"password"` // its argon2id hash, with salt and parameters
	Version   int64     `db:"version"`  // a login is good for one of them
	Closed    bool      `db:"closed"`
	CreatedAt time.Time `db:"created_at"`
}

const accountColumns = `id, name, role, password, version, closed, created_at`

// Accounts lists every account by name.
func (s *Store) Accounts(ctx context.Context) ([]Account, error) {
	list := []Account{}
	err := s.db.SelectContext(ctx, &list, `SELECT `+accountColumns+` FROM accounts ORDER BY name`)
	return list, known(err, "list accounts")
}

// Account returns one account.
func (s *Store) Account(ctx context.Context, id int64) (*Account, error) {
	var a Account
	err := s.db.GetContext(ctx, &a, `SELECT `+accountColumns+` FROM accounts WHERE id = ?`, id)
	return &a, known(err, "load account %d", id)
}

// AccountByName returns the account of a name.
func (s *Store) AccountByName(ctx context.Context, name string) (*Account, error) {
	var a Account
	err := s.db.GetContext(ctx, &a, `SELECT `+accountColumns+` FROM accounts WHERE name = ?`, name)
	return &a, known(err, "find an account")
}

// AddAccount stores an account, unless allowed, which is told the accounts there are, says no.
func (s *Store) AddAccount(ctx context.Context, a *Account, allowed func(there []Account) error) error {
	a.CreatedAt, a.Version = time.Now().UTC().Truncate(time.Microsecond), 1
	return known(s.onAccounts(ctx, func(tx *txn, there []Account) error {
		if err := allowed(there); err != nil {
			return err
		}
		result, err := tx.NamedExecContext(ctx,
			`INSERT INTO accounts (name, role, password, created_at) VALUES (:name, :role, :password, :created_at)`, a)
		if err != nil {
			return err
		}
		a.ID, err = result.LastInsertId()
		return err
	}), "add an account")
}

// ChangeAccount changes an account as it stands, unless change, which is told all of them, says no. Its logins end.
func (s *Store) ChangeAccount(ctx context.Context, id int64, change func(a *Account, there []Account) error) error {
	return known(s.onAccounts(ctx, func(tx *txn, there []Account) error {
		for i := range there {
			if there[i].ID != id {
				continue
			}
			if err := change(&there[i], there); err != nil {
				return err
			}
			_, err := tx.NamedExecContext(ctx, `UPDATE accounts SET role = :role, password = :password, closed = :closed,
				version = version + 1 WHERE id = :id`, there[i])
			return err
		}
		return sql.ErrNoRows
	}), "change account %d", id)
}

// onAccounts does something while nobody else changes accounts: of two changes at once, each is told what the other left.
func (s *Store) onAccounts(ctx context.Context, do func(*txn, []Account) error) error {
	return s.within(ctx, func(tx *txn) error {
		var there []Account
		if err := tx.SelectContext(ctx, &there, `SELECT `+accountColumns+` FROM accounts ORDER BY id FOR UPDATE`); err != nil {
			return err
		}
		return do(tx, there)
	})
}

// Logins keeps who is logged in, as the library of sessions wants it. Of a token only its hash is kept.
type Logins struct{ *Store }

// FindCtx returns the data of a login that has not ended.
func (l Logins) FindCtx(ctx context.Context, token string) (data []byte, found bool, err error) {
	err = l.db.GetContext(ctx, &data, `SELECT data FROM logins WHERE token = ? AND expires_at > ?`, token, time.Now().UTC())
	if errors.Is(err, sql.ErrNoRows) {
		return nil, false, nil
	}
	return data, err == nil, known(err, "find a login")
}

// CommitCtx stores a login, and drops those that have ended.
func (l Logins) CommitCtx(ctx context.Context, token string, data []byte, expires time.Time) error {
	if _, err := l.exec(ctx, `DELETE FROM logins WHERE expires_at < ?`, time.Now().UTC()); err != nil {
		return known(err, "drop logins that have ended")
	}
	_, err := l.exec(ctx, `INSERT INTO logins (token, data, expires_at) VALUES (?, ?, ?)
		ON DUPLICATE KEY UPDATE data = VALUES(data), expires_at = VALUES(expires_at)`, token, data, expires.UTC())
	return known(err, "store a login")
}

// DeleteCtx ends a login.
func (l Logins) DeleteCtx(ctx context.Context, token string) error {
	_, err := l.exec(ctx, `DELETE FROM logins WHERE token = ?`, token)
	return known(err, "end a login")
}

// Find is FindCtx without a context.
func (l Logins) Find(token string) ([]byte, bool, error) {
	return l.FindCtx(context.Background(), token)
}

// Commit is CommitCtx without a context.
func (l Logins) Commit(token string, data []byte, expires time.Time) error {
	return l.CommitCtx(context.Background(), token, data, expires)
}

// Delete is DeleteCtx without a context.
func (l Logins) Delete(token string) error { return l.DeleteCtx(context.Background(), token) }
