package link

import (
	"fmt"

	"zerokeel/core/invalid"
	"zerokeel/core/part"
)

// Ask asks a rig what its running system lets be set, after setting some of it where it says so. It is answered at once, and not kept: who
// gets no answer asks again.
type Ask struct {
	ID      string         `json:"id"`
	Set     map[string]any `json:"set,omitempty"`     // whole numbers or positions, by attribute; all of it is done, or nothing
	Restore bool           `json:"restore,omitempty"` // puts everything back as it was found, instead
	Power   Power          `json:"power,omitempty"`   // is done once it is answered without a fault, instead
}

// Power is what is done to a machine as a whole.
type Power string

const (
	PowerOff Power = "off"
	Restart  Power = "restart"
)

// Answer is a rig's answer to an ask. It refuses what it names faults of, by attribute.
type Answer struct {
	ID     string       `json:"id"`
	Faults invalid.List `json:"faults,omitempty"`
	Offer  Offer        `json:"offer"` // how things stand now
}

// Offer is what a rig's running system lets be set, in the words of a board's sheet, without what is delivered; how it stands now; and how
// it was found at this start of the machine. What does not tell at the moment is left out.
type Offer struct {
	Settings []part.BoardSetting `json:"settings"`
	Now      map[string]any      `json:"now"` // by attribute
	Found    map[string]any      `json:"found"`
	Cores    []part.ToldCore     `json:"cores"` // by their numbers, those too that are switched off
}

// Bounds on what an answer may carry.
const (
	maxSettings   = 200
	maxAttributes = 8192
	maxFaults     = 100
)

func (a *Ask) validate() invalid.List {
	var f invalid.List
	checkID(&f, "id", a.ID)
	checkValues(&f, "set", a.Set)
	if a.Restore && len(a.Set) > 0 {
		f.Add("set", "set something, or restore all", "both are asked for")
	}
	switch a.Power {
	case "":
	case PowerOff, Restart:
		if a.Restore || len(a.Set) > 0 {
			f.Add("power", "ask for it alone", "something is to be set, too")
		}
	default:
		f.Add("power", fmt.Sprintf("use %s or %s", PowerOff, Restart), "%.20q is neither", a.Power)
	}
	return f
}

func (a *Answer) validate() invalid.List {
	var f invalid.List
	checkID(&f, "id", a.ID)
	checkValues(&f, "offer.now", a.Offer.Now)
	checkValues(&f, "offer.found", a.Offer.Found)
	if n := len(a.Offer.Settings); n > maxSettings {
		f.Add("offer.settings", "offer fewer settings", "%d settings, at most %d are taken", n, maxSettings)
	}
	if n := len(a.Offer.Cores); n > maxCores {
		f.Add("offer.cores", "tell of fewer cores", "%d cores, at most %d are taken", n, maxCores)
	}
	if n := len(a.Faults); n > maxFaults {
		f.Add("faults", "name the first faults", "%d faults, at most %d are taken", n, maxFaults)
	}
	return f
}

func checkValues(f *invalid.List, field string, values map[string]any) {
	if len(values) > maxAttributes {
		f.Add(field, "name fewer attributes", "%d attributes, at most %d are taken", len(values), maxAttributes)
	}
	for name, v := range values {
		if name == "" || name != plain(name, 100) {
			f.Add(field, "name attributes in 1 to 100 printable characters", "%.100q", name)
		}
		switch v := v.(type) {
		case int:
		case float64:
			if v != float64(int64(v)) {
				f.Add(field, "give whole numbers", "%.100s is %g", name, v)
			}
		case string:
			if v != plain(v, mostLabel) {
				f.Add(field, fmt.Sprintf("give positions of at most %d printable characters", mostLabel), "%.100s is %.100q", name, v)
			}
		default:
			f.Add(field, "give whole numbers or positions", "%.100s is neither", name)
		}
	}
}

func (a *Answer) tame() {
	for i := range a.Faults {
		one := &a.Faults[i]
		one.Field, one.Problem, one.Remedy = plain(one.Field, mostLabel), plain(one.Problem, mostText), plain(one.Remedy, mostText)
	}
	for i := range a.Offer.Settings {
		s := &a.Offer.Settings[i]
		s.Setting, s.Attribute, s.Label = plain(s.Setting, mostLabel), plain(s.Attribute, mostLabel), plain(s.Label, mostLabel)
		for j := range s.Menu {
			s.Menu[j] = plain(s.Menu[j], mostLabel)
		}
	}
}
