package mariadb_test

import (
	"context"
	"database/sql"
	"flag"
	"os"
	"testing"

	"zerokeel/mariadb"
)

var galera = flag.Bool("galera", false, "run a cluster of servers too")

// TestClusterKeepsWhatANodeMissed: what is written on one node is read on every other, also on one that was killed and
// brought back; and the cluster takes writes while that one is away.
func TestClusterKeepsWhatANodeMissed(t *testing.T) {
	if !*galera {
		t.Skip("a cluster runs by name: ./keel test galera")
	}
	dir, err := os.MkdirTemp("", "zk") // the socket's path must be short
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if !t.Failed() {
			_ = os.RemoveAll(dir)
		}
	})
	ctx := context.Background()
	cluster, err := mariadb.StartCluster(ctx, dir, 3)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := cluster.Stop(); err != nil {
			t.Error(err)
		}
	})
	on := func(node int, fn func(*sql.DB) error) {
		t.Helper()
		db, err := sql.Open("mysql", cluster.Server(node).DSN(""))
		if err != nil {
			t.Fatal(err)
		}
		defer func() { _ = db.Close() }()
		if err := fn(db); err != nil {
			t.Fatalf("node %d: %v", node+1, err)
		}
	}
	write := func(node int, statement string) {
		t.Helper()
		on(node, func(db *sql.DB) error {
			_, err := db.Exec(statement)
			return err
		})
	}
	rows := func(node, want int) {
		t.Helper()
		on(node, func(db *sql.DB) error {
			var n int
			// One statement on one connection: what was committed elsewhere before is waited for.
			if err := db.QueryRow("SET STATEMENT wsrep_sync_wait = 1 FOR SELECT COUNT(*) FROM kept.rows_of_all").Scan(&n); err != nil {
				return err
			}
			if n != want {
				t.Errorf("node %d has %d rows, want %d", node+1, n, want)
			}
			return nil
		})
	}
	write(0, "CREATE DATABASE kept")
	write(1, "CREATE TABLE kept.rows_of_all (n INT PRIMARY KEY)")
	write(2, "INSERT INTO kept.rows_of_all VALUES (1)")
	rows(0, 1)
	if err := cluster.Kill(2); err != nil {
		t.Fatal(err)
	}
	write(1, "INSERT INTO kept.rows_of_all VALUES (2)")
	if err := cluster.Bring(ctx, 2); err != nil {
		t.Fatal(err)
	}
	rows(2, 2)
	write(2, "INSERT INTO kept.rows_of_all VALUES (3)")
	rows(0, 3)
}
