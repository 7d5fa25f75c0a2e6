// Package preflight checks a trim before it is fitted: what the board would refuse, what a builder did not mean,
// and what is merely unwise. Each rule is a function with a stable id; Rules lists them.
package preflight

import (
	"fmt"
	"math"
	"slices"

	"zerokeel/core/part"
	"zerokeel/core/trim"
)

// Level says how serious a finding is.
type Level string

const (
	Stop    Level = "stop"    // cannot or must not be fitted
	Caution Level = "caution" // may be fitted, but is probably not meant
	Note    Level = "note"    // worth knowing
)

// Finding is one result of a check.
type Finding struct {
	Rule   string        `json:"rule"`
	Level  Level         `json:"level"`
	Fields []string      `json:"fields"` // setting keys concerned
	Reason string        `json:"reason"`
	Remedy string        `json:"remedy"`
	Fix    trim.Settings `json:"fix,omitempty"` // values that mend it, where that is clear
}

// Input is what is checked. Parent holds the settings of the trim that this one was made from; nil means the
// board's settings as delivered.
type Input struct {
	Set      *part.Set
	Settings trim.Settings
	Parent   trim.Settings
}

// Rule is one check.
type Rule struct {
	ID    string
	Check func(Input) []Finding
}

// Rules lists every rule, in the order of their findings.
var Rules = []Rule{
	{"board-range", boardRange},
	{"sign-lost", signLost},
	{"no-temperature-limit", noTemperatureLimit},
	{"beyond-spec", beyondSpec},
	{"several-groups", severalGroups},
	{"no-change", noChange},
}

// Check applies every rule; stops come first, then cautions, then notes.
func Check(in Input) []Finding {
	stock := trim.Stock(in.Set.Processor, in.Set.Board)
	if in.Parent == nil {
		in.Parent = stock
	}
	in.Settings = stock.With(in.Settings)
	var all []Finding
	for _, rule := range Rules {
		for _, f := range rule.Check(in) {
			f.Rule = rule.ID
			all = append(all, f)
		}
	}
	order := []Level{Stop, Caution, Note}
	slices.SortStableFunc(all, func(a, b Finding) int {
		return slices.Index(order, a.Level) - slices.Index(order, b.Level)
	})
	return all
}

// Worst returns the most serious level among findings, and false when there are none.
func Worst(findings []Finding) (Level, bool) {
	if len(findings) == 0 {
		return "", false
	}
	return findings[0].Level, true
}

// boardRange reports what the board does not take, and proposes what was probably meant when only the decimal
// point or the unit slipped.
func boardRange(in Input) []Finding {
	var out []Finding
	for _, f := range trim.Check(in.Set.Processor, in.Set.Board, in.Settings) {
		finding := Finding{Level: Stop, Fields: []string{f.Field}, Reason: f.Problem, Remedy: f.Remedy}
		if meant, ok := slipped(in, f.Field); ok {
			def, _, _ := trim.Find(f.Field)
			finding.Remedy += fmt.Sprintf("; did a decimal point slip, and %g %s was meant?", meant, def.Unit)
			finding.Fix = trim.Settings{f.Field: part.Number(meant)}
		}
		out = append(out, finding)
	}
	return out
}

// slipped returns what the board would take in place of x if a decimal point or a thousand slipped, the smaller
// slip first.
func slipped(in Input, key string) (float64, bool) {
	x, isNumber := in.Settings[key].Number()
	entry, ok := in.Set.Board.Lookup(key)
	if !isNumber || !ok || x == 0 || (x >= entry.Min && x <= entry.Max) {
		return 0, false
	}
	for _, factor := range []float64{0.1, 10, 0.001, 1000, 0.01, 100} {
		y := entry.Min + math.Round((x*factor-entry.Min)/entry.Step)*entry.Step
		if math.Abs(y-x*factor) <= 1e-9*math.Abs(y) && y >= entry.Min && y <= entry.Max && y != 0 {
			return y, true
		}
	}
	return 0, false
}

