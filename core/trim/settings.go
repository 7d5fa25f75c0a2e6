package trim

import (
	"cmp"
	"fmt"
	"maps"
	"math"
	"slices"
	"strconv"
	"strings"

	"zerokeel/core/invalid"
	"zerokeel/core/part"
)

// Settings are values by setting key.
type Settings map[string]part.Value

// Number returns a numeric setting, or fallback when it is not set.
func (s Settings) Number(key string, fallback float64) float64 {
	if x, ok := s[key].Number(); ok {
		return x
	}
	return fallback
}

// Switch returns a switch, or fallback when it is not set.
func (s Settings) Switch(key string, fallback bool) bool {
	if on, ok := s[key].Switch(); ok {
		return on
	}
	return fallback
}

// Word returns the word that a setting holds, "" when it holds none.
func (s Settings) Word(key string) string {
	word, _ := s[key].Choice()
	return word
}

// Stock returns every setting of a board as delivered.
func Stock(p *part.Processor, b *part.Board) Settings {
	s := Settings{}
	offered(p, b, func(key string, index int, entry *part.BoardSetting) { s[key] = entry.DefaultAt(index) })
	return s
}

// With returns a copy of s in which the values of changes replace those of s.
func (s Settings) With(changes Settings) Settings {
	out := make(Settings, len(s)+len(changes))
	for k, v := range s {
		out[k] = v
	}
	for k, v := range changes {
		out[k] = v
	}
	return out
}

// Change is one setting that differs between two trims. An unset side means the setting is absent there.
type Change struct {
	Key  string     `json:"key"`
	From part.Value `json:"from"`
	To   part.Value `json:"to"`
}

// Diff lists the settings that differ, in work order.
func Diff(from, to Settings) []Change {
	var changes []Change
	for key, v := range to {
		if from[key] != v {
			changes = append(changes, Change{key, from[key], v})
		}
	}
	for key, v := range from {
		if _, still := to[key]; !still {
			changes = append(changes, Change{key, v, part.Value{}})
		}
	}
	inWorkOrder(changes, func(c Change) string { return c.Key })
	return changes
}

// inWorkOrder sorts by key: the registry's order, then the index.
func inWorkOrder[T any](list []T, key func(T) string) {
	type placed struct {
		rank, index int
		item        T
	}
	order := make([]placed, len(list))
	for i, item := range list {
		pattern, index := part.Pattern(key(item))
		rank, known := byKey[pattern]
		if !known {
			rank = len(Registry)
		}
		order[i] = placed{rank, index, item}
	}
	slices.SortFunc(order, func(a, b placed) int {
		return cmp.Or(a.rank-b.rank, a.index-b.index, cmp.Compare(key(a.item), key(b.item)))
	})
	for i := range order {
		list[i] = order[i].item
	}
}

// Check lists the values that the board does not take: unknown settings, wrong types, out of range, off the
// board's step. What is merely unwise is the business of package preflight.
func Check(p *part.Processor, b *part.Board, s Settings) invalid.List {
	var f invalid.List
	for key, v := range s {
		checkOne(&f, p, b, key, v)
	}
	inWorkOrder(f, func(one invalid.Entry) string { return one.Field })
	return f
}

func checkOne(f *invalid.List, p *part.Processor, b *part.Board, key string, v part.Value) {
	pattern, index := part.Pattern(key)
	at, known := byKey[pattern]
	if !known {
		f.Add(key, "remove it or correct its name", "there is no such setting")
		return
	}
	def, entry := &Registry[at], b.Entry(pattern)
	switch {
	case def.Recorded:
		if text, ok := v.Choice(); !ok || len(text) > maxText {
			f.Add(key, fmt.Sprintf("give at most %d characters", maxText), "it is no text, or too long a one")
		}
	case !def.on(p) || !def.within(p, b, index) || entry == nil:
		named, _, _ := Find(key)
		f.Add(key, "remove it", "%s does not exist on %s with %s", named.Name, b.Name, p.Name)
	default:
		checkValue(f, def, key, entry, v)
	}
}

func isSwitch(v part.Value) bool {
	_, ok := v.Switch()
	return ok
}

// maxText is the length of a recorded text.
const maxText = 80

func checkValue(f *invalid.List, def *Def, key string, entry *part.BoardSetting, v part.Value) {
	switch def.Type {
	case TypeSwitch:
		word, _ := v.Choice()
		if between := positions(*def, *entry); !slices.Contains(between, word) && !isSwitch(v) {
			f.Add(key, strings.Join(append([]string{"give true or false"}, between...), " or "), "%q is no switch position", v)
		}
	case TypeChoice:
		word, ok := v.Choice()
		if _, spelt := entry.Values[word]; !ok || !slices.Contains(def.Choices, word) || !spelt {
			f.Add(key, fmt.Sprintf("give one of %q", positions(*def, *entry)), "%q is no choice", v)
		}
	default:
		if word, ok := v.Choice(); ok && slices.Contains(def.Words, word) {
			if _, spelt := entry.Words[word]; !spelt {
				f.Add(key, fmt.Sprintf("give %g to %g%s", entry.Min, entry.Max, unitAfter(def.Unit)), "the board does not take %q here", word)
			}
			return
		}
		x, ok := v.Number()
		if !ok || math.IsNaN(x) || math.IsInf(x, 0) {
			f.Add(key, "give a number in "+unitOr(def.Unit, "whole levels"), "%q is no number", v)
			return
		}
		if x < entry.Min || x > entry.Max {
			f.Add(key, fmt.Sprintf("give %g to %g%s", entry.Min, entry.Max, unitAfter(def.Unit)), "%g%s is outside the board's range", x,
				unitAfter(def.Unit))
			return
		}
		switch {
		case entry.Takes(x):
		case len(entry.Among) > 0:
			f.Add(key, fmt.Sprintf("give one of the values that the board has, such as %g", entry.Nearest(x)), "the board has no %g%s", x,
				unitAfter(def.Unit))
		default:
			f.Add(key, fmt.Sprintf("give a multiple of the board's step of %g%s, such as %g", entry.Step, unitAfter(def.Unit), entry.Nearest(x)),
				"%g%s is off the board's step", x, unitAfter(def.Unit))
		}
	}
}

// positions lists the choices of a setting that a board has.
func positions(def Def, entry part.BoardSetting) []string {
	var out []string
	for _, c := range def.Choices {
		if _, ok := entry.Values[c]; ok {
			out = append(out, c)
		}
	}
	return out
}

// Choices lists the positions that a board offers for a setting: of a choice its words, of a switch those besides on and off,
// of a number the words that may stand in its place.
func Choices(def Def, entry part.BoardSetting) []string {
	if def.Type != TypeNumber {
		return positions(def, entry)
	}
	var out []string
	for _, w := range def.Words {
		if _, ok := entry.Words[w]; ok {
			out = append(out, w)
		}
	}
	return out
}

func unitAfter(unit string) string {
	if unit == "" {
		return ""
	}
	return " " + unit
}

func unitOr(unit, other string) string {
	if unit == "" {
		return other
	}
	return unit
}

// Fingerprint tells settings apart: two have the same one when they are equal. It is of use in memory only.
func (s Settings) Fingerprint() string {
	b := make([]byte, 0, 32*len(s))
	for _, key := range slices.Sorted(maps.Keys(s)) {
		v := s[key]
		if !v.IsSet() {
			continue
		}
		b = append(append(b, key...), '=')
		if word, ok := v.Choice(); ok {
			b = strconv.AppendQuote(b, word)
		} else {
			b = append(b, v.String()...)
		}
		b = append(b, ';')
	}
	return string(b)
}
