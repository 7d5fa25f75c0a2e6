package trim

import (
	"slices"
	"strconv"
	"strings"

	"zerokeel/core/part"
)

// Line is one line of a setting card: what to enter where, in the board's own words; in the trade's, by groups, where the settings are
// those of a running system.
type Line struct {
	Key   string   `json:"key"`
	Menu  []string `json:"menu"`
	Label string   `json:"label"`
	Enter string   `json:"enter"` // as the board shows it, with its unit
	Was   string   `json:"was"`   // what stands there now, as far as is known
}

// Card lists what must be entered by hand to get from one trim to another, in the order of the board's menus. With
// full it lists everything. Settings that count for nothing under to are left out unless full is set: they cost the
// builder time and gain nothing.
func Card(set *part.Set, from, to Settings, full bool) []Line {
	stock := Stock(set.Processor, set.Board)
	from, to = stock.With(from), stock.With(to)
	lines := []Line{}
	for _, key := range Keys(set.Processor, set.Board) {
		if !full && (from[key] == to[key] || Inert(set, to, key) != "") {
			continue
		}
		entry, _ := set.Board.Lookup(key)
		def, index, _ := Find(key)
		if set.Board.OfSystem() { // whatever board it is then entered at
			entry.Menu, entry.Label = []string{string(def.Group)}, def.Name
		}
		if def.Scope == part.ScopeTiming && entry.Label == def.Name { // by its trade name
			entry.Label = set.Board.Timings[index-1]
		}
		lines = append(lines, Line{Key: key, Menu: entry.Menu, Label: entry.Label, Enter: Shown(set.Board, key, to[key]),
			Was: Shown(set.Board, key, from[key])})
		if two := entry.Second; two != nil {
			lines = append(lines, Line{Key: key + secondKey, Menu: two.Menu, Label: two.Label, Enter: "Auto", Was: ""})
		}
	}
	menus := menuOrder(set.Board)
	slices.SortStableFunc(lines, func(a, b Line) int {
		return menus[strings.Join(a.Menu, "/")] - menus[strings.Join(b.Menu, "/")]
	})
	return lines
}

// secondKey marks the line of a second menu for the same setting.
const secondKey = "#second"

// menuOrder numbers the board's menus in the order of its sheet.
func menuOrder(b *part.Board) map[string]int {
	order := map[string]int{}
	add := func(menu []string) {
		path := strings.Join(menu, "/")
		if _, known := order[path]; !known {
			order[path] = len(order)
		}
	}
	for _, s := range b.Settings {
		add(s.Menu)
	}
	for _, s := range b.Settings {
		if s.Second != nil {
			add(s.Second.Menu)
		}
	}
	return order
}

// Shown returns a value as the board's menu shows it: positions in its spelling, numbers with their unit.
func Shown(b *part.Board, key string, v part.Value) string {
	def, _, _ := Find(key)
	entry, _ := b.Lookup(key)
	if x, ok := v.Number(); ok {
		text := strconv.FormatFloat(x, 'f', places(entry), 64)
		text = def.sign(text, x)
		if def.Unit != "" && def.Unit != "×" {
			text += " " + def.Unit
		}
		return text
	}
	if word, ok := entry.Values[v.String()]; ok {
		return word
	}
	if word := v.String(); word != "" {
		return strings.ToUpper(word[:1]) + word[1:]
	}
	return ""
}

// places returns how many decimals the board's step asks for.
func places(entry part.BoardSetting) int {
	text := strconv.FormatFloat(entry.Step, 'f', -1, 64)
	if i := strings.IndexByte(text, '.'); i >= 0 {
		return len(text) - i - 1
	}
	return 0
}

// Unfit is a setting that another rig does not take as it is.
type Unfit struct {
	Key  string     `json:"key"`
	Want part.Value `json:"want"`
	Why  string     `json:"why"`
}

// Transfer carries a trim to other parts: what both boards offer and the other one takes is kept, everything else is
// listed. Only what differs from the first board's delivery is carried; the rest of the result is as the other board
// is delivered.
func Transfer(from, to *part.Set, settings Settings) (Settings, []Unfit) {
	out := Stock(to.Processor, to.Board)
	unfit := []Unfit{}
	for _, c := range Diff(Stock(from.Processor, from.Board), settings) {
		if !c.To.IsSet() {
			continue
		}
		one := Settings{c.Key: c.To}
		if faults := Check(to.Processor, to.Board, one); len(faults) > 0 {
			unfit = append(unfit, Unfit{c.Key, c.To, faults[0].Problem + "; " + faults[0].Remedy})
			continue
		}
		out[c.Key] = c.To
	}
	for _, c := range Diff(Stock(to.Processor, to.Board), out) {
		if to.Processor.Locks(c.Key) {
			unfit = append(unfit, Unfit{c.Key, c.To, to.Processor.Name.String() + " is locked and ignores it"})
			entry, _ := to.Board.Lookup(c.Key)
			out[c.Key] = entry.Default
		}
	}
	return out, unfit
}