// signLost reports an offset above zero where offsets are usually below: more voltage, not less.
func signLost(in Input) []Finding {
	var out []Finding
	for _, key := range trim.Keys(in.Set.Processor, in.Set.Board) {
		def, _, _ := trim.Find(key)
		x, ok := in.Settings[key].Number()
		if !def.Signed || !ok || x <= 0 || x == in.Parent.Number(key, 0) {
			continue
		}
		out = append(out, Finding{
			Level: Caution, Fields: []string{key},
			Reason: fmt.Sprintf("%s is %+g %s: that raises the voltage.", def.Name, x, def.Unit),
			Remedy: fmt.Sprintf("If less voltage was meant, give \u2212%g.", x),
			Fix:    trim.Settings{key: part.Number(-x)},
		})
	}
	return out
}

// noTemperatureLimit refuses a machine without a temperature ceiling: some pass 110 °C within seconds.
func noTemperatureLimit(in Input) []Finding {
	spec := in.Set.Processor.Limits.TemperatureC
	if !in.Settings.Switch("limit.temperatureOn", true) {
		return []Finding{{
			Level: Stop, Fields: []string{"limit.temperatureOn"},
			Reason: "There is no temperature limit: the clock is not lowered before the processor trips.",
			Remedy: fmt.Sprintf("Switch the limit on; the maker allows %g °C.", spec),
			Fix:    trim.Settings{"limit.temperatureOn": part.Switch(true)},
		}}
	}
	if at := in.Settings.Number("limit.temperature", spec); at > spec {
		return []Finding{{
			Level: Caution, Fields: []string{"limit.temperature"},
			Reason: fmt.Sprintf("The temperature limit of %g °C lies above the maker's %g °C.", at, spec),
			Remedy: fmt.Sprintf("Give %g °C or less.", spec),
			Fix:    trim.Settings{"limit.temperature": part.Number(spec)},
		}}
	}
	return nil
}

// beyondSpec notes limits above the maker's, as many boards set by themselves.
func beyondSpec(in Input) []Finding {
	spec := in.Set.Processor.Limits
	var out []Finding
	for _, limit := range []struct {
		key   string
		maker float64
	}{{"limit.ppt", spec.PPTW}, {"limit.tdc", spec.TDCA}, {"limit.edc", spec.EDCA}} {
		def, _, _ := trim.Find(limit.key)
		if x := in.Settings.Number(limit.key, 0); x > limit.maker {
			out = append(out, Finding{
				Level: Note, Fields: []string{limit.key},
				Reason: fmt.Sprintf("%s of %g %s exceeds the maker's %g %s.", def.Name, x, def.Unit, limit.maker, def.Unit),
				Remedy: "Keep it only if cooler and regulator are made for it.",
				Fix:    trim.Settings{limit.key: part.Number(limit.maker)},
			})
		}
	}
	return out
}

// severalGroups warns of changes in more than one group: when it fails, nothing will have been learned.
func severalGroups(in Input) []Finding {
	var groups []trim.Group
	var fields []string
	for _, c := range trim.Diff(in.Parent, in.Settings) {
		def, _, _ := trim.Find(c.Key)
		fields = append(fields, c.Key)
		if !slices.Contains(groups, def.Group) {
			groups = append(groups, def.Group)
		}
	}
	if len(groups) < 2 {
		return nil
	}
	return []Finding{{
		Level: Caution, Fields: fields,
		Reason: fmt.Sprintf("%d groups change at once (%s): if it fails, nobody knows which one did it.", len(groups), join(groups)),
		Remedy: "Change one group, prove it, then the next.",
	}}
}

func join(groups []trim.Group) string {
	text := ""
	for i, g := range groups {
		switch {
		case i == 0:
		case i == len(groups)-1:
			text += " and "
		default:
			text += ", "
		}
		text += string(g)
	}
	return text
}

// noChange notes a trim that equals its parent.
func noChange(in Input) []Finding {
	if len(trim.Diff(in.Parent, in.Settings)) > 0 {
		return nil
	}
	return []Finding{{Level: Note, Fields: []string{}, Reason: "Nothing differs from the parent trim.", Remedy: "Change a setting, or fit the parent."}}
}
