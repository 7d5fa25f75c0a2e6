// Package quiet keeps logs short: what is said again and again, as by something that is tried until it works, is written at the
// first time, and then less and less often, with how often it was said meanwhile.
package quiet

import (
	"context"
	"log/slog"
	"strings"
	"sync"
	"time"
	"unicode"

	lru "github.com/hashicorp/golang-lru/v2"
)

// Pauses between two writings of the same line: the first, and the longest; each is twice the one before. A line that was not said
// for twice its pause counts as new.
const (
	firstPause   = 10 * time.Second
	longestPause = 10 * time.Minute
)

// keptLines is how many different lines are remembered.
const keptLines = 1000

// Handler returns a handler that hands on what is not said too often.
func Handler(to slog.Handler, now func() time.Time) slog.Handler {
	lines, err := lru.New[string, *line](keptLines)
	if err != nil {
		panic(err) // only a size below one is refused
	}
	return &handler{to: to, now: now, said: &said{lines: lines}}
}

type handler struct {
	to     slog.Handler
	now    func() time.Time
	prefix string // attributes that every line has
	said   *said
}

// said is what was said lately.
type said struct {
	mu    sync.Mutex
	lines *lru.Cache[string, *line]
}

type line struct {
	written time.Time
	heard   time.Time
	pause   time.Duration
	held    int // how often it was said since it was written
}

// Enabled reports what the handler behind takes.
func (h *handler) Enabled(ctx context.Context, l slog.Level) bool { return h.to.Enabled(ctx, l) }

// Handle hands a record on, or holds it back.
func (h *handler) Handle(ctx context.Context, r slog.Record) error {
	held, write := h.said.take(h.key(r), h.now())
	if !write {
		return nil
	}
	if held > 0 {
		r = r.Clone()
		r.AddAttrs(slog.Int("again", held))
	}
	return h.to.Handle(ctx, r)
}

// WithAttrs returns a handler whose lines have attributes.
func (h *handler) WithAttrs(attrs []slog.Attr) slog.Handler {
	out := *h
	out.to = h.to.WithAttrs(attrs)
	for _, a := range attrs {
		out.prefix += a.String() + " "
	}
	return &out
}

// WithGroup returns a handler whose attributes are of a group.
func (h *handler) WithGroup(name string) slog.Handler {
	out := *h
	out.to, out.prefix = h.to.WithGroup(name), h.prefix+name+"."
	return &out
}

// key is what makes two lines the same: their words, whatever numbers stand between.
func (h *handler) key(r slog.Record) string {
	var b strings.Builder
	b.WriteString(r.Level.String() + " " + r.Message + " " + h.prefix)
	r.Attrs(func(a slog.Attr) bool {
		b.WriteString(a.Key + "=")
		value := a.Value.Resolve().String()
		if a.Key == "rig" || a.Key == "server" { // two of them are two things
			b.WriteString(value)
			return true
		}
		b.WriteString(strings.Map(func(c rune) rune {
			if unicode.IsDigit(c) {
				return -1
			}
			return c
		}, value))
		return true
	})
	return b.String()
}

// take notes that a line is said, and reports whether it is written, and how often it was held back before.
func (s *said) take(key string, now time.Time) (held int, write bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	l, known := s.lines.Get(key)
	if !known || now.Sub(l.heard) > 2*l.pause {
		s.lines.Add(key, &line{written: now, heard: now, pause: firstPause})
		return 0, true
	}
	l.heard = now
	if now.Sub(l.written) < l.pause {
		l.held++
		return 0, false
	}
	held, l.held, l.written = l.held, 0, now
	l.pause = min(2*l.pause, longestPause)
	return held, true
}
