// Package store keeps everything that matters in MariaDB: one file per aggregate, SQL with explicit columns, the
// schema as embedded migrations. Times are UTC with microseconds.
package store

import (
	"cmp"
	"context"
	"database/sql"
	"database/sql/driver"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"net"
	"strings"
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
	db        database
	channels  *channelNames
	committed chan struct{} // holds a word whenever news were put into the outbox
	gathered  *gathering    // what rigs hand over
}

// How long a connection, and each part of an answer, is waited for. A data source name may say otherwise.
const (
	connectWithin = 5 * time.Second
	answerWithin  = 20 * time.Second
)

// Errors that callers tell apart.
var (
	ErrNotFound = errors.New("not found")
	ErrTaken    = errors.New("already taken")
	ErrFixed    = errors.New("the trim was fitted and no longer changes")
	// ErrAway reports a database that cannot be reached, or gives no answer: what it was asked to do may have been done.
	ErrAway = errors.New("the database does not answer")
	// ErrFull reports a database that has no room left: nothing was stored.
	ErrFull = errors.New("the disk of the database is full")
)

// Open connects to the database of a data source name, or of several, one for each node of a cluster: the first that takes
// connections is used, and another one when it goes away. What the store relies on it sets itself: times are read as UTC, an
// update counts the rows that it finds, whether or not they change, and what was written on one node is read on any other.
func Open(ctx context.Context, dsns ...string) (*Store, error) {
	n := &nodes{}
	for _, dsn := range dsns {
		cfg, err := mysql.ParseDSN(dsn)
		if err != nil {
			return nil, fmt.Errorf("read the data source name: %w", err)
		}
		cfg.ParseTime, cfg.Loc, cfg.ClientFoundRows = true, time.UTC, true
		// Statements go as text. A prepared one ends with a word that has no answer, and with it the news would be lost that a
		// cluster has undone the transaction: what follows would be committed by itself.
		cfg.InterpolateParams = true
		cfg.Logger = &mysql.NopLogger{} // whoever asks learns of it
		// A server that hangs is given up like one that is gone.
		cfg.Timeout, cfg.ReadTimeout = cmp.Or(cfg.Timeout, connectWithin), cmp.Or(cfg.ReadTimeout, answerWithin)
		cfg.WriteTimeout = cmp.Or(cfg.WriteTimeout, answerWithin)
		if len(dsns) > 1 {
			if cfg.Params == nil {
				cfg.Params = map[string]string{}
			}
			cfg.Params["wsrep_sync_wait"] = "1" // for reads
		}
		connector, err := mysql.NewConnector(cfg)
		if err != nil {
			return nil, fmt.Errorf("open the database: %w", err)
		}
		n.connectors = append(n.connectors, connector)
	}
	if len(dsns) == 0 {
		return nil, errors.New("open the database: there is no data source name")
	}
	db := sqlx.NewDb(sql.OpenDB(n), "mysql")
	if err := db.PingContext(ctx); err != nil {
		_ = db.Close()
		return nil, fmt.Errorf("open the database: %w", err)
	}
	db.SetMaxOpenConns(24)
	db.SetMaxIdleConns(8)
	db.SetConnMaxLifetime(10 * time.Minute)
	s := &Store{db: database{db}, channels: &channelNames{ids: map[string]int64{}}, committed: make(chan struct{}, 1)}
	s.gathered = &gathering{takeIn: s.takeIn}
	return s, nil
}

// Close closes every connection.
func (s *Store) Close() error { return s.db.Close() }

// Ping reports ErrAway when the database does not answer until the context ends.
func (s *Store) Ping(ctx context.Context) error {
	var one int
	if err := s.db.DB.GetContext(ctx, &one, `SELECT 1`); err != nil {
		return ErrAway
	}
	return nil
}

// Migrate brings the schema up to date. Several processes may do so at once. What a newer version has written it leaves alone, and
// says so: this one would misread it.
func (s *Store) Migrate(ctx context.Context) error {
	provider, err := s.provider()
	if err != nil {
		return err
	}
	there, err := provider.GetDBVersion(ctx)
	if err != nil {
		return fmt.Errorf("look at the schema: %w", err)
	}
	known := provider.ListSources()
	if newest := known[len(known)-1].Version; there > newest {
		return fmt.Errorf("the database was written by a newer version of this program: its schema is %d, and this one knows %d at most. "+
			"Install that version again, or restore a backup of before it", there, newest)
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
	p, err := goose.NewProvider(goose.DialectMySQL, s.db.DB.DB, files, goose.WithLocker(locker))
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

// changed is err when a statement changed no row.
func changed(result sql.Result, err error) error {
	if n, failed := result.RowsAffected(); failed != nil {
		return failed
	} else if n == 0 {
		return err
	}
	return nil
}

// MariaDB's numbers of errors: a key is taken, and, of several, there is no room left.
const (
	erDupEntry     = 1062
	erDiskFull     = 1021
	erRecordFile   = 1114
	erErrorOnWrite = 1026
	erGetErrno     = 1030
)

// full tells the errors of a database without room.
func full(e *mysql.MySQLError) bool {
	switch e.Number {
	case erDiskFull, erRecordFile:
		return true
	case erErrorOnWrite, erGetErrno:
		return strings.Contains(e.Message, "No space left")
	}
	return false
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
	case errors.As(err, &e) && full(e):
		return fmt.Errorf("%s: %w: %w", doing, ErrFull, err)
	case away(err):
		return fmt.Errorf("%s: %w: %w", doing, ErrAway, err)
	}
	return fmt.Errorf("%s: %w", doing, err)
}

// isOutage tells the errors that have nothing to do with what was to be stored.
func isOutage(err error) bool {
	var e *mysql.MySQLError
	return away(err) || errors.As(err, &e) && full(e)
}

// away tells the errors of a database that could not be reached, or gave no answer.
func away(err error) bool {
	var broken *net.OpError
	return errors.Is(err, driver.ErrBadConn) || errors.Is(err, mysql.ErrInvalidConn) || errors.As(err, &broken)
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
