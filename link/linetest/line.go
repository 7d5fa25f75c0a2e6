// Package linetest gives tests lines as they are in a shop: they hang, are slow, or are cut.
package linetest

import (
	"net"
	"sync"
	"sync/atomic"
	"testing"
	"time"
)

// Line forwards connections, and can be disturbed meanwhile.
type Line struct {
	dial  func() (net.Conn, error)
	dials atomic.Int64
	slow  atomic.Int64 // for how long each part is held up, ns

	mu    sync.Mutex
	goes  chan struct{} // closed while the line goes
	hangs bool
	ends  map[net.Conn]struct{}
}

// Open forwards what a listener accepts to what dial connects to, until the test ends.
func Open(t testing.TB, listener net.Listener, dial func() (net.Conn, error)) *Line {
	l := &Line{dial: dial, goes: make(chan struct{}), ends: map[net.Conn]struct{}{}}
	close(l.goes)
	t.Cleanup(func() { _ = listener.Close(); l.Go(); l.Cut() })
	go l.serve(listener)
	return l
}

// Hang lets the line hang until Go: what is sent then waits, and so do new connections, as with a server that was stopped.
func (l *Line) Hang() {
	l.mu.Lock()
	defer l.mu.Unlock()
	if !l.hangs {
		l.hangs, l.goes = true, make(chan struct{})
	}
}

// Go lets it go on.
func (l *Line) Go() {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.hangs {
		l.hangs = false
		close(l.goes)
	}
}

// Slow holds each part of what is sent up for some time; zero makes the line quick again.
func (l *Line) Slow(by time.Duration) { l.slow.Store(int64(by)) }

// Cut ends every connection, in the middle of whatever it says.
func (l *Line) Cut() {
	l.mu.Lock()
	defer l.mu.Unlock()
	for c := range l.ends {
		_ = c.Close()
	}
}

// Dials is how many connections were asked for so far.
func (l *Line) Dials() int64 { return l.dials.Load() }

func (l *Line) serve(listener net.Listener) {
	for {
		in, err := listener.Accept()
		if err != nil {
			return
		}
		l.dials.Add(1)
		go func() {
			<-l.going()
			out, err := l.dial()
			if err != nil {
				_ = in.Close()
				return
			}
			l.hold(in, out)
			defer l.release(in, out)
			back := make(chan struct{})
			go func() { defer close(back); l.carry(out, in) }()
			l.carry(in, out)
			<-back
		}()
	}
}

func (l *Line) hold(ends ...net.Conn) {
	l.mu.Lock()
	defer l.mu.Unlock()
	for _, c := range ends {
		l.ends[c] = struct{}{}
	}
}

func (l *Line) release(ends ...net.Conn) {
	l.mu.Lock()
	defer l.mu.Unlock()
	for _, c := range ends {
		delete(l.ends, c)
	}
}

func (l *Line) going() <-chan struct{} {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.goes
}

// carry hands on what one end says. Either end's going away ends both.
func (l *Line) carry(from, to net.Conn) {
	defer func() { _, _ = from.Close(), to.Close() }()
	part := make([]byte, 64<<10)
	for {
		n, err := from.Read(part)
		if by := time.Duration(l.slow.Load()); by > 0 {
			<-time.After(by)
		}
		<-l.going()
		if _, failed := to.Write(part[:n]); failed != nil || err != nil {
			return
		}
	}
}
