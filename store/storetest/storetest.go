// Package storetest gives tests a real MariaDB: one server per test process, reached through its socket only, and an
// own migrated database per test.
package storetest

import (
	"context"
	"fmt"
	"os"
	"sync"
	"sync/atomic"
	"testing"

	"zerokeel/mariadb"
	"zerokeel/store"
)

var (
	once    sync.Once
	server  *mariadb.Server
	failure error
	folder  string
	count   atomic.Int64
)

// Main runs a package's tests, and takes the server away after them. A package that uses Open calls it in TestMain.
func Main(m *testing.M) int {
	code := m.Run()
	if server != nil {
		if err := server.Stop(); err != nil {
			code = 1
		}
	}
	if folder != "" {
		_ = os.RemoveAll(folder)
	}
	return code
}

// Server returns the process's server. It ends with the process.
func Server(t testing.TB) *mariadb.Server {
	t.Helper()
	once.Do(func() {
		// A short path of its own: sockets allow no long ones.
		if folder, failure = os.MkdirTemp("", "zk"); failure == nil {
			server, failure = mariadb.Start(context.Background(), mariadb.Config{Dir: folder})
		}
	})
	if failure != nil {
		t.Fatal(failure)
	}
	return server
}

// Open returns a store on a migrated database of its own.
func Open(t testing.TB) *store.Store {
	t.Helper()
	s, _ := OpenDSN(t)
	return s
}

// OpenDSN is Open, and tells the data source name too.
func OpenDSN(t testing.TB) (*store.Store, string) {
	t.Helper()
	srv := Server(t)
	ctx := context.Background()
	name := fmt.Sprintf("test%d", count.Add(1))
	if err := srv.Create(ctx, name); err != nil {
		t.Fatal(err)
	}
	s, err := store.Open(ctx, srv.DSN(name))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = s.Close() })
	if err := s.Migrate(ctx); err != nil {
		t.Fatal(err)
	}
	return s, srv.DSN(name)
}
