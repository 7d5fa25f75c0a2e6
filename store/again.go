package store

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"errors"
	"fmt"
	"reflect"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/jmoiron/sqlx"
)

// attempts is how often a transaction is tried that MariaDB gives up, and triedFor how long at most another try is begun: a server
// that hangs is waited for at each.
const (
	attempts = 8
	triedFor = 15 * time.Second
)

// MariaDB's numbers of errors that may pass.
const (
	erUnknownCommand  = 1047 // a node of a cluster that is not ready for statements
	erLockWaitTimeout = 1205
	erLockDeadlock    = 1213
)

// isConflict reports whether a transaction lost against another one, in a deadlock, or against one that was committed on
// another node of a cluster, which says so in the words of a deadlock.
func isConflict(err error) bool {
	var e *mysql.MySQLError
	return errors.As(err, &e) && (e.Number == erLockDeadlock || e.Number == erLockWaitTimeout)
}

// isLost reports whether the connection to a node, or the node itself, went away. Of a commit that was on its way nobody
// knows then how it ended; everything before it has not happened.
func isLost(err error) bool {
	var e *mysql.MySQLError
	return errors.Is(err, mysql.ErrInvalidConn) || errors.Is(err, driver.ErrBadConn) || errors.As(err, &e) && e.Number == erUnknownCommand
}

// again runs fn, once more whenever it failed in a way that may pass.
func again(passes func(error) bool, fn func() error) error {
	var err error
	began := time.Now()
	for range attempts {
		if err = fn(); err == nil || !passes(err) || time.Since(began) > triedFor {
			return err
		}
	}
	return err
}

// within runs fn in a transaction, again when it lost against another one or its connection before the commit, so fn starts
// from nothing each time.
func (s *Store) within(ctx context.Context, fn func(*txn) error) error {
	return again(func(err error) bool { return isConflict(err) || isLost(err) && !errors.Is(err, errCommit) },
		func() error { return s.once(ctx, fn) })
}

// errCommit says that it was the commit that failed.
var errCommit = errors.New("commit")

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
		return fmt.Errorf("%w: %w", errCommit, err)
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
	err = again(isConflict, func() error {
		result, err = s.db.ExecContext(ctx, query, args...)
		return err
	})
	return result, err
}

// database is a database whose reads are tried again when their connection is lost.
type database struct{ *sqlx.DB }

// GetContext reads one row into dest.
func (d database) GetContext(ctx context.Context, dest any, query string, args ...any) error {
	return again(isLost, func() error { return d.DB.GetContext(ctx, dest, query, args...) })
}

// SelectContext reads rows into the slice that dest points to, which is empty.
func (d database) SelectContext(ctx context.Context, dest any, query string, args ...any) error {
	return again(isLost, func() error {
		list := reflect.ValueOf(dest).Elem()
		list.Set(list.Slice(0, 0)) // what came before the loss is read anew
		return d.DB.SelectContext(ctx, dest, query, args...)
	})
}
