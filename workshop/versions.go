package workshop

import (
	"context"
	"encoding/json"
	"fmt"
	"hash/fnv"
	"maps"
	"slices"
	"strconv"
	"strings"

	"zerokeel/core/trim"
	"zerokeel/store"
)

// field is something of a thing that a person may change.
type field struct {
	name  string
	value any
}

// versionOf names how the fields of a thing stand, by a word for each, so that of a later version can be told what changed.
func versionOf(fields []field) string {
	words := make([]string, len(fields))
	for i, f := range fields {
		sum := fnv.New32a()
		text, _ := json.Marshal(f.value) // of plain values
		_, _ = sum.Write(text)
		words[i] = strconv.FormatUint(uint64(sum.Sum32()), 36)
	}
	return strings.Join(words, ".")
}

type expectKey struct{}

// Expecting returns a context in which a change is made only if what it changes is still of a version; empty for any.
func Expecting(ctx context.Context, version string) context.Context {
	if version == "" {
		return ctx
	}
	return context.WithValue(ctx, expectKey{}, version)
}

// Moved is a change that was made for what is not so any more: somebody else has changed it meanwhile. Nothing of it was stored.
type Moved struct{ Fields []MovedField }

// MovedField is a field that somebody else changed, and what it is now.
type MovedField struct{ Name, Now string }

func (m *Moved) Error() string { return fmt.Sprintf("%d fields were changed meanwhile", len(m.Fields)) }

// longestNow is how much of a value is shown, in characters.
const longestNow = 300

// expect reports a Moved where a context expects another version than fields have; no fields are of what is not there.
func expect(ctx context.Context, fields []field) error {
	expected, _ := ctx.Value(expectKey{}).(string)
	now := versionOf(fields)
	if expected == "" || expected == now {
		return nil
	}
	m := &Moved{}
	was, is := strings.Split(expected, "."), strings.Split(now, ".")
	for i, f := range fields {
		if len(was) == len(is) && was[i] == is[i] {
			continue
		}
		text, ok := f.value.(string)
		if !ok {
			encoded, _ := json.Marshal(f.value)
			text = string(encoded)
		}
		if short := []rune(text); len(short) > longestNow {
			text = string(short[:longestNow]) + "\u2026"
		}
		m.Fields = append(m.Fields, MovedField{f.name, text})
	}
	return m
}

func fieldsOfRig(r *store.Rig) []field {
	return []field{{"name", r.Name}, {"retired", r.Retired}, {"ambientC", r.AmbientC}, {"refit", r.Refit}, {"note", r.Note},
		{"goal", string(r.Goal)}, {"inSystem", r.InSystem}, {"firmware.address", r.FirmwareAddress}, {"firmware.user", r.FirmwareUser}}
}

func fieldsOfTrim(t *store.Trim) []field {
	out := []field{{"name", t.Name}, {"reason", t.Reason}, {"notes", t.Notes}, {"profile", t.Profile}}
	// Settings by the first word of their keys, which is the same for every version.
	groups := map[string]trim.Settings{}
	for _, d := range trim.Registry {
		name, _, _ := strings.Cut(d.Key, ".")
		groups[name] = trim.Settings{}
	}
	for key, value := range t.Settings.V {
		name, _, _ := strings.Cut(key, ".")
		if groups[name] == nil {
			groups[name] = trim.Settings{}
		}
		groups[name][key] = value
	}
	for _, name := range slices.Sorted(maps.Keys(groups)) {
		out = append(out, field{"settings." + name, groups[name]})
	}
	return out
}

func fieldsOfLadder(l *store.Ladder) []field {
	if l == nil {
		return nil
	}
	return []field{{"name", l.Template.Name}, {"note", l.Template.Note}, {"steps", l.Template.Steps}, {"repeat", l.Template.Repeat},
		{"goOn", l.Template.GoOn}}
}

func fieldsOfPart(p *store.Part) []field {
	if p == nil {
		return nil
	}
	return []field{{"sheet", string(p.Sheet)}}
}

func fieldsOfCorrection(c *store.Correction) []field {
	if c == nil {
		return nil
	}
	return []field{{"scale", c.Scale}, {"shift", c.Shift}, {"reason", c.Reason}}
}

func fieldsOfAccount(a *store.Account) []field {
	return []field{{"role", a.Role}, {"closed", a.Closed}}
}

// Versions by which a change names what it was made for.
func VersionOfRig(r *store.Rig) string       { return versionOf(fieldsOfRig(r)) }
func VersionOfTrim(t *store.Trim) string     { return versionOf(fieldsOfTrim(t)) }
func VersionOfLadder(l *store.Ladder) string { return versionOf(fieldsOfLadder(l)) }
func VersionOfPart(p *store.Part) string     { return versionOf(fieldsOfPart(p)) }
func VersionOfCorrection(c *Correction) string {
	return versionOf([]field{{"scale", c.Scale}, {"shift", c.Shift}, {"reason", c.Reason}})
}
func VersionOfAccount(a *store.Account) string { return versionOf(fieldsOfAccount(a)) }
