package storetest

import (
	"net"
	"path/filepath"
	"strconv"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/go-sql-driver/mysql"

	"zerokeel/store"
)

// Line is a line to the database that a test can let hang: what is sent then waits, and so do new connections, as with a server
// that was stopped.
type Line struct {
	real  string
	dials atomic.Int64
	mu    sync.Mutex
	open  chan struct{} // closed while the line goes
	hangs bool
}

// OpenLine is Open with a line of the test's to the database, of which an answer is waited for as long as the driver's words say,
// such as "1s".
func OpenLine(t testing.TB, answer string) (*store.Store, *Line) {
	t.Helper()
	_, dsns := OpenDSN(t)
	cfg, err := mysql.ParseDSN(dsns[0])
	if err != nil {
		t.Fatal(err)
	}
	l := &Line{real: cfg.Addr, open: make(chan struct{})}
	close(l.open)
	cfg.Addr = filepath.Join(folder, "line"+strconv.FormatInt(count.Load(), 10))
	listener, err := net.Listen("unix", cfg.Addr)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { l.Go(); _ = listener.Close() })
	go l.serve(listener)
	s, err := store.Open(t.Context(), cfg.FormatDSN()+"&timeout="+answer+"&readTimeout="+answer+"&writeTimeout="+answer)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = s.Close() })
	return s, l
}

// Hang lets the line hang until Go.
func (l *Line) Hang() {
	l.mu.Lock()
	defer l.mu.Unlock()
	if !l.hangs {
		l.hangs, l.open = true, make(chan struct{})
	}
}

// Go lets it go on.
func (l *Line) Go() {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.hangs {
		l.hangs = false
		close(l.open)
	}
}

// Dials is how many connections were asked for so far.
func (l *Line) Dials() int64 { return l.dials.Load() }

func (l *Line) goes() <-chan struct{} {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.open
}

func (l *Line) serve(listener net.Listener) {
	for {
		in, err := listener.Accept()
		if err != nil {
			return
		}
		l.dials.Add(1)
		out, err := net.Dial("unix", l.real)
		if err != nil {
			_ = in.Close()
			continue
		}
		go l.carry(in, out)
		go l.carry(out, in)
	}
}

func (l *Line) carry(from, to net.Conn) {
	defer func() { _, _ = from.Close(), to.Close() }()
	part := make([]byte, 64<<10)
	for {
		n, err := from.Read(part)
		<-l.goes()
		if _, failed := to.Write(part[:n]); failed != nil || err != nil {
			return
		}
	}
}
