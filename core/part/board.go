package part

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"zerokeel/core/invalid"
)

// Board is the sheet of a board: what it calls each setting, where it keeps it, what it takes, and what
// its voltage regulator does.
type Board struct {
	Name
	Settings  []BoardSetting        `json:"settings"`
	LoadLine  []LoadLine            `json:"loadLine"` // one row per LLC level
	Bands     *Bands                `json:"bands,omitempty"`
	Timings   []string              `json:"timings,omitempty"`   // names of the further memory timings, numbered from 1
	ACMOhm    float64               `json:"acMOhm,omitempty"`    // AC load line that "auto" means
	DCMOhm    float64               `json:"dcMOhm,omitempty"`    // DC load line that "auto" means; 0: as the output really droops
	Automatic *Limits               `json:"automatic,omitempty"` // limits that the board sets by itself where it goes beyond the maker's
	Quirks    []Quirk               `json:"quirks,omitempty"`
	Sensors   map[string]SensorName `json:"sensors,omitempty"` // by the channel that the operating system's name of a sensor makes
	VRM       VRM                   `json:"vrm"`
	Fan       FanHeader             `json:"fan"`
	RestW     float64               `json:"restW"`  // everything on the supply beside processor and VRM, at the wall's direct-current side
	Supply    float64               `json:"supply"` // efficiency of the supply, 0 to 1
}

// BoardSetting maps a setting to the board. In Setting, Attribute and Label, "*" and "{n}" stand for the
// index of a core or fan-curve point.
type BoardSetting struct {
	Setting   string            `json:"setting"`
	Attribute string            `json:"attribute"`
	Label     string            `json:"label"`
	Menu      []string          `json:"menu"`
	Min       float64           `json:"min,omitempty"`
	Max       float64           `json:"max,omitempty"`
	Step      float64           `json:"step,omitempty"`
	Among     []float64         `json:"among,omitempty"`    // the values it takes, rising, where they have no common step
	Scale     float64           `json:"scale,omitempty"`    // attribute units per unit of the setting; 0 means 1
	Values    map[string]string `json:"values,omitempty"`   // the board's spelling of each switch position or choice
	Words     map[string]int    `json:"words,omitempty"`    // attribute values that stand for a word, such as "auto" or "unlimited"
	Second    *SecondMenu       `json:"second,omitempty"`   // the same thing in another menu
	Lost      bool              `json:"lost,omitempty"`     // falls back to the default when the supply is switched off
	Round     float64           `json:"round,omitempty"`    // the board takes any step, but rounds to this
	Default   Value             `json:"default"`            // as delivered
	Defaults  []Value           `json:"defaults,omitempty"` // as delivered, by index, where they differ
}

// SecondMenu is another attribute for the same setting, which wins over the first unless it stands at Off.
type SecondMenu struct {
	Attribute string   `json:"attribute"`
	Label     string   `json:"label"`
	Menu      []string `json:"menu"`
	Off       int      `json:"off"` // attribute value at which the first menu counts
}

// Right returns what to multiply the readings of a channel with: 1 unless the board is known to show it wrongly.
func (b *Board) Right(channel string) float64 {
	for _, q := range b.Quirks {
		if q.Channel == channel && q.Scale > 0 {
			return q.Scale
		}
	}
	return 1
}

// Bands tells at which clocks and temperatures a board's curve bands are set; between them it blends in straight
// lines.
type Bands struct {
	MHz   []float64 `json:"mhz"`
	ColdC float64   `json:"coldC"`
	HotC  float64   `json:"hotC"`
}

// Quirk is something that a builder should know of a board. Where a channel reads wrongly, Scale is what to multiply
// its readings with.
type Quirk struct {
	Text    string  `json:"text"`
	Channel string  `json:"channel,omitempty"`
	Scale   float64 `json:"scale,omitempty"`
}

// LoadLine is one LLC level: the slope of the output voltage, and the impedance that a sudden step of
// current sees, which grows as the slope gets flatter.
type LoadLine struct {
	Level    int     `json:"level"`
	MilliOhm float64 `json:"mOhm"`
	StepMOhm float64 `json:"stepMOhm"`
}

// VRM is the voltage regulator: its losses are IdleW + OhmicMOhm·I², and it warms by KPerW.
type VRM struct {
	IdleW     float64 `json:"idleW"`
	OhmicMOhm float64 `json:"ohmicMOhm"`
	KPerW     float64 `json:"kPerW"`
	MaxA      float64 `json:"maxA,omitempty"` // current at which it switches off, at a capability of 100 %; 0 if unknown
	KHz       float64 `json:"kHz,omitempty"`  // switching frequency as delivered; 0 means 400
}

// SwitchingKHz returns KHz, the usual frequency where it is left out.
func (v *VRM) SwitchingKHz() float64 {
	if v.KHz == 0 {
		return 400
	}
	return v.KHz
}

// FanHeader tells how the board drives the fan from its curve.
type FanHeader struct {
	Points     int     `json:"points"`     // points of the fan curve
	SmoothingS float64 `json:"smoothingS"` // time constant of the controlling temperature, as delivered
}

