// Package invalid collects what is wrong with an input, everything at once, each with the field it
// concerns and what to do about it. Parsers and validators return a List; screens and the API show it
// beside the fields. It has nothing to do with the faults of machines, which core/verdict tells apart.
package invalid

import (
	"fmt"
	"strings"
	"unicode"
)

// Entry is one thing wrong with an input.
type Entry struct {
	Field   string `json:"field"`   // path of the field, such as "vf[3].mhz"; empty for the whole input
	Problem string `json:"problem"` // what is wrong, with the value found
	Remedy  string `json:"remedy"`  // what to do
}

func (f Entry) Error() string {
	text := f.Problem
	if f.Field != "" {
		text = f.Field + ": " + text
	}
	if f.Remedy != "" {
		text += "; " + f.Remedy
	}
	return text
}

// List holds every invalid entry found. An empty list is no error: return it through Err.
type List []Entry

// Add appends an entry about field.
func (l *List) Add(field, remedy, problem string, args ...any) {
	*l = append(*l, Entry{Field: field, Problem: fmt.Sprintf(problem, args...), Remedy: remedy})
}

// Err returns the list as an error, or nil when it is empty.
func (l List) Err() error {
	if len(l) == 0 {
		return nil
	}
	return l
}

func (l List) Error() string {
	lines := make([]string, len(l))
	for i, f := range l {
		lines[i] = f.Error()
	}
	return strings.Join(lines, "\n")
}

// Under returns the list with each field path put below prefix.
func (l List) Under(prefix string) List {
	out := make(List, len(l))
	for i, f := range l {
		switch {
		case f.Field == "":
			f.Field = prefix
		case strings.HasPrefix(f.Field, "["):
			f.Field = prefix + f.Field
		default:
			f.Field = prefix + "." + f.Field
		}
		out[i] = f
	}
	return out
}

// Name takes the spaces off the ends of a name, and adds an entry about field when nothing is left, or when a character in it cannot
// be seen: two names that look alike are one to a reader.
func (l *List) Name(field string, name *string) {
	*name = strings.TrimSpace(*name)
	switch {
	case *name == "":
		l.Add(field, "give a name", "the name is empty")
	case strings.ContainsFunc(*name, func(r rune) bool { return !unicode.IsPrint(r) || r == unicode.ReplacementChar }):
		l.Add(field, "give a name of characters that can be seen, and spaces", "%q holds others", *name)
	}
}
