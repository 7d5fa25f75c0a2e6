// Package trim holds the settings of a trim: one registry that defines every setting, the sets of values
// built from it, their differences, their file format, and their spelling on each board.
package trim

import (
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
	GroupLoadLine Group = "load line"
	GroupCurve    Group = "curve"
	GroupCooling  Group = "cooling"
)

// Groups lists the groups in work order.
var Groups = []Group{GroupMemory, GroupLimits, GroupClocks, GroupLoadLine, GroupCurve, GroupCooling}

// Scope says what a setting belongs to.
type Scope string

const (
	ScopeRig      Scope = "rig"
	ScopeCore     Scope = "core"
	ScopeFanPoint Scope = "fan point"
)

// Type is the type of a setting's value.
type Type string

const (
	TypeNumber Type = "number"
	TypeSwitch Type = "switch"
	TypeChoice Type = "choice"
)

// Def defines one setting. Settings of a scope other than the rig have "*" in their key for the index:
// cores from 0, fan points from 1.
type Def struct {
	Key     string
	Group   Group
	Scope   Scope
	Type    Type
	Unit    string
	Choices []string // for TypeChoice
	Name    string   // trade name; "{n}" stands for the index
	Meaning string   // one sentence
	Signed  bool     // a value is usually negative, and its sign easily lost
	Kin     string   // settings of one group that only make sense together share a Kin
}

// Registry defines every setting, in work order.
var Registry = []Def{
	{Key: "memory.profile", Group: GroupMemory, Scope: ScopeRig, Type: TypeChoice, Choices: []string{"safe", "rated"}, Name: "Memory profile", Meaning: "Runs the kit at its rated profile instead of the safe rate every board starts with."},
	{Key: "limit.ppt", Group: GroupLimits, Scope: ScopeRig, Type: TypeNumber, Unit: "W", Name: "PPT", Meaning: "Package power that the processor may draw."},
	{Key: "limit.tdc", Group: GroupLimits, Scope: ScopeRig, Type: TypeNumber, Unit: "A", Name: "TDC", Meaning: "Current that the regulator may deliver for long."},
	{Key: "limit.edc", Group: GroupLimits, Scope: ScopeRig, Type: TypeNumber, Unit: "A", Name: "EDC", Meaning: "Current that the regulator may deliver for a moment."},
	{Key: "limit.temperatureOn", Group: GroupLimits, Scope: ScopeRig, Type: TypeSwitch, Name: "Temperature limit", Meaning: "Lowers the clock before the processor passes the temperature limit."},
	{Key: "limit.temperature", Group: GroupLimits, Scope: ScopeRig, Type: TypeNumber, Unit: "°C", Name: "Temperature limit at", Meaning: "The temperature that the hottest core may reach."},
	{Key: "clock.boostOffset", Group: GroupClocks, Scope: ScopeRig, Type: TypeNumber, Unit: "MHz", Name: "Boost ceiling offset", Meaning: "Raises or lowers the clock ceiling of every core."},
	{Key: "loadline.level", Group: GroupLoadLine, Scope: ScopeRig, Type: TypeNumber, Name: "Load-line calibration", Meaning: "How much the core voltage droops under current; a flat load line overshoots when load ends."},
	{Key: "curve.all", Group: GroupCurve, Scope: ScopeRig, Type: TypeNumber, Unit: "steps", Signed: true, Name: "Curve offset, all cores", Meaning: "Shifts the voltage/frequency curve of every core; negative is less voltage."},
	{Key: "curve.core.*", Group: GroupCurve, Scope: ScopeCore, Type: TypeNumber, Unit: "steps", Signed: true, Name: "Curve offset, core {n}", Meaning: "Shifts the curve of one core, on top of the offset for all cores."},
	{Key: "fan.point.*.temperature", Group: GroupCooling, Scope: ScopeFanPoint, Type: TypeNumber, Unit: "°C", Kin: "fan curve", Name: "Fan point {n} temperature", Meaning: "Temperature at which the fan runs at this point's duty."},
	{Key: "fan.point.*.duty", Group: GroupCooling, Scope: ScopeFanPoint, Type: TypeNumber, Unit: "%", Kin: "fan curve", Name: "Fan point {n} duty", Meaning: "Fan duty at this point's temperature; between points it runs along a straight line."},
}

// Find returns the definition of a key such as "curve.core.5", and its index (−1 without one).
func Find(key string) (Def, int, bool) {
	pattern, index := part.Pattern(key)
	for _, d := range Registry {
		if d.Key == pattern {
			d.Name = strings.ReplaceAll(d.Name, "{n}", strconv.Itoa(index))
			return d, index, true
		}
	}
	return Def{}, -1, false
}

// Keys lists the keys of every setting that a board offers for a processor, in work order.
func Keys(p *part.Processor, b *part.Board) []string {
	var keys []string
	for _, d := range Registry {
		first, count := 0, 1
		switch d.Scope {
		case ScopeCore:
			count = p.Cores()
		case ScopeFanPoint:
			first, count = 1, b.Fan.Points
		}
		for i := first; i < first+count; i++ {
			key := strings.ReplaceAll(d.Key, "*", strconv.Itoa(i))
			if _, ok := b.Lookup(key); ok {
				keys = append(keys, key)
			}
		}
	}
	return keys
}