// Count returns how many indices a setting's key may have on a board and a processor, and the first of them.
func (b *Board) Count(scope Scope, p *Processor) (first, count int) {
	switch scope {
	case ScopeCore:
		return 0, p.Cores()
	case ScopeCluster:
		return 0, len(p.Clusters)
	case ScopeActive:
		return 1, p.Cores()
	case ScopeFanPoint:
		return 1, b.Fan.Points
	case ScopeTiming:
		return 1, len(b.Timings)
	case ScopeBand:
		if b.Bands == nil {
			return 1, 0
		}
		return 1, len(b.Bands.MHz)
	}
	return 0, 1
}

// Scope says what a setting belongs to. All but ScopeRig have an index in their keys.
type Scope string

const (
	ScopeRig      Scope = "rig"
	ScopeCore     Scope = "core"
	ScopeCluster  Scope = "cluster"
	ScopeActive   Scope = "active cores"
	ScopeFanPoint Scope = "fan point"
	ScopeTiming   Scope = "memory timing"
	ScopeBand     Scope = "frequency band"
)

// Lookup returns the board's entry for a setting such as "curve.core.5", with the index filled in.
func (b *Board) Lookup(setting string) (BoardSetting, bool) {
	pattern, index := Pattern(setting)
	at := b.place(pattern)
	if at < 0 {
		return BoardSetting{}, false
	}
	s := b.Settings[at]
	if index >= 0 {
		s = s.at(index)
	}
	s.Setting = setting
	return s, true
}

// Entry returns the board's entry for a pattern such as "curve.core.*", as it stands; nil for none.
func (b *Board) Entry(pattern string) *BoardSetting {
	if at := b.place(pattern); at >= 0 {
		return &b.Settings[at]
	}
	return nil
}

// place returns where a pattern's entry stands, -1 for nowhere.
func (b *Board) place(pattern string) int {
	for i := range b.Settings { // entries are large: none is copied that is not wanted
		if b.Settings[i].Setting == pattern {
			return i
		}
	}
	return -1
}

func (s BoardSetting) at(index int) BoardSetting {
	n := strconv.Itoa(index)
	s.Attribute = strings.ReplaceAll(s.Attribute, "{n}", n)
	s.Label = strings.ReplaceAll(s.Label, "{n}", n)
	if s.Second != nil {
		two := *s.Second
		two.Attribute, two.Label = strings.ReplaceAll(two.Attribute, "{n}", n), strings.ReplaceAll(two.Label, "{n}", n)
		s.Second = &two
	}
	s.Default = s.DefaultAt(index)
	s.Defaults = nil
	return s
}

// DefaultAt returns the value as delivered at an index; that of all for -1.
func (s *BoardSetting) DefaultAt(index int) Value {
	if index >= 0 && index < len(s.Defaults) && s.Defaults[index].IsSet() {
		return s.Defaults[index]
	}
	return s.Default
}

// Nearest returns the value that the board takes which is closest to x, written with no more digits than the step asks for.
func (s *BoardSetting) Nearest(x float64) float64 {
	x = min(s.Max, max(s.Min, x))
	if len(s.Among) > 0 {
		return slices.MinFunc(s.Among, func(a, b float64) int { return cmp.Compare(math.Abs(a-x), math.Abs(b-x)) })
	}
	if s.Step <= 0 {
		return x
	}
	steps := math.Round((x - s.Min) / s.Step)
	for steps > 0 && s.Min+steps*s.Step > s.Max+1e-9 {
		steps--
	}
	const digits = 1e6 // no step is finer
	return math.Round((s.Min+steps*s.Step)*digits) / digits
}

// Takes reports whether a number is one that the board takes.
func (s *BoardSetting) Takes(x float64) bool {
	return math.Abs(s.Nearest(x)-x) <= 1e-6*math.Max(s.Step, 1e-3)
}

// Steps lists the values that a setting can be set to, in rising order; none where the board does not offer it.
func (b *Board) Steps(setting string) []float64 {
	entry, ok := b.Lookup(setting)
	if !ok || entry.Step <= 0 {
		return nil
	}
	if len(entry.Among) > 0 {
		return slices.Clone(entry.Among)
	}
	var values []float64
	for x := entry.Min; x <= entry.Max+1e-9; x += entry.Step {
		values = append(values, x)
	}
	return values
}

// Pattern splits a setting's key into its pattern and index: "curve.core.5" is "curve.core.*" and 5. The
// index is -1 where there is none.
func Pattern(setting string) (string, int) {
	for from := 0; from < len(setting); {
		to := from
		for to < len(setting) && setting[to] != '.' {
			to++
		}
		if n, ok := index(setting[from:to]); ok {
			return setting[:from] + "*" + setting[to:], n
		}
		from = to + 1
	}
	return setting, -1
}

