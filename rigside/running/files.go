package running

import (
	"errors"
	"fmt"
	"io/fs"
	"slices"
	"strconv"
	"strings"

	"zerokeel/rigside/headers"
	"zerokeel/rigside/sensors"
)

// The positions of a switch.
const (
	on  = "on"
	off = "off"
)

// switched spells a switch for a board's sheet.
var switched = map[string]string{"true": on, "false": off}

// menu is where a sheet says that its settings are found.
func menu(group string) []string { return []string{"Running system", group} }

// finder looks for files, and reads and writes them.
type finder struct {
	root  fs.FS
	write headers.Files
	cores []sensors.Core
}

// text reads a file of one line; false where it is missing or does not answer.
func (f *finder) text(name string) (string, bool) {
	data, err := fs.ReadFile(f.root, name)
	return strings.TrimSpace(string(data)), err == nil
}

// whole reads a file that holds a whole number.
func (f *finder) whole(name string) (int, bool) {
	text, ok := f.text(name)
	if !ok {
		return 0, false
	}
	n, err := strconv.Atoi(text)
	return n, err == nil
}

func (f *finder) has(name string) bool {
	_, err := fs.Stat(f.root, name)
	return err == nil
}

func (f *finder) list(pattern string) []string {
	names, _ := fs.Glob(f.root, pattern) // the patterns are constants, and cannot be malformed
	slices.SortFunc(names, func(a, b string) int {
		if len(a) != len(b) {
			return len(a) - len(b)
		}
		return strings.Compare(a, b)
	})
	return names
}

// all writes the same into several files.
func (f *finder) all(names []string, text string) error {
	var err error
	for _, name := range names {
		err = errors.Join(err, f.write(name, text))
	}
	return err
}

// flip is a switch: what its files hold for on and for off. It is on where the first file says so.
func (f *finder) flip(name string, at phase, files []string, texts map[string]string) *attribute {
	return &attribute{name: name, phase: at, check: among(on, off),
		get: func() (any, bool) {
			text, ok := f.text(files[0])
			for position, word := range texts {
				if word == text {
					return position, ok
				}
			}
			return nil, false
		},
		set: func(v any) error { return f.all(files, texts[v.(string)]) }}
}

// among takes some words alone.
func among(words ...string) func(any) string {
	return func(v any) string {
		if word, ok := v.(string); !ok || !slices.Contains(words, word) {
			return fmt.Sprintf("%v is none of %s", v, strings.Join(words, ", "))
		}
		return ""
	}
}

// between takes whole numbers within bounds, and those words of a number that stand beside them.
func between(least, most int, unit string, words ...int) func(any) string {
	return func(v any) string {
		if n, ok := v.(int); !ok || (n < least || n > most) && !slices.Contains(words, n) {
			return fmt.Sprintf("%v is outside %d to %d %s", v, least, most, unit)
		}
		return ""
	}
}
