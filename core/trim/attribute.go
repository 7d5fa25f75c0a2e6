package trim

import (
	"encoding/json"
	"fmt"
	"math"
	"slices"

	"zerokeel/core/part"
)

// ToAttributes returns the board's attributes and values (strings or ints) for a setting: one, or two where the board
// has a second menu for the same thing, which is then told to stay out of it. The value must have passed Check.
func ToAttributes(b *part.Board, key string, v part.Value) (map[string]any, error) {
	entry, ok := b.Lookup(key)
	if !ok {
		return nil, fmt.Errorf("%s: board %s has no such setting", key, b.Name)
	}
	raw, err := toAttribute(b, entry, v)
	if err != nil {
		return nil, err
	}
	out := map[string]any{entry.Attribute: raw}
	if two := entry.Second; two != nil {
		out[two.Attribute] = two.Off
	}
	return out, nil
}

func toAttribute(b *part.Board, entry part.BoardSetting, v part.Value) (any, error) {
	if x, ok := v.Number(); ok {
		return int(math.Round(x * scaleOf(entry))), nil
	}
	if n, ok := entry.Words[v.String()]; ok {
		return n, nil
	}
	if word, ok := entry.Values[v.String()]; ok {
		return word, nil
	}
	return nil, fmt.Errorf("%s: board %s has no position for %q", entry.Setting, b.Name, v)
}

// FromAttributes reads the value of a setting from the board's attributes, as decoded from JSON. Where the board has
// a second menu for it that is not off, that one counts.
func FromAttributes(b *part.Board, key string, attributes map[string]any) (part.Value, error) {
	entry, ok := b.Lookup(key)
	if !ok {
		return part.Value{}, fmt.Errorf("%s: board %s has no such setting", key, b.Name)
	}
	raw, ok := attributes[entry.Attribute]
	if !ok {
		return part.Value{}, fmt.Errorf("%s: the board does not tell attribute %s", key, entry.Attribute)
	}
	if two := entry.Second; two != nil {
		if x, isNumber := asNumber(attributes[two.Attribute]); isNumber && x != float64(two.Off) {
			raw = x
		}
	}
	return fromAttribute(entry, raw)
}

func fromAttribute(entry part.BoardSetting, raw any) (part.Value, error) {
	def, _, _ := Find(entry.Setting)
	if x, ok := asNumber(raw); ok {
		for word, n := range entry.Words {
			if x == float64(n) {
				return part.Choice(word), nil
			}
		}
		if def.Type == TypeNumber {
			return part.Number(x / scaleOf(entry)), nil
		}
	}
	if raw, ok := raw.(string); ok {
		for position, word := range entry.Values {
			if word != raw {
				continue
			}
			if def.Type == TypeSwitch && !slices.Contains(def.Choices, position) {
				return part.Switch(position == "true"), nil
			}
			return part.Choice(position), nil
		}
	}
	return part.Value{}, fmt.Errorf("%s: attribute %s holds %v, which the board sheet does not explain", entry.Setting, entry.Attribute, raw)
}

func asNumber(raw any) (float64, bool) {
	switch raw := raw.(type) {
	case float64:
		return raw, true
	case int:
		return float64(raw), true
	case json.Number:
		x, err := raw.Float64()
		return x, err == nil
	}
	return 0, false
}

func scaleOf(entry part.BoardSetting) float64 {
	if entry.Scale == 0 {
		return 1
	}
	return entry.Scale
}
