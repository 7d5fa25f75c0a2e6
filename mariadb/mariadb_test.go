package mariadb_test

import (
	"context"
	"database/sql"
	"errors"
	"os"
	"path/filepath"
	"syscall"
	"testing"

	"zerokeel/mariadb"
)

// TestKilledServerComesBack: a killed server leaves its folder usable, with every acknowledged row; while it runs, a
// second one is kept off, and a clean stop leaves the folder free.
func TestKilledServerComesBack(t *testing.T) {
	dir, err := os.MkdirTemp("", "zk") // the socket's path must be short
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	ctx := context.Background()
	start := func() *mariadb.Server {
		t.Helper()
		s, err := mariadb.Start(ctx, mariadb.Config{Dir: dir})
		if err != nil {
			t.Fatal(err)
		}
		return s
	}
	run := func(s *mariadb.Server, statement string) {
		t.Helper()
		db, err := sql.Open("mysql", s.DSN("kept"))
		if err != nil {
			t.Fatal(err)
		}
		defer func() { _ = db.Close() }()
		if _, err := db.Exec(statement); err != nil {
			t.Fatal(err)
		}
	}
	s := start()
	if err := s.Create(ctx, "kept"); err != nil {
		t.Fatal(err)
	}
	run(s, "CREATE TABLE kept_rows (n INT PRIMARY KEY)")
	run(s, "INSERT INTO kept_rows VALUES (1)")
	if _, err := mariadb.Start(ctx, mariadb.Config{Dir: dir}); !errors.Is(err, mariadb.ErrInUse) {
		t.Errorf("a second server on the folder: %v, want ErrInUse", err)
	}
	if err := syscall.Kill(s.PID(), syscall.SIGKILL); err != nil {
		t.Fatal(err)
	}
	<-s.Done()
	s = start()
	run(s, "INSERT INTO kept_rows SELECT MAX(n) + 1 FROM kept_rows HAVING COUNT(*) = 1")
	if err := s.Stop(); err != nil {
		t.Errorf("stop: %v", err)
	}
	s = start()
	run(s, "DELETE FROM kept_rows WHERE n = 2")
	if err := s.Drop(ctx, "kept"); err != nil {
		t.Error(err)
	}
	if err := s.Stop(); err != nil {
		t.Errorf("stop: %v", err)
	}
}

// TestTemporaryFilesOfOthersStay: what another server has laid down for a while is not cleared away by one that starts.
func TestTemporaryFilesOfOthersStay(t *testing.T) {
	dir, err := os.MkdirTemp("", "zk")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	shared := t.TempDir()
	t.Setenv("TMPDIR", shared)
	others := filepath.Join(shared, "#sql-temptable-zk-1-0.MAI")
	if err := os.WriteFile(others, nil, 0o600); err != nil {
		t.Fatal(err)
	}
	s, err := mariadb.Start(t.Context(), mariadb.Config{Dir: dir})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := os.Stat(others); err != nil {
		t.Errorf("after another server's start: %v", err)
	}
	if err := s.Stop(); err != nil {
		t.Errorf("stop: %v", err)
	}
}

func TestLongPathsAreRefused(t *testing.T) {
	long := "/tmp/a-path-that-is-much-too-long-for-the-socket-of-a-database-server-because-the-kernel-allows-about-a-hundred-bytes"
	t.Cleanup(func() { _ = os.RemoveAll(long) })
	if _, err := mariadb.Start(context.Background(), mariadb.Config{Dir: long}); err == nil {
		t.Error("a path too long for a socket was taken")
	}
}
