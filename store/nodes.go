package store

import (
	"context"
	"database/sql/driver"
	"errors"
	"fmt"
	"sync/atomic"
)

// nodes connects to one node of a cluster, and stays with it for as long as it takes connections, so that what was written is
// read again; then to the next one.
type nodes struct {
	connectors []driver.Connector
	at         atomic.Int64 // the one in use
}

// Connect implements driver.Connector.
func (n *nodes) Connect(ctx context.Context) (driver.Conn, error) {
	at := n.at.Load()
	var failed []error
	for i := range int64(len(n.connectors)) {
		k := (at + i) % int64(len(n.connectors))
		conn, err := connectReady(ctx, n.connectors[k])
		if err == nil {
			n.at.Store(k)
			return conn, nil
		}
		failed = append(failed, fmt.Errorf("node %d: %w", k+1, err))
	}
	return nil, errors.Join(failed...)
}

// Driver implements driver.Connector.
func (n *nodes) Driver() driver.Driver { return n.connectors[0].Driver() }

// connectReady connects to a node that takes statements: one that has lost the others, or has not yet taken in what it
// missed, lets in and answers nothing.
func connectReady(ctx context.Context, to driver.Connector) (driver.Conn, error) {
	conn, err := to.Connect(ctx)
	if err != nil {
		return nil, err
	}
	if _, err := conn.(driver.ExecerContext).ExecContext(ctx, "DO 1", nil); err != nil {
		return nil, errors.Join(err, conn.Close())
	}
	return conn, nil
}
