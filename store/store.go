// Package store keeps everything that matters in MariaDB: one file per aggregate, SQL with explicit columns, the
// schema as embedded migrations. Times are UTC with microseconds.
package store

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/jmoiron/sqlx"
	"github.com/pressly/goose/v3"
	"github.com/pressly/goose/v3/lock"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Store is a database of Zero Keel.
type Store struct {
	db       *sqlx.DB
	channels *channelNames
}

// Errors that callers tell apart.
var (
	ErrNotFound = errors.New("not found")
	ErrTaken    = errors.New("already taken")
	ErrFixed    = errors.New("the trim was fitted and no longer changes")
)

// Open connects to the database of a data source name.
func Open(ctx context.Context, dsn string) (*Store, error) {
	db, err := sqlx.ConnectContext(ctx, "mysql", dsn)
	if err != nil {
		return nil, fmt.Errorf("open the database: %w", err)
	}
	db.SetMaxOpenConns(24)
	db.SetMaxIdleConns(8)
	db.SetConnMaxLifetime(10 * time.Minute)
	return &Store{db: db, channels: &channelNames{ids: map[string]int64{}}}, nil
}

// Close closes every connection.
func (s *Store) Close() error { return s.db.Close() }

// Migrate brings the schema up to date. Several processes may do so at once.
func (s *Store) Migrate(ctx context.Context) error {
	provider, err := s.provider()
	if err != nil {
		return err
	}
	if _, err := provider.Up(ctx); err != nil {
		return fmt.Errorf("bring the schema up to date: %w", err)
	}
	return nil
}

func (s *Store) provider() (*goose.Provider, error) {
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return nil, fmt.Errorf("read migrations: %w", err)
	}
	locker, err := lock.NewMySQLTableLocker()
	if err != nil {
		return nil, fmt.Errorf("prepare migrations: %w", err)
	}
	p, err := goose.NewProvider(goose.DialectMySQL, s.db.DB, files, goose.WithLocker(locker))
	if err != nil {
		return nil, fmt.Errorf("prepare migrations: %w", err)
	}
	return p, nil
}

// Rewind takes every migration back. It is there for the test that each can be undone.
func (s *Store) Rewind(ctx context.Context) error {
	provider, err := s.provider()
	if err != nil {
		return err
	}
	if _, err := provider.DownTo(ctx, 0); err != nil {
		return fmt.Errorf("take the schema back: %w", err)
	}
	return nil
}

// within runs fn in a transaction, again when MariaDB asks for it because of a deadlock.
func (s *Store) within(ctx context.Context, fn func(*sqlx.Tx) error) error {
	const attempts = 5
	var err error
	for range attempts {
		if err = s.once(ctx, fn); !isDeadlock(err) {
			return err
		}
	}
	return err
}

func (s *Store) once(ctx context.Context, fn func(*sqlx.Tx) error) error {
	tx, err := s.db.BeginTxx(ctx, nil)
	if err != nil {
		return fmt.Errorf("begin: %w", err)
	}
	defer func() { _ = tx.Rollback() }()
	if err := fn(tx); err != nil {
		return err
	}
	if err := tx.Commit(); err != nil {
		return fmt.Errorf("commit: %w", err)
	}
	return nil
}

// MariaDB's error numbers that are told apart.
const (
	erDupEntry        = 1062
	erLockWaitTimeout = 1205
	erLockDeadlock    = 1213
)

func isDeadlock(err error) bool {
	var e *mysql.MySQLError
	return errors.As(err, &e) && (e.Number == erLockDeadlock || e.Number == erLockWaitTimeout)
}

// known turns driver errors into this package's own, and says what was being done.
func known(err error, doing string, args ...any) error {
	if err == nil {
		return nil
	}
	doing = fmt.Sprintf(doing, args...)
	var e *mysql.MySQLError
	switch {
	case errors.Is(err, sql.ErrNoRows):
		return fmt.Errorf("%s: %w", doing, ErrNotFound)
	case errors.As(err, &e) && e.Number == erDupEntry:
		return fmt.Errorf("%s: %w", doing, ErrTaken)
	}
	return fmt.Errorf("%s: %w", doing, err)
}

// JSON is a column that holds a value as JSON. A zero JSON is NULL.
type JSON[T any] struct {
	V     T
	Valid bool
}

// AsJSON returns a column value that is not NULL.
func AsJSON[T any](v T) JSON[T] { return JSON[T]{V: v, Valid: true} }

// Scan reads the column.
func (j *JSON[T]) Scan(src any) error {
	*j = JSON[T]{}
	var text []byte
	switch src := src.(type) {
	case nil:
		return nil
	case []byte:
		text = src
	case string:
		text = []byte(src)
	default:
		return fmt.Errorf("column of type %T holds no JSON", src)
	}
	j.Valid = true
	return json.Unmarshal(text, &j.V)
}

// Value writes the column.
func (j JSON[T]) Value() (driver.Value, error) {
	if !j.Valid {
		return nil, nil
	}
	text, err := json.Marshal(j.V)
	return string(text), err
}

// FromMS returns the time of a rig's clock in ms since 1970.
func FromMS(ms int64) time.Time { return time.UnixMilli(ms).UTC() }
