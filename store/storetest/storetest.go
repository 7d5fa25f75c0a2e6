// Package storetest gives tests a real MariaDB: one server per test process, reached through its socket only, and an
// own migrated database per test. With -galera it is a cluster of three servers, of which one is killed and brought back while
// the tests run.
package storetest

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"os"
	"sync"
	"sync/atomic"
	"testing"

	"zerokeel/mariadb"
	"zerokeel/store"
)

var galera = flag.Bool("galera", false, "use a cluster of three database servers")

// Which node of a cluster is lost, and the database of a test process before which it is killed and brought back.
const (
	nodes         = 3
	lostNode      = nodes - 1
	killedAt      = 4
	broughtBackAt = 8
)

var (
	once    sync.Once
	single  *mariadb.Server // one of these is there
	cluster *mariadb.Cluster
	failure error
	folder  string
	count   atomic.Int64
	coming  sync.WaitGroup // of a node that is brought back
	lost    error          // why it was not
)

// Main runs a package's tests, and takes the database away after them. A package that uses Open calls it in TestMain.
func Main(m *testing.M) int {
	code := m.Run()
	coming.Wait()
	failed := lost
	if single != nil {
		failed = errors.Join(failed, single.Stop())
	}
	if cluster != nil {
		failed = errors.Join(failed, cluster.Stop())
	}
	if failed != nil {
		fmt.Fprintln(os.Stderr, failed)
		code = 1
	}
	if folder != "" {
		_ = os.RemoveAll(folder)
	}
	return code
}

func start() {
	// A short path of its own: sockets allow no long ones.
	if folder, failure = os.MkdirTemp("", "zk"); failure != nil {
		return
	}
	if *galera {
		cluster, failure = mariadb.StartCluster(context.Background(), folder, nodes)
	} else {
		single, failure = mariadb.Start(context.Background(), mariadb.Config{Dir: folder})
	}
}

// Open returns a store on a migrated database of its own.
func Open(t testing.TB) *store.Store {
	t.Helper()
	s, _ := OpenDSN(t)
	return s
}

// OpenDSN is Open, and tells the data source names too: one for each node, the one that the store uses first.
func OpenDSN(t testing.TB) (*store.Store, []string) {
	t.Helper()
	dsns := Empty(t)
	ctx := context.Background()
	s, err := store.Open(ctx, dsns...)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = s.Close() })
	if err := s.Migrate(ctx); err != nil {
		t.Fatal(err)
	}
	return s, dsns
}

// Empty makes a database without anything in it, and returns its data source names as OpenDSN does.
func Empty(t testing.TB) []string {
	t.Helper()
	if once.Do(start); failure != nil {
		t.Fatal(failure)
	}
	ctx := context.Background()
	n := count.Add(1)
	name := fmt.Sprintf("test%d", n)
	var dsns []string
	var err error
	if cluster != nil {
		if err := lose(ctx, n); err != nil {
			t.Fatal(err)
		}
		dsns = cluster.DSNs(name, int(n))
		err = cluster.Server(0).Create(ctx, name)
	} else {
		dsns = []string{single.DSN(name)}
		err = single.Create(ctx, name)
	}
	if err != nil {
		t.Fatal(err)
	}
	return dsns
}

// lose kills a node of the cluster before one test, and brings it back while another runs.
func lose(ctx context.Context, n int64) error {
	switch n {
	case killedAt:
		return cluster.Kill(lostNode)
	case broughtBackAt:
		coming.Go(func() { lost = cluster.Bring(ctx, lostNode) })
	}
	return nil
}
