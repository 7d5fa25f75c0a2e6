// Package trim holds the settings of a trim: one registry that defines every setting, the sets of values
// built from it, their differences, their file format, and their spelling on each board.
//
// A setting is added by one entry in the file of its group (memory.go, limits.go, …), its effect in package
// machine, and the boards' sheets that offer it. Nothing else names single settings but the preflight rules
// that are about them.
package trim

import (
	"slices"
	"strconv"
	"strings"

	"zerokeel/core/part"
)

// Group is a step of the work; settings of different groups are not changed together.
type Group string

// The groups, in the order in which they are worked through.
const (
	GroupMemory   Group = "memory"
	GroupLimits   Group = "limits"
	GroupClocks   Group = "clocks"
	GroupVoltage  Group = "voltage"
	GroupLoadLine Group = "load line"
	GroupCurve    Group = "curve"
	GroupCooling  Group = "cooling"
	GroupPlatform Group = "platform"
)

// Groups lists the groups in work order.
var Groups = []Group{GroupMemory, GroupLimits, GroupClocks, GroupVoltage, GroupLoadLine, GroupCurve, GroupCooling, GroupPlatform}

// Type is the type of a setting's value.
type Type string

const (
	TypeNumber Type = "number"
	TypeSwitch Type = "switch"
	TypeChoice Type = "choice"
	TypeText   Type = "text" // recorded only
)

// Words that stand in place of a number.
const (
	Auto      = "auto"      // the board or the processor chooses
	Unlimited = "unlimited" // there is no limit
)

// When is a condition on another setting.
type When struct {
	Key string
	Is  part.Value
}

// Def defines one setting. Settings of a scope other than the rig have "*" in their key for the index: cores and
// clusters count from 0, everything else from 1.
type Def struct {
	Key     string
	Group   Group
	Scope   part.Scope
	Type    Type
	Unit    string
	Choices []string // for TypeChoice; for TypeSwitch what some boards have between off and on
	Words   []string // for TypeNumber: Auto or Unlimited, where they may stand in place of the number
	Name    string   // trade name; "{n}" stands for the index
	Meaning string   // one sentence
	Signed  bool     // a value is usually negative, and its sign easily lost
	Kin     string   // settings of one group that only make sense together share a Kin

	Neutral  part.Value                                // the value that leaves the machine as it is; unset where there is none
	Spec     func(p *part.Processor, i int) part.Value // the maker's value; nil where there is none
	Parts    func(p *part.Processor) bool              // the processors that have it; nil for all
	Only     []When                                    // it counts only while all of these hold
	Unless   []When                                    // it counts for nothing while any of these holds
	NoEffect string                                    // why the models give it no effect; empty where they do
	Recorded bool                                      // noted with the trim, not brought to the board
	Running  bool                                      // a running system has it, and no firmware
}

// Registry defines every setting, in work order.
var Registry = slices.Concat(memoryDefs, limitDefs, clockDefs, voltageDefs, loadLineDefs, curveDefs, coolingDefs, platformDefs, runningDefs)

// byKey finds a definition, and its place in the registry, by its key's pattern.
var byKey = func() map[string]int {
	m := make(map[string]int, len(Registry))
	for i, d := range Registry {
		m[d.Key] = i
	}
	return m
}()

// Find returns the definition of a key such as "curve.core.5", and its index (−1 without one).
func Find(key string) (Def, int, bool) {
	pattern, index := part.Pattern(key)
	i, ok := byKey[pattern]
	if !ok {
		return Def{}, -1, false
	}
	d := Registry[i]
	if index >= 0 {
		d.Name = strings.ReplaceAll(d.Name, "{n}", strconv.Itoa(index))
	}
	return d, index, true
}

// At returns a key with its index filled in: "curve.core.*" and 5 give "curve.core.5".
func At(pattern string, index int) string {
	return strings.Replace(pattern, "*", strconv.Itoa(index), 1)
}

// Keys lists the keys of every setting that a board offers for a processor, in work order.
func Keys(p *part.Processor, b *part.Board) []string {
	var keys []string
	offered(p, b, func(key string, _ int, _ *part.BoardSetting) { keys = append(keys, key) })
	return keys
}

// offered goes through every setting that a board offers for a processor, in work order, with its index, -1 for none, and the
// board's entry for its pattern.
func offered(p *part.Processor, b *part.Board, do func(key string, index int, entry *part.BoardSetting)) {
	for i := range Registry {
		d := &Registry[i]
		if !d.on(p) {
			continue
		}
		entry := b.Entry(d.Key)
		if entry == nil {
			continue
		}
		if d.Scope == part.ScopeRig {
			do(d.Key, -1, entry)
			continue
		}
		first, count := b.Count(d.Scope, p)
		for i := first; i < first+count; i++ {
			do(At(d.Key, i), i, entry)
		}
	}
}

// on reports whether a processor has a setting, and a board could bring it into force.
func (d *Def) on(p *part.Processor) bool { return !d.Recorded && (d.Parts == nil || d.Parts(p)) }

// within reports whether an index is one of those that a board and a processor have; -1 is, of a setting without one.
func (d *Def) within(p *part.Processor, b *part.Board, index int) bool {
	if d.Scope == part.ScopeRig {
		return true
	}
	first, count := b.Count(d.Scope, p)
	return index >= first && index < first+count
}

// Offers reports whether a board offers a setting for a processor.
func Offers(p *part.Processor, b *part.Board, key string) bool {
	pattern, index := part.Pattern(key)
	at, known := byKey[pattern]
	return known && Registry[at].on(p) && Registry[at].within(p, b, index) && b.Entry(pattern) != nil
}

// Inert tells why a setting counts for nothing under the given settings on these parts, "" if it counts. Settings that
// are not named count as delivered.
func Inert(set *part.Set, settings Settings, key string) string {
	def, _, ok := Find(key)
	if !ok {
		return ""
	}
	if set.Processor.Locks(key) {
		return set.Processor.Name.String() + " is locked and ignores it"
	}
	value := func(key string) part.Value {
		if v, ok := settings[key]; ok {
			return v
		}
		entry, _ := set.Board.Lookup(key)
		return entry.Default
	}
	for _, w := range def.Only {
		if v := value(w.Key); v != w.Is {
			other, _, _ := Find(w.Key)
			return "it counts only while " + other.Name + " is " + sayPosition(w.Is)
		}
	}
	for _, w := range def.Unless {
		if value(w.Key) == w.Is {
			other, _, _ := Find(w.Key)
			return "it counts for nothing while " + other.Name + " is " + sayPosition(w.Is)
		}
	}
	return ""
}

func sayPosition(v part.Value) string {
	if on, ok := v.Switch(); ok {
		return map[bool]string{true: "on", false: "off"}[on]
	}
	return v.String()
}

func number(x float64) part.Value { return part.Number(x) }

func choice(word string) part.Value { return part.Choice(word) }

func hasStyle(style part.Style) func(*part.Processor) bool {
	return func(p *part.Processor) bool { return p.Style == style }
}

func spec(of func(p *part.Processor) float64) func(*part.Processor, int) part.Value {
	return func(p *part.Processor, _ int) part.Value { return part.Number(of(p)) }
}

func specIs(v part.Value) func(*part.Processor, int) part.Value {
	return func(*part.Processor, int) part.Value { return v }
}
