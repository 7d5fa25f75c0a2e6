package sounding

import (
	"fmt"
	"slices"

	"zerokeel/core/part"
	"zerokeel/core/trim"
)

// What is what a survey looks for.
type What string

// What there is to look for.
const (
	Depths     What = ""            // of every core: curve offsets, the offset of a rail, or a fixed voltage; see AxisOf
	ACLine     What = "ac line"     // the AC load line: how much more voltage is asked for by current
	Bands      What = "bands"       // curve bands below the highest clock: what cores get while many work
	MemoryRate What = "memory rate" // of the kit, whose timings keep their times
	Timings    What = "timings"     // of the kit, at the rate that is set
	Ring       What = "ring"        // its clock
	Fabric     What = "fabric"      // its clock
)

// Whats lists what there is to look for, in the order of the work.
func Whats() []What { return []What{MemoryRate, Timings, Fabric, ACLine, Depths, Bands, Ring} }

// Valid reports whether there is such a thing to look for.
func (w What) Valid() bool { return slices.Contains(Whats(), w) }

// Name says what is looked for, in the words of the trade.
func (w What) Name() string {
	switch w {
	case Depths:
		return "depth of each core"
	case ACLine:
		return "AC load line"
	case Bands:
		return "curve bands below the highest clock"
	case MemoryRate:
		return "memory rate"
	case Timings:
		return "memory timings"
	case Ring:
		return "ring ratio"
	}
	return "fabric clock"
}

// AxisFor returns what is looked for on some parts beside given settings. The error is a *None.
func AxisFor(what What, set *part.Set, settings trim.Settings) (*Axis, error) {
	a := &Axis{What: what, Cores: on(set, settings)}
	switch what {
	case Depths:
		return AxisOf(set, settings)
	case ACLine:
		return a.acLine(set, settings)
	case Bands:
		return a.bands(set, settings)
	case MemoryRate:
		return a.memoryRate(set, settings)
	case Timings:
		return a.timings(set, settings)
	case Ring:
		return a.ring(set, settings)
	case Fabric:
		return a.fabric(set, settings)
	}
	return nil, &None{fmt.Sprintf("there is no %.40q to look for", what)}
}

// counts reports whether a board offers a setting, and it does something beside others.
func counts(set *part.Set, settings trim.Settings, key string) bool {
	return trim.Offers(set.Processor, set.Board, key) && trim.Inert(set, settings, key) == ""
}
