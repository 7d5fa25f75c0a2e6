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
	db        *sqlx.DB
	channels  *channelNames
	committed chan struct{} // holds a word whenever news were put into the outbox
}

// Errors that callers tell apart.
var (
	ErrNotFound = errors.New("not found")
	ErrTaken    = errors.New("already taken")
	ErrFixed    = errors.New("the trim was fitted and no longer changes")
)

// Open connects to the database of a data source name. What the store relies on it sets itself: times are read as UTC, and
// an update counts the rows that it finds, whether or not they change.
func Open(ctx context.Context, dsn string) (*Store, error) {
	cfg, err := mysql.ParseDSN(dsn)
	if err != nil {
		return nil, fmt.Errorf("read the data source name: %w", err)
	}
	cfg.ParseTime, cfg.Loc, cfg.ClientFoundRows = true, time.UTC, true
	connector, err := mysql.NewConnector(cfg)
	if err != nil {
		return nil, fmt.Errorf("open the database: %w", err)
	}
	db := sqlx.NewDb(sql.OpenDB(connector), "mysql")
	if err := db.PingContext(ctx); err != nil {
		_ = db.Close()
		return nil, fmt.Errorf("open the database: %w", err)
	}
	db.SetMaxOpenConns(24)
	db.SetMaxIdleConns(8)
	db.SetConnMaxLifetime(10 * time.Minute)
	return &Store{db: db, channels: &channelNames{ids: map[string]int64{}}, committed: make(chan struct{}, 1)}, nil
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

// attempts is how often a transaction is tried that MariaDB gives up because of another one.
const attempts = 8

// again runs fn, once more whenever it lost against another transaction: in a deadlock, or, in a cluster, against one that
// was committed on another node.
func again(fn func() error) error {
	var err error
	for range attempts {
		if err = fn(); !isConflict(err) {
			return err
		}
	}
	return err
}

// within runs fn in a transaction, again when it lost against another one, so fn starts from nothing each time.
func (s *Store) within(ctx context.Context, fn func(*txn) error) error {
	return again(func() error { return s.once(ctx, fn) })
}

func (s *Store) once(ctx context.Context, fn func(*txn) error) error {
	begun, err := s.db.BeginTxx(ctx, nil)
	if err != nil {
		return fmt.Errorf("begin: %w", err)
	}
	tx := &txn{Tx: begun}
	defer func() { _ = tx.Rollback() }()
	if err := fn(tx); err != nil {
		return err
	}
	if err := tx.write(ctx); err != nil {
		return fmt.Errorf("tell news: %w", err)
	}
	if err := tx.Commit(); err != nil {
		return fmt.Errorf("commit: %w", err)
	}
	if len(tx.news) > 0 {
		select {
		case s.committed <- struct{}{}:
		default:
		}
	}
	return nil
}

// exec runs one statement that is a transaction by itself.
func (s *Store) exec(ctx context.Context, query string, args ...any) (result sql.Result, err error) {
	err = again(func() error {
		result, err = s.db.ExecContext(ctx, query, args...)
		return err
	})
	return result, err
}

// changed is err when a statement changed no row.
func changed(result sql.Result, err error) error {
	if n, failed := result.RowsAffected(); failed != nil {
		return failed
	} else if n == 0 {
		return err
	}
	return nil
}

// MariaDB's error numbers that are told apart.
const (
	erDupEntry        = 1062
	erLockWaitTimeout = 1205
	erLockDeadlock    = 1213
)

// isConflict reports whether a transaction lost against another one. A cluster says so in the words of a deadlock.
func isConflict(err error) bool {
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
