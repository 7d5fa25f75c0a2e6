package storetest

import (
	"net"
	"path/filepath"
	"strconv"
	"sync/atomic"
	"testing"

	"github.com/go-sql-driver/mysql"

	"zerokeel/link/linetest"
	"zerokeel/store"
)

var lines atomic.Int64

// OpenLine is Open with a line of the test's to the database, of which an answer is waited for as long as the driver's words say,
// such as "1s".
func OpenLine(t testing.TB, answer string) (*store.Store, *linetest.Line) {
	t.Helper()
	_, dsns := OpenDSN(t)
	dsn, line := Lined(t, dsns[0])
	s, err := store.Open(t.Context(), dsn+"&timeout="+answer+"&readTimeout="+answer+"&writeTimeout="+answer)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = s.Close() })
	return s, line
}

// Lined puts a line before a database that is reached through a socket.
func Lined(t testing.TB, dsn string) (string, *linetest.Line) {
	t.Helper()
	cfg, err := mysql.ParseDSN(dsn)
	if err != nil {
		t.Fatal(err)
	}
	real := cfg.Addr
	cfg.Addr = filepath.Join(filepath.Dir(real), "line"+strconv.FormatInt(lines.Add(1), 10))
	listener, err := net.Listen("unix", cfg.Addr)
	if err != nil {
		t.Fatal(err)
	}
	return cfg.FormatDSN(), linetest.Open(t, listener, func() (net.Conn, error) { return net.Dial("unix", real) })
}
