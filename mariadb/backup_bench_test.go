package mariadb_test

import (
	"crypto/rand"
	"database/sql"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"testing"
	"time"

	"zerokeel/mariadb"
)

var backupMB = flag.Int("backup-mb", 1024, "size of the tables that BenchmarkBackup backs up")

// BenchmarkBackup backs up tables of telemetry's kind in full, and prints how fast that is against a plain copy of the data folder of
// the same server, and then what came since when little did.
func BenchmarkBackup(b *testing.B) {
	dir := b.TempDir()
	db, err := mariadb.Start(b.Context(), mariadb.Config{Dir: filepath.Join(dir, "db"), BufferPool: "512M"})
	if err != nil {
		b.Fatal(err)
	}
	defer func() { _ = db.Stop() }()
	if err := db.Create(b.Context(), "zerokeel"); err != nil {
		b.Fatal(err)
	}
	raw, err := sql.Open("mysql", db.DSN("zerokeel"))
	if err != nil {
		b.Fatal(err)
	}
	defer func() { _ = raw.Close() }()
	run := func(query string, args ...any) {
		if _, err := raw.Exec(query, args...); err != nil {
			b.Fatal(err)
		}
	}
	run(`CREATE TABLE telemetry (id INT AUTO_INCREMENT PRIMARY KEY, body MEDIUMBLOB NOT NULL)`)
	block := make([]byte, 64<<10)
	fill := func(n int) {
		for range n {
			_, _ = rand.Read(block)
			run(`INSERT INTO telemetry (body) VALUES (?)`, block)
		}
	}
	fill(*backupMB * 16)
	run(`FLUSH TABLES telemetry FOR EXPORT`)
	run(`UNLOCK TABLES`)
	timed := func(what func() error) float64 {
		begun := time.Now()
		if err := what(); err != nil {
			b.Fatal(err)
		}
		return time.Since(begun).Seconds()
	}
	var copied, backed, since float64
	for n := 0; b.Loop(); n++ {
		target := filepath.Join(dir, fmt.Sprint("copy", n))
		copied += timed(func() error { return os.CopyFS(target, os.DirFS(filepath.Join(dir, "db", "data"))) })
		_ = os.RemoveAll(target)
		backups := mariadb.Backups(filepath.Join(dir, fmt.Sprint("backups", n)))
		backed += timed(func() error { _, err := backups.Make(b.Context(), db.DSN("zerokeel"), false); return err })
		fill(16)
		since += timed(func() error { _, err := backups.Make(b.Context(), db.DSN("zerokeel"), false); return err })
		_ = os.RemoveAll(string(backups))
	}
	b.ReportMetric(copied/backed, "of_copying")
	b.ReportMetric(since/backed, "since/full")
}
