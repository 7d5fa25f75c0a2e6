package trim

import (
	"regexp"
	"slices"
	"strings"

	"zerokeel/core/part"
)

// Learnt is an attribute of a board's registry, with the setting that it probably is.
type Learnt struct {
	Attribute string   `json:"attribute"`
	Label     string   `json:"label"`
	Menu      []string `json:"menu"`
	Type      string   `json:"type"`
	Min       float64  `json:"min"`
	Max       float64  `json:"max"`
	Step      float64  `json:"step"`
	Positions []string `json:"positions"`
	Default   any      `json:"default"` // as delivered, in the attribute's own units
	Setting   string   `json:"setting"` // "" for none
	Score     float64  `json:"score"`   // 0 to 1
}

// synonyms are words that boards use for the words of the registry's names.
var synonyms = map[string]string{
	"cpu": "core", "vcore": "core", "multiplier": "ratio", "x": "ratio", "speed": "clock", "clk": "clock", "frequency": "clock",
	"volt": "voltage", "volts": "voltage",
	"vdd": "voltage", "shift": "offset", "dram": "memory", "mem": "memory", "ddr": "memory", "profile": "profile", "preset": "profile",
	"temp": "temperature", "thermal": "temperature",
	"guard": "limit", "cap": "limit", "package": "ppt", "sustained": "tdc", "peak": "edc", "long": "pl1", "steady": "pl1",
	"short": "pl2", "brief": "pl2", "window": "tau", "duration": "", "own": "beyond", "headroom": "capability",
	"static": "fixed", "hold": "fixed", "line": "loadline", "llc": "loadline", "load": "loadline", "calibration": "loadline", "bus": "base",
	"bclk": "base", "sleep": "states",
	"threads": "smt", "thread": "smt", "twin": "smt", "two": "smt", "uncore": "soc", "cooling": "fan",
	"awake": "active", "cores": "core", "with": "", "mts": "rate", "tcl": "cl", "trcd": "rcd", "trp": "rp", "tras": "ras",
}

// words splits a label or an attribute's name into lower-case words: at spaces, and where capitals or digits begin.
func words(text string) []string {
	var out []string
	var b strings.Builder
	flush := func() {
		if b.Len() > 0 {
			w := strings.ToLower(b.String())
			if s, ok := synonyms[w]; ok {
				w = s
			}
			if w != "" {
				out = append(out, w)
			}
			b.Reset()
		}
	}
	last := rune(0)
	for _, r := range text {
		upper, digit := r >= 'A' && r <= 'Z', r >= '0' && r <= '9'
		letter := upper || (r >= 'a' && r <= 'z')
		switch {
		case !letter:
			flush()
		case upper && last >= 'a' && last <= 'z':
			flush()
		}
		if letter && !digit {
			b.WriteRune(r)
		}
		last = r
	}
	flush()
	return out
}

// enough is the likeness (0 to 1) from which on a match is proposed: about half of the words.
const enough = 0.45

// Propose fills in, for each attribute of a board's registry, the setting that it probably is: the one whose key and
// name share most words with the attribute's name, label and menu, among those of its type. A numbered attribute is
// proposed for the indexed settings only. Each setting without an index is proposed once, for the likeliest attribute.
func Propose(attributes []Learnt) {
	type claim struct {
		place int
		score float64
	}
	best := map[string]claim{}
	for i := range attributes {
		a := &attributes[i]
		a.Setting, a.Score = "", 0
		have := append(words(a.Attribute), words(a.Label)...)
		menu := words(strings.Join(a.Menu, " "))
		if countOfCores.MatchString(a.Label) {
			have = append(have, "active")
		}
		number, numbered := indexIn(a.Attribute)
		for _, def := range Registry {
			if def.Recorded || def.Running || numbered != (def.Scope != part.ScopeRig) || !sameType(def, a) {
				continue
			}
			score := likeness(def, have, menu)
			key := def.Key
			if numbered {
				key = At(def.Key, number)
			}
			if score >= enough && score > a.Score && score > best[key].score {
				a.Setting, a.Score = key, score
			}
		}
		if a.Setting == "" {
			continue
		}
		if before, taken := best[a.Setting]; taken {
			attributes[before.place].Setting, attributes[before.place].Score = "", 0
		}
		best[a.Setting] = claim{i, a.Score}
	}
}

// countOfCores matches labels that speak of a number of cores, not of one core: "4-Core Ratio".
var countOfCores = regexp.MustCompile(`^\d+[- ][Cc]ores?\b`)

func sameType(def Def, a *Learnt) bool {
	switch def.Type {
	case TypeNumber:
		return a.Type == "Integer"
	case TypeSwitch:
		return a.Type == "Boolean" || (a.Type == "Enumeration" && len(a.Positions) >= 2 && len(a.Positions) <= 2+len(def.Choices))
	}
	return a.Type == "Enumeration"
}

// likeness is the share of the setting's own words that the attribute has, held against its surplus words; a menu helps
// with the group.
func likeness(def Def, have, menu []string) float64 {
	want := words(strings.NewReplacer("*", " ", ".", " ").Replace(def.Key))
	for _, w := range words(strings.ReplaceAll(def.Name, "{n}", "")) {
		if !slices.Contains(want, w) {
			want = append(want, w)
		}
	}
	shared := 0.0
	for _, w := range want {
		switch {
		case slices.Contains(have, w):
			shared++
		case slices.Contains(menu, w):
			shared += 0.5
		}
	}
	surplus := 0.0
	for i, w := range have {
		if !slices.Contains(want, w) && !slices.Contains(have[:i], w) {
			surplus++
		}
	}
	return shared / (float64(len(want)) + 0.5*surplus)
}

// indexIn finds the number within an attribute's name, such as 5 in "CurveShiftCore5".
func indexIn(name string) (int, bool) {
	for i := 0; i < len(name); i++ {
		if name[i] < '0' || name[i] > '9' {
			continue
		}
		j := i
		for j < len(name) && name[j] >= '0' && name[j] <= '9' {
			j++
		}
		// A number followed by a unit is none: "10uV", "10k".
		if rest := name[j:]; rest != "" && rest[0] >= 'a' && rest[0] <= 'z' {
			i = j
			continue
		}
		n := 0
		for _, c := range name[i:j] {
			n = 10*n + int(c-'0')
		}
		return n, n < 1000
	}
	return 0, false
}
