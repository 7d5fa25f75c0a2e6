package columns

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"unicode"

	"zerokeel/core/channel"
	"zerokeel/core/invalid"
)

// Target says as which channel a column counts; an empty Channel leaves it out.
type Target struct {
	Column  string `json:"column"`
	Channel string `json:"channel"`
	Label   string `json:"label"`
}

// OwnPrefix begins the keys of channels that only logs tell.
const OwnPrefix = "log."

// Known is a channel of the registry that a log may tell, and the words that make a column likely to be it.
type Known struct {
	channel.Channel
	words *regexp.Regexp
}

// Standard are the channels of a rig that a log may tell where the rig itself does not.
var Standard = []Known{
	{channel.Of(channel.WallPower, 0), regexp.MustCompile(`(?i)wall|mains|plug|socket|outlet|meter`)},
	{channel.Of(channel.Ambient, 0), regexp.MustCompile(`(?i)ambient|room|intake|outside`)},
	{channel.Of(channel.Coolant, 0), regexp.MustCompile(`(?i)coolant|water|liquid|loop`)},
}

// Source names a table's kind by its columns: tables that name the same ones come from the same source.
func (l *Layout) Source() string {
	sum := sha256.New()
	for _, c := range l.Columns {
		_, _ = fmt.Fprintf(sum, "%s\x00%s\x00", c.Name, c.Unit)
	}
	return hex.EncodeToString(sum.Sum(nil)[:10])
}

// OwnKeys returns the channel that each column would be by itself; no two are the same.
func (l *Layout) OwnKeys() []string {
	out := make([]string, len(l.Columns))
	taken := map[string]bool{}
	for i, c := range l.Columns {
		key := OwnPrefix + slug(c.Name)
		for n := 2; taken[key] || key == OwnPrefix; n++ {
			key = fmt.Sprintf("%s%s-%d", OwnPrefix, slug(c.Name), n)
		}
		out[i], taken[key] = key, true
	}
	return out
}

// Propose maps every column of numbers to a channel, in the order of the columns. told reports what the rig tells itself.
func (l *Layout) Propose(told func(key string) bool) []Target {
	out, own := make([]Target, len(l.Columns)), l.OwnKeys()
	taken := map[string]bool{}
	for i, c := range l.Columns {
		out[i] = Target{Column: c.Name, Label: c.Name}
		if !c.Numeric || i == l.TimeColumn || i == l.DateColumn {
			continue
		}
		out[i].Channel = own[i]
		unit, _ := UnitOf(c.Unit)
		for _, s := range Standard {
			if s.Quantity == unit.Quantity && s.words.MatchString(c.Name) && !taken[s.Key] && !told(s.Key) {
				out[i].Channel, out[i].Label, taken[s.Key] = s.Key, s.Label, true
				break
			}
		}
	}
	return out
}

var ownKey = regexp.MustCompile(`^log\.[\p{L}\p{N}._-]{1,60}$`)

// CheckMapping lists what is wrong with a mapping of this table's columns.
func (l *Layout) CheckMapping(list []Target) invalid.List {
	var f invalid.List
	if len(list) != len(l.Columns) {
		f.Add("columns", fmt.Sprintf("map each of the %d columns, in their order", len(l.Columns)), "%d are mapped", len(list))
		return f
	}
	taken := map[string]bool{}
	any := false
	for i, t := range list {
		at := fmt.Sprintf("columns[%d].channel", i)
		if t.Channel == "" {
			continue
		}
		any = true
		unit, _ := UnitOf(l.Columns[i].Unit)
		standard := slices.IndexFunc(Standard, func(k Known) bool { return k.Key == t.Channel })
		switch {
		case taken[t.Channel]:
			f.Add(at, "map each column to a channel of its own", "%s stands twice", t.Channel)
		case i == l.TimeColumn || i == l.DateColumn || !l.Columns[i].Numeric:
			f.Add(at, "leave it out", "%s holds no figures", l.Columns[i].Name)
		case standard >= 0 && unit.Quantity != Standard[standard].Quantity:
			f.Add(at, "map a column with a fitting unit to it", "%s needs a %s, and %s has the unit %q", t.Channel, Standard[standard].Quantity,
				l.Columns[i].Name, l.Columns[i].Unit)
		case standard < 0 && !ownKey.MatchString(t.Channel):
			f.Add(at, "give log. and a name of letters, digits, points and dashes, or one of the standard channels",
				"%.60q is no channel of a log", t.Channel)
		}
		taken[t.Channel] = true
	}
	if !any {
		f.Add("columns", "map one column at least", "every column is left out")
	}
	if l.Clock == NoClock {
		f.Add("time", "add a column with the time", "no column tells when the lines were taken")
	}
	return f
}

// slug turns a name into a part of a key.
func slug(name string) string {
	words := strings.FieldsFunc(strings.ToLower(name), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
	if r := []rune(strings.Join(words, "-")); len(r) > 50 {
		return string(r[:50])
	}
	return strings.Join(words, "-")
}
