package trim

import (
	"maps"
	"slices"
	"strconv"
	"strings"

	"zerokeel/core/part"
)

// AsFound fills in what is delivered in settings of a sheet, from the attributes as they were found. A setting of which nothing was
// found, or that does not explain it, is left out. A range grows to what was found in it.
func AsFound(settings []part.BoardSetting, found map[string]any) []part.BoardSetting {
	var out []part.BoardSetting
	for _, s := range settings {
		pattern, _ := part.Pattern(strings.ReplaceAll(s.Setting, "*", "0"))
		if _, _, known := Find(pattern); !known || pattern != s.Setting {
			continue
		}
		s.Default, s.Defaults = part.Value{}, nil
		before, after, indexed := strings.Cut(s.Attribute, "{n}")
		for _, name := range slices.Sorted(maps.Keys(found)) {
			index := -1
			if indexed {
				n, ok := strings.CutPrefix(name, before)
				n, ok2 := strings.CutSuffix(n, after)
				var err error
				if index, err = strconv.Atoi(n); !ok || !ok2 || err != nil || index < 0 || index > mostIndex {
					continue
				}
			} else if name != s.Attribute {
				continue
			}
			v, err := fromAttribute(s, found[name])
			if err != nil {
				continue
			}
			if x, number := v.Number(); number {
				s.Min, s.Max = min(s.Min, x), max(s.Max, x)
			}
			if !s.Default.IsSet() {
				s.Default = v
			}
			if indexed {
				for len(s.Defaults) <= index {
					s.Defaults = append(s.Defaults, part.Value{})
				}
				s.Defaults[index] = v
			}
		}
		if s.Default.IsSet() {
			out = append(out, s)
		}
	}
	inWorkOrder(out, func(s part.BoardSetting) string { return s.Setting })
	return out
}

// mostIndex is the highest index that anything has.
const mostIndex = 1023
