package standin

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"zerokeel/core/part"
	"zerokeel/core/trim"
)

// registryEntry is one attribute as the board's registry describes it.
type registryEntry struct {
	entry     part.BoardSetting
	positions []string // of an enumeration; nil for a number
	scale     float64
	off       *int // of a second menu: the value at which the first counts
}

// stands reports whether a whole number has a meaning of its own to the attribute, outside its range.
func (e registryEntry) stands(n int) bool {
	if e.off != nil && n == *e.off {
		return true
	}
	for _, word := range e.entry.Words {
		if word == n {
			return true
		}
	}
	return false
}

// bounds returns the lowest and highest value that the registry names, in which every word must lie.
func (e registryEntry) bounds() (low, high int) {
	low, high = int(math.Round(e.entry.Min*e.scale)), int(math.Round(e.entry.Max*e.scale))
	for _, n := range e.entry.Words {
		low, high = min(low, n), max(high, n)
	}
	if e.off != nil {
		low, high = min(low, *e.off), max(high, *e.off)
	}
	return low, high
}

// defaultValue returns the attribute's value as delivered.
func (e registryEntry) defaultValue() int {
	if e.off != nil {
		return *e.off
	}
	if n, ok := e.entry.Words[e.entry.Default.String()]; ok {
		return n
	}
	d, _ := e.entry.Default.Number()
	return int(math.Round(d * e.scale))
}

// registryEntries returns every attribute of the board by name.
func (r *Rig) registryEntries() map[string]registryEntry {
	board := r.cfg.Parts.Board
	out := map[string]registryEntry{}
	for _, key := range trim.Keys(r.cfg.Parts.Processor, board) {
		entry, _ := board.Lookup(key)
		e := registryEntry{entry: entry, scale: entry.Scale}
		if e.scale == 0 {
			e.scale = 1
		}
		if len(entry.Values) > 0 {
			e.positions = slices.Sorted(maps.Values(entry.Values))
		}
		out[entry.Attribute] = e
		if two := entry.Second; two != nil {
			second := e
			second.entry.Attribute, second.entry.Label, second.entry.Menu, second.entry.Default = two.Attribute, two.Label, two.Menu,
				part.Number(float64(two.Off)/e.scale)
			second.off = &two.Off
			out[two.Attribute] = second
		}
	}
	return out
}

// take checks a value sent for the attribute and returns it as stored, or the message of a refusal.
func (e registryEntry) take(name string, value any) (any, object) {
	at := "Attributes/" + name
	if e.entry.Attribute == "" {
		return nil, message("PropertyUnknown", fmt.Sprintf("The property %s is not in the list of valid properties for the resource.", name),
			"Remove the unknown property from the request body and resubmit the request.", at)
	}
	if e.positions != nil {
		word, ok := value.(string)
		if !ok || !slices.Contains(e.positions, word) {
			return nil, message("PropertyValueNotInList", fmt.Sprintf("The value %v for the property %s is not in the list of acceptable values.",
				value, name), "Choose a value from the enumeration list: "+strings.Join(e.positions, ", ")+".", at)
		}
		return word, nil
	}
	x, ok := value.(float64)
	if !ok || x != math.Trunc(x) {
		return nil, message("PropertyValueTypeError",
			fmt.Sprintf("The value %v for the property %s is not of a type that the property can accept.", value, name),
			"Correct the value for the property in the request body and resubmit the request.", at)
	}
	if e.stands(int(x)) {
		return int(x), nil
	}
	if x < e.entry.Min*e.scale-1e-6 || x > e.entry.Max*e.scale+1e-6 {
		return nil, message("PropertyValueOutOfRange",
			fmt.Sprintf("The value %v for the property %s is not in the supported range of acceptable values.", value, name),
			fmt.Sprintf("Give %g to %g.", e.entry.Min*e.scale, e.entry.Max*e.scale), at)
	}
	if !e.entry.Takes(x / e.scale) {
		return nil, message("PropertyValueIncorrect",
			fmt.Sprintf("The property %s with the requested value of %v could not be written because the value does not meet the constraints of the implementation.", name, value), fmt.Sprintf("Use steps of %g.", e.entry.Step*e.scale), at)
	}
	return int(x), nil
}

// describe returns the attribute's entry of the registry.
func (e registryEntry) describe() object {
	out := object{
		"AttributeName": e.entry.Attribute, "DisplayName": e.entry.Label, "MenuPath": "./" + strings.Join(e.entry.Menu, "/"),
		"ReadOnly": false, "ResetRequired": true,
	}
	if e.positions != nil {
		values := make([]object, len(e.positions))
		for i, p := range e.positions {
			values[i] = object{"ValueName": p, "ValueDisplayName": p}
		}
		out["Type"], out["Value"], out["DefaultValue"] = "Enumeration", values, e.entry.Values[e.entry.Default.String()]
		return out
	}
	out["Type"], out["DefaultValue"] = "Integer", e.defaultValue()
	out["LowerBound"], out["UpperBound"] = e.bounds()
	out["ScalarIncrement"] = max(1, int(math.Round(e.entry.Step*e.scale)))
	return out
}

func (r *Rig) handleRegistries(get func(string, func() object)) {
	const list = "/redfish/v1/Registries"
	file := list + "/" + registryID
	get(list, func() object {
		return collection(list, "#MessageRegistryFileCollection.MessageRegistryFileCollection", "Registries", file)
	})
	get(file, func() object {
		return object{
			"@odata.id": file, "@odata.type": "#MessageRegistryFile.v1_1_3.MessageRegistryFile", "Id": registryID, "Name": "Attribute registry file",
			"Registry": registryID, "Languages": []string{"en"}, "Location": []object{{"Language": "en", "Uri": file + "/registry.json"}},
		}
	})
	get(file+"/registry.json", func() object {
		entries := r.registryEntries()
		attributes := make([]object, 0, len(entries))
		for _, name := range slices.Sorted(maps.Keys(entries)) {
			attributes = append(attributes, entries[name].describe())
		}
		return object{
			"@odata.type": "#AttributeRegistry.v1_3_7.AttributeRegistry", "Id": registryID, "Name": "Attribute registry", "Language": "en",
			"RegistryVersion": "1.0.0", "OwningEntity": r.cfg.Parts.Board.Maker + " (simulated)",
			"RegistryEntries": object{"Attributes": attributes},
		}
	})
}
