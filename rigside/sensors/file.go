package sensors

import (
	"io/fs"
	"os"
	"strconv"
	"strings"
	"sync"
)

// file is a file of one line that is read again and again. Where it is one of the system's, it stays open: a reading is then
// one call of the kernel instead of four.
type file struct {
	root fs.FS
	name string
	mu   sync.Mutex
	held *os.File
	text [64]byte
}

// number reads the file as a number; false when it is missing, does not answer or holds none.
func (f *file) number() (float64, bool) {
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.held != nil {
		// The kernel's files end within what is read of them: io.EOF is no fault here.
		if n, _ := f.held.ReadAt(f.text[:], 0); n > 0 {
			return parse(string(f.text[:n]))
		}
		_ = f.held.Close() // what it belonged to has gone, or came again
		f.held = nil
	}
	opened, err := f.root.Open(f.name)
	if err != nil {
		return 0, false
	}
	if held, ok := opened.(*os.File); ok {
		f.held = held
		n, _ := held.ReadAt(f.text[:], 0)
		return parse(string(f.text[:n]))
	}
	defer func() { _ = opened.Close() }()
	n, _ := opened.Read(f.text[:])
	return parse(string(f.text[:n]))
}

func parse(text string) (float64, bool) {
	x, err := strconv.ParseFloat(strings.TrimSpace(text), 64)
	return x, err == nil
}
