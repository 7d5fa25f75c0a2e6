package part

import (
	"fmt"
	"strconv"
	"strings"

	"zerokeel/core/fault"
)

// Board is the sheet of a board: what it calls each setting, where it keeps it, what it takes, and what
// its voltage regulator does.
type Board struct {
	Name
	Settings []BoardSetting `json:"settings"`
	LoadLine []LoadLine     `json:"loadLine"` // one row per LLC level
	VRM      VRM            `json:"vrm"`
	Fan      FanHeader      `json:"fan"`
	RestW    float64        `json:"restW"`  // everything on the supply beside processor and VRM, at the wall's direct-current side
	Supply   float64        `json:"supply"` // efficiency of the supply, 0 to 1
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
	Scale     float64           `json:"scale,omitempty"`    // attribute units per unit of the setting; 0 means 1
	Values    map[string]string `json:"values,omitempty"`   // the board's spelling of each switch position or choice
	Default   Value             `json:"default"`            // as delivered
	Defaults  []Value           `json:"defaults,omitempty"` // as delivered, by index, where they differ
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
}

// FanHeader tells how the board drives the fan from its curve.
type FanHeader struct {
	Points     int     `json:"points"`     // points of the fan curve
	SmoothingS float64 `json:"smoothingS"` // time constant of the controlling temperature
}

// Lookup returns the board's entry for a setting such as "curve.core.5", with the index filled in.
func (b *Board) Lookup(setting string) (BoardSetting, bool) {
	pattern, index := Pattern(setting)
	for _, s := range b.Settings {
		if s.Setting != pattern {
			continue
		}
		if index >= 0 {
			s = s.at(index)
		}
		s.Setting = setting
		return s, true
	}
	return BoardSetting{}, false
}

func (s BoardSetting) at(index int) BoardSetting {
	n := strconv.Itoa(index)
	s.Attribute = strings.ReplaceAll(s.Attribute, "{n}", n)
	s.Label = strings.ReplaceAll(s.Label, "{n}", n)
	if index < len(s.Defaults) && s.Defaults[index].IsSet() {
		s.Default = s.Defaults[index]
	}
	s.Defaults = nil
	return s
}

// Pattern splits a setting's key into its pattern and index: "curve.core.5" is "curve.core.*" and 5. The
// index is -1 where there is none.
func Pattern(setting string) (string, int) {
	fields := strings.Split(setting, ".")
	for i, field := range fields {
		n, err := strconv.Atoi(field)
		if err != nil || n < 0 || strconv.Itoa(n) != field {
			continue
		}
		fields[i] = "*"
		return strings.Join(fields, "."), n
	}
	return setting, -1
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
func (b *Board) Validate() fault.List {
	var f fault.List
	b.validate(&f)
	b.validateSettings(&f)
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
	if b.Fan.Points < 2 || b.Fan.Points > 16 {
		f.Add("fan.points", "give 2 to 16", "%d points", b.Fan.Points)
	}
	if !(b.Fan.SmoothingS >= 0 && b.Fan.SmoothingS <= 120) {
		f.Add("fan.smoothingS", "give 0 to 120 s", "%g s is out of range", b.Fan.SmoothingS)
	}
	if !(b.VRM.IdleW >= 0 && b.VRM.OhmicMOhm >= 0 && b.VRM.KPerW >= 0) {
		f.Add("vrm", "give idleW, ohmicMOhm and kPerW of zero or more", "a value is negative")
	}
	if !(b.RestW >= 0 && b.RestW <= 1000) {
		f.Add("restW", "give 0 to 1,000 W", "%g W is out of range", b.RestW)
	}
	if !(b.Supply > 0.3 && b.Supply <= 1) {
		f.Add("supply", "give the efficiency as a share, such as 0.9", "%g is out of range", b.Supply)
	}
	return f
}

func (b *Board) validateSettings(f *fault.List) {
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
		if s.Label == "" {
			f.Add(at+".label", "give the words on the board's screen", "the label is missing")
		}
		if !s.Default.IsSet() {
			f.Add(at+".default", "give the value as delivered", "the default is missing")
		}
		d, isNumber := s.Default.Number()
		if isNumber && !(s.Min <= d && d <= s.Max && s.Min < s.Max && s.Step > 0) {
			f.Add(at, "give min < max, step > 0 and a default between them", "range %g to %g, step %g, default %g", s.Min, s.Max, s.Step, d)
		}
		if s.Default.IsSet() && !isNumber && s.Values[s.Default.String()] == "" {
			f.Add(at+".values", "give the board's spelling of every position", "no spelling of the default %q", s.Default)
		}
	}
}
