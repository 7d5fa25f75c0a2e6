package trim

import (
	"encoding/json"
	"fmt"
	"math"

	"zerokeel/core/part"
)

// ToAttribute returns the board's attribute name and value (a string or an int) for a setting. The value
// must have passed Check.
func ToAttribute(b *part.Board, key string, v part.Value) (string, any, error) {
	entry, ok := b.Lookup(key)
	if !ok {
		return "", nil, fmt.Errorf("%s: board %s has no such setting", key, b.Name)
	}
	if x, ok := v.Number(); ok {
		return entry.Attribute, int(math.Round(x * scaleOf(entry))), nil
	}
	word, ok := entry.Values[v.String()]
	if !ok {
		return "", nil, fmt.Errorf("%s: board %s has no position for %q", key, b.Name, v)
	}
	return entry.Attribute, word, nil
}

// FromAttribute reads back the value of a setting from the board's attribute value, as decoded from JSON.
func FromAttribute(b *part.Board, key string, raw any) (part.Value, error) {
	entry, ok := b.Lookup(key)
	if !ok {
		return part.Value{}, fmt.Errorf("%s: board %s has no such setting", key, b.Name)
	}
	def, _, _ := Find(key)
	switch raw := raw.(type) {
	case float64:
		if def.Type == TypeNumber {
			return part.Number(raw / scaleOf(entry)), nil
		}
	case json.Number:
		x, err := raw.Float64()
		if err == nil && def.Type == TypeNumber {
			return part.Number(x / scaleOf(entry)), nil
		}
	case int:
		return FromAttribute(b, key, float64(raw))
	case string:
		for position, word := range entry.Values {
			if word != raw {
				continue
			}
			if def.Type == TypeSwitch {
				return part.Switch(position == "true"), nil
			}
			return part.Choice(position), nil
		}
	}
	return part.Value{}, fmt.Errorf("%s: attribute %s holds %v, which the board sheet does not explain", key, entry.Attribute, raw)
}

func scaleOf(entry part.BoardSetting) float64 {
	if entry.Scale == 0 {
		return 1
	}
	return entry.Scale
}
