package trim

import (
	"math"
	"slices"
	"strconv"
	"strings"

	"zerokeel/core/part"
)

// SheetFrom turns attributes, each with the setting that a builder has confirmed, into the settings of a board's sheet.
// Attributes of one indexed setting become one entry. Scales and the spelling of positions are guessed, as a registry
// gives neither units nor meanings; what cannot be guessed is left out for the builder to fill in, and the sheet's own
// validation names it.
func SheetFrom(attributes []Learnt) []part.BoardSetting {
	byPattern := map[string]*part.BoardSetting{}
	order := []string{}
	for _, a := range attributes {
		def, index, ok := Find(a.Setting)
		if !ok || def.Recorded {
			continue
		}
		pattern, _ := part.Pattern(a.Setting)
		entry, known := byPattern[pattern]
		if !known {
			one := sheetEntry(def, pattern, index, a)
			entry = &one
			byPattern[pattern] = entry
			order = append(order, pattern)
		}
		if index >= 0 {
			for len(entry.Defaults) <= index {
				entry.Defaults = append(entry.Defaults, part.Value{})
			}
			entry.Defaults[index] = defaultOf(def, *entry, a)
		}
	}
	out := make([]part.BoardSetting, 0, len(order))
	for _, pattern := range order {
		entry := byPattern[pattern]
		entry.Defaults = worthListing(entry.Defaults, entry.Default)
		out = append(out, *entry)
	}
	inWorkOrder(out, func(s part.BoardSetting) string { return s.Setting })
	return out
}

// worthListing drops a list of defaults that says no more than the one default.
func worthListing(list []part.Value, one part.Value) []part.Value {
	if slices.ContainsFunc(list, func(v part.Value) bool { return v.IsSet() && v != one }) {
		return list
	}
	return nil
}

func sheetEntry(def Def, pattern string, index int, a Learnt) part.BoardSetting {
	entry := part.BoardSetting{Setting: pattern, Attribute: a.Attribute, Label: a.Label, Menu: a.Menu}
	if index >= 0 {
		n := strconv.Itoa(index)
		entry.Attribute, entry.Label = strings.Replace(a.Attribute, n, "{n}", 1), strings.Replace(a.Label, n, "{n}", 1)
	}
	if def.Type == TypeNumber {
		scale := guessScale(def.Unit, math.Max(math.Abs(a.Min), math.Abs(a.Max)))
		if scale != 1 {
			entry.Scale = scale
		}
		entry.Min, entry.Max, entry.Step = a.Min/scale, a.Max/scale, math.Max(a.Step, 1)/scale
		if len(def.Words) > 0 && slices.Contains(def.Words, Auto) && a.Min == 0 {
			entry.Words = map[string]int{Auto: 0}
		}
	} else {
		entry.Values = guessPositions(def, a.Positions)
	}
	entry.Default = defaultOf(def, entry, a)
	return entry
}

// defaultOf reads an attribute's value as delivered.
func defaultOf(def Def, entry part.BoardSetting, a Learnt) part.Value {
	probe := entry
	probe.Setting = def.Key
	if v, err := fromAttribute(probe, a.Default); err == nil {
		return v
	}
	return part.Value{}
}

// most is the largest value that a unit's settings sensibly have: an attribute that goes beyond counts in smaller units.
var most = map[string]float64{
	"W": 1500, "A": 1500, "V": 3, "mV": 1000, "MHz": 6000, "MT/s": 14000, "×": 120, "mΩ": 10, "°C": 150, "%": 200, "s": 600, "kHz": 3000,
	"steps": 100, "clocks": 100000,
}

// guessScale returns how many units of an attribute make one of the setting's, a power of ten.
func guessScale(unit string, largest float64) float64 {
	limit, known := most[unit]
	scale := 1.0
	for known && largest/scale > limit {
		scale *= 10
	}
	return scale
}

// Words that boards use for a switch.
var (
	wordsOn  = []string{"enabled", "on", "yes", "true", "enable"}
	wordsOff = []string{"disabled", "off", "no", "false", "disable"}
)

// guessPositions pairs the positions of an attribute with those of a setting.
func guessPositions(def Def, positions []string) map[string]string {
	out := map[string]string{}
	for _, p := range positions {
		low := strings.ToLower(p)
		switch {
		case def.Type == TypeSwitch && slices.Contains(wordsOn, low):
			out["true"] = p
		case def.Type == TypeSwitch && slices.Contains(wordsOff, low):
			out["false"] = p
		default:
			for _, c := range def.Choices {
				if strings.Contains(low, strings.ToLower(c)) {
					out[c] = p
				}
			}
		}
	}
	return out
}
