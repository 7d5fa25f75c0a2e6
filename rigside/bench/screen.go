package bench

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"strings"
	"sync"
	"time"

	"golang.org/x/sys/unix"
)

// console is one of the machine's: its own screen with a keyboard, or a serial line.
type console struct {
	file *os.File
	last []string // the lines that it shows
	size func() (columns, rows int)
}

// The size of a console that does not tell, and the smallest and largest that is drawn on.
const (
	usualColumns, usualRows = 80, 24
	leastColumns, leastRows = 40, 12
	mostColumns, mostRows   = 120, 40
)

// openConsoles opens the machine's own screen and its first serial line, as far as they are there, for keys to arrive one by one.
func openConsoles() []*console {
	var out []*console
	for _, name := range []string{"/dev/tty1", "/dev/ttyS0"} {
		f, err := os.OpenFile(name, os.O_RDWR|unix.O_NOCTTY|unix.O_NONBLOCK, 0)
		if err != nil {
			continue
		}
		t, err := unix.IoctlGetTermios(int(f.Fd()), unix.TCGETS)
		if err != nil { // no such line on this board
			_ = f.Close()
			continue
		}
		t.Lflag &^= unix.ICANON | unix.ECHO | unix.ISIG | unix.IEXTEN
		t.Iflag &^= unix.ICRNL | unix.IXON
		t.Cc[unix.VMIN], t.Cc[unix.VTIME] = 1, 0
		_ = unix.IoctlSetTermios(int(f.Fd()), unix.TCSETS, t)
		_ = unix.SetNonblock(int(f.Fd()), true)
		out = append(out, &console{file: f, size: func() (int, int) { return sizeOf(f) }})
	}
	return out
}

func sizeOf(f *os.File) (columns, rows int) {
	raw, err := f.SyscallConn()
	if err != nil {
		return usualColumns, usualRows
	}
	columns, rows = usualColumns, usualRows
	_ = raw.Control(func(fd uintptr) {
		if w, err := unix.IoctlGetWinsize(int(fd), unix.TIOCGWINSZ); err == nil && w.Col > 0 && w.Row > 0 {
			columns, rows = int(w.Col), int(w.Row)
		}
	})
	return min(mostColumns, max(leastColumns, columns)), min(mostRows, max(leastRows, rows))
}

// show draws what differs from what the console shows.
func (c *console) show(lines []string) {
	var b strings.Builder
	if c.last == nil {
		b.WriteString("\x1b[?25l\x1b[0m\x1b[2J") // no cursor, an empty screen
	}
	for i, line := range lines {
		if i >= len(c.last) || c.last[i] != line {
			fmt.Fprintf(&b, "\x1b[%d;1H\x1b[K%s\x1b[0m", i+1, line)
		}
	}
	if b.Len() == 0 {
		return
	}
	c.last = lines
	_ = c.file.SetWriteDeadline(time.Now().Add(time.Second)) // a serial line that nobody reads
	if _, err := c.file.WriteString(b.String()); err != nil {
		c.last = nil
	}
}

// screen is what all consoles show.
type screen struct {
	consoles []*console
	dirty    chan struct{}
	typed    chan string // a code, once it is whole

	mu   sync.Mutex
	view view
}

func newScreen(consoles []*console) *screen {
	return &screen{consoles: consoles, dirty: make(chan struct{}, 1), typed: make(chan string)}
}

// change changes what is shown.
func (s *screen) change(how func(*view)) {
	s.mu.Lock()
	how(&s.view)
	s.mu.Unlock()
	select {
	case s.dirty <- struct{}{}:
	default:
	}
}

// run draws whenever something changed.
func (s *screen) run(ctx context.Context) {
	for {
		select {
		case <-ctx.Done():
			return
		case <-s.dirty:
			s.draw(time.Now())
		}
	}
}

func (s *screen) draw(now time.Time) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, c := range s.consoles {
		columns, rows := c.size()
		c.show(s.view.lines(columns, rows, now))
	}
}

// say shows a sentence of what goes on; an empty one takes the last away.
func (s *screen) say(text string) { s.change(func(v *view) { v.doing = text }) }

// keeps shows why nothing is kept over a restart; empty while it is.
func (s *screen) keeps(not string) { s.change(func(v *view) { v.notKept = not }) }

// address shows the machine's own; what was logged on the way to it is past.
func (s *screen) address(a string) { s.change(func(v *view) { v.address, v.logged = a, "" }) }

// words is a log of which the screen shows the newest line, of what goes wrong.
type words struct{ *screen }

// Enabled implements slog.Handler.
func (words) Enabled(_ context.Context, l slog.Level) bool { return l >= slog.LevelWarn }

// WithAttrs implements slog.Handler.
func (w words) WithAttrs([]slog.Attr) slog.Handler { return w }

// WithGroup implements slog.Handler.
func (w words) WithGroup(string) slog.Handler { return w }

// Handle implements slog.Handler.
func (w words) Handle(_ context.Context, r slog.Record) error {
	line := r.Message
	r.Attrs(func(a slog.Attr) bool {
		line += ", " + a.Key + ": " + a.Value.String()
		return true
	})
	w.change(func(v *view) { v.logged = line })
	return nil
}

// ask asks for a code to be typed, and returns it.
func (s *screen) ask(ctx context.Context) (string, error) {
	s.change(func(v *view) { v.asks, v.typed = true, "" })
	defer s.change(func(v *view) { v.asks, v.typed = false, "" })
	select {
	case <-ctx.Done():
		return "", ctx.Err()
	case code := <-s.typed:
		return code, nil
	}
}