// index reads a number without sign or leading zeros.
func index(field string) (int, bool) {
	if field == "" || len(field) > 6 || (field[0] == '0' && len(field) > 1) {
		return 0, false
	}
	n := 0
	for i := range len(field) {
		if field[i] < '0' || field[i] > '9' {
			return 0, false
		}
		n = 10*n + int(field[i]-'0')
	}
	return n, true
}

// Level returns the load line at an LLC level.
func (b *Board) Level(level int) (LoadLine, bool) {
	for _, l := range b.LoadLine {
		if l.Level == level {
			return l, true
		}
	}
	return LoadLine{}, false
}

// FlattestFirst reports whether a higher LLC level means more droop on this board.
func (b *Board) FlattestFirst() bool {
	first, last := b.LoadLine[0], b.LoadLine[len(b.LoadLine)-1]
	return (last.MilliOhm > first.MilliOhm) == (last.Level > first.Level)
}

// Validate lists every fault of the sheet.
func (b *Board) Validate() invalid.List {
	var f invalid.List
	b.validate(&f)
	b.validateSettings(&f)
	b.validateSensors(&f)
	if len(b.LoadLine) == 0 {
		f.Add("loadLine", "give at least the level that is set as delivered", "the list is empty")
	}
	levels := map[int]bool{}
	for i, l := range b.LoadLine {
		at := fmt.Sprintf("loadLine[%d]", i)
		if levels[l.Level] {
			f.Add(at+".level", "give each level once", "level %d stands twice", l.Level)
		}
		levels[l.Level] = true
		if !(l.MilliOhm >= 0 && l.MilliOhm <= 5) {
			f.Add(at+".mOhm", "give 0 to 5 mΩ", "%g mΩ is out of range", l.MilliOhm)
		}
		if !(l.StepMOhm >= 0 && l.StepMOhm <= 5) {
			f.Add(at+".stepMOhm", "give 0 to 5 mΩ", "%g mΩ is out of range", l.StepMOhm)
		}
	}
	within(&f, b, boardFigures, "")
	if n := b.Bands; n != nil {
		if len(n.MHz) < 2 || len(n.MHz) > 12 || !slices.IsSorted(n.MHz) {
			f.Add("bands.mhz", "give 2 to 12 rising clocks", "%v", n.MHz)
		}
		if !(n.ColdC < n.HotC) {
			f.Add("bands.hotC", "give a temperature above coldC", "%g °C is not above %g °C", n.HotC, n.ColdC)
		}
	}
	if len(b.Timings) > 40 {
		f.Add("timings", "give at most 40", "%d timings", len(b.Timings))
	}
	return f
}

func (b *Board) validateSettings(f *invalid.List) {
	seen, attributes := map[string]bool{}, map[string]bool{}
	for i, s := range b.Settings {
		at := fmt.Sprintf("settings[%d]", i)
		if s.Setting == "" || seen[s.Setting] {
			f.Add(at+".setting", "name each setting once", "%q is empty or stands twice", s.Setting)
		}
		seen[s.Setting] = true
		if s.Attribute == "" || attributes[s.Attribute] {
			f.Add(at+".attribute", "name each attribute once", "%q is empty or stands twice", s.Attribute)
		}
		attributes[s.Attribute] = true
		if strings.Contains(s.Setting, "*") != strings.Contains(s.Attribute, "{n}") {
			f.Add(at+".attribute", "use {n} where the setting has an index, and only there", "%q does not fit %q", s.Attribute, s.Setting)
		}
		if two := s.Second; two != nil {
			if two.Attribute == "" || attributes[two.Attribute] {
				f.Add(at+".second.attribute", "name each attribute once", "%q is empty or stands twice", two.Attribute)
			}
			attributes[two.Attribute] = true
		}
		if s.Label == "" {
			f.Add(at+".label", "give the words on the board's screen", "the label is missing")
		}
		if !s.Default.IsSet() {
			f.Add(at+".default", "give the value as delivered", "the default is missing")
		}
		if word, ok := s.Default.Choice(); ok && len(s.Values) == 0 {
			if _, spelt := s.Words[word]; !spelt {
				f.Add(at+".words", "give the attribute value that stands for it", "no value stands for the default %q", word)
			}
			if s.Step != 0 && !(s.Min < s.Max && s.Step > 0) {
				f.Add(at, "give min < max and step > 0", "range %g to %g, step %g", s.Min, s.Max, s.Step)
			}
			continue
		}
		d, isNumber := s.Default.Number()
		if isNumber && !(s.Min <= d && d <= s.Max && s.Min < s.Max && s.Step > 0) {
			f.Add(at, "give min < max, step > 0 and a default between them", "range %g to %g, step %g, default %g", s.Min, s.Max, s.Step, d)
		}
		if n := len(s.Among); n > 0 && (!slices.IsSorted(s.Among) || s.Among[0] != s.Min || s.Among[n-1] != s.Max) {
			f.Add(at+".among", "list the values in rising order, from min to max", "%v", s.Among)
		}
		if s.Default.IsSet() && !isNumber && s.Values[s.Default.String()] == "" {
			f.Add(at+".values", "give the board's spelling of every position", "no spelling of the default %q", s.Default)
		}
	}
}
