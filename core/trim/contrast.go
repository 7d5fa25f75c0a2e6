package trim

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zerokeel/core/part"
)

// Contrast is what configurations differ by in one setting, or in one rail's voltage, as it is read.
type Contrast struct {
	Key, Name string
	Values    []string // of each configuration, with units
	Counts    bool     // it counts for something under one of them at least
}

// Configured is one of several configurations that are told apart: its settings on its parts, and the core voltage that was measured
// at load under it, NaN where it was not.
type Configured struct {
	Set      *part.Set
	Settings Settings
	Volts    float64
}

// missing stands for a setting that a configuration's parts do not have.
const missing = "–"

// Contrasts lists what two or more configurations differ by, in work order, with what is not set counting as delivered. How a rail
// gets its voltage is one thing: a value that was entered for a mode that is not in force is none.
func Contrasts(of ...Configured) []Contrast {
	whole := make([]Settings, len(of))
	var differing []string
	for i, c := range of {
		whole[i] = Stock(c.Set.Processor, c.Set.Board).With(c.Settings)
		for _, change := range Diff(whole[0], whole[i]) {
			if !slices.Contains(differing, change.Key) {
				differing = append(differing, change.Key)
			}
		}
	}
	inWorkOrder(differing, func(key string) string { return key })
	out := []Contrast{}
	for _, key := range differing {
		rail, end := railOf(key)
		counts := make([]bool, len(of))
		mixed := false // of the rail's modes
		for i, c := range of {
			counts[i] = whole[i][key].IsSet() && Inert(c.Set, whole[i], key) == ""
			mixed = mixed || whole[i][rail+".mode"] != whole[0][rail+".mode"]
		}
		def, _, _ := Find(key)
		row := Contrast{Key: key, Name: def.Name, Counts: slices.Contains(counts, true)}
		switch {
		case rail != "" && end != "mode" && mixed:
			continue // the mode's line tells of the value that is in force
		case rail != "" && (end == "mode" || row.Counts):
			mode, _, _ := Find(rail + ".mode")
			row.Name, row.Counts = mode.Name, true
			for i, c := range of {
				volts := math.NaN()
				if rail == "voltage.core" {
					volts = c.Volts
				}
				row.Values = append(row.Values, supply(whole[i], rail, volts))
			}
		default:
			for i := range of {
				row.Values = append(row.Values, sayInForce(def, whole[i][key], row.Counts && !counts[i]))
			}
		}
		out = append(out, row)
	}
	return out
}

// railOf splits the key of how a rail gets its voltage: "voltage.core.fixed" gives "voltage.core" and "fixed". Of other keys,
// offsets among them, the rail is "".
func railOf(key string) (rail, end string) {
	if !strings.HasPrefix(key, "voltage.") {
		return "", ""
	}
	at := strings.LastIndexByte(key, '.')
	switch end = key[at+1:]; end {
	case "mode", "target", "fixed":
		return key[:at], end
	}
	return "", ""
}

// supply tells how a rail gets its voltage, with what was measured at load where the curve gives it.
func supply(s Settings, rail string, volts float64) string {
	if !s[rail+".mode"].IsSet() {
		return missing
	}
	mode := s[rail+".mode"].String()
	switch mode {
	case Fixed:
		return "fixed " + Say(rail+".fixed", s[rail+".fixed"])
	case Adaptive:
		mode += " to " + Say(rail+".target", s[rail+".target"])
	}
	if !math.IsNaN(volts) {
		mode += fmt.Sprintf(", %.3f V at load", volts)
	}
	return mode
}

// sayInForce writes a value, and says where it counts for nothing though another configuration's does.
func sayInForce(def Def, v part.Value, inert bool) string {
	switch {
	case !v.IsSet():
		return missing
	case inert:
		return def.Say(v) + " (without effect)"
	}
	return def.Say(v)
}

// fewest is how many settings of one kind are folded into a line: fewer are read as they are.
const fewest = 3

// Folded gathers the contrasts of one kind, such as the curve offsets of several cores, into one: "−20 −22 −18 steps", or the one value
// that all of them have.
func Folded(list []Contrast) []Contrast {
	out := []Contrast{}
	for from := 0; from < len(list); {
		pattern, index := part.Pattern(list[from].Key)
		to, numbers := from+1, []int{index}
		for ; index >= 0 && to < len(list) && list[to].Counts == list[from].Counts; to++ {
			next, i := part.Pattern(list[to].Key)
			if next != pattern {
				break
			}
			numbers = append(numbers, i)
		}
		if def, known := byKey[pattern]; known && len(numbers) >= fewest {
			out = append(out, fold(&Registry[def], list[from:to], numbers))
		} else {
			out = append(out, list[from:to]...)
		}
		from = to
	}
	return out
}

// fold gathers contrasts of one kind, by their numbers.
func fold(def *Def, list []Contrast, numbers []int) Contrast {
	several := fmt.Sprintf("%d to %d", numbers[0], numbers[len(numbers)-1])
	if numbers[len(numbers)-1]-numbers[0] >= len(numbers) {
		several = strings.Trim(strings.ReplaceAll(fmt.Sprint(numbers), " ", ", "), "[]")
	}
	name := strings.ReplaceAll(strings.ReplaceAll(def.Name, "core {n}", "cores {n}"), "{n}", several)
	out := Contrast{Key: def.Key, Name: name, Counts: list[0].Counts}
	for i := range list[0].Values {
		values := make([]string, len(list))
		for k := range list {
			values[k] = list[k].Values[i]
		}
		if len(slices.Compact(slices.Clone(values))) == 1 {
			out.Values = append(out.Values, values[0])
			continue
		}
		for k := range values[:len(values)-1] {
			values[k] = strings.TrimSuffix(values[k], " "+def.Unit)
		}
		out.Values = append(out.Values, strings.Join(values, " "))
	}
	return out
}
