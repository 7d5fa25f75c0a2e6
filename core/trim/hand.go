package trim

import (
	"slices"

	"zerokeel/core/part"
)

// Levels are those of load-line calibration on a board: how many there are, counted from 1, and which one it is delivered with. Zero for
// what is not known.
type Levels struct{ Count, Delivered int }

// span is a range that no firmware goes beyond by much, and a step that most take.
type span struct{ min, max, step float64 }

// spans of settings by their unit, where nothing narrower is known.
var spans = map[string]span{
	"W": {5, 500, 1}, "A": {5, 500, 1}, "V": {0.5, 2.2, 0.005}, "mV": {-300, 300, 1}, "MHz": {50, 8000, 1}, "MT/s": {1600, 12000, 100},
	"×": {1, 90, 1}, "mΩ": {0.01, 5, 0.01}, "°C": {40, 125, 1}, "%": {0, 200, 5}, "s": {0, 448, 1}, "kHz": {200, 1500, 50},
	"steps": {-60, 60, 1}, "clocks": {4, 400, 1},
}

// own are ranges that differ from those of their unit.
var own = map[string]span{
	"clock.base": {90, 112, 0.1}, "clock.reference": {90, 200, 0.1}, "clock.boostOffset": {-1000, 500, 25}, "clock.lift": {0, 10, 1},
	"clock.vectorOffset": {0, 30, 1}, "limit.endurance": {1, 10, 1}, "voltage.lightLift": {0, 200, 1}, "memory.timing.*": {1, 130000, 1},
	"fan.point.*.temperature": {0, 120, 1}, "fan.point.*.duty": {0, 100, 1}, "fan.smoothing": {0, 120, 0.1},
}

// idle are numbers that stand in settings which count for nothing as delivered.
var idle = map[string]float64{
	"memory.rate": 4800, "memory.cl": 40, "memory.rcd": 40, "memory.rp": 40, "memory.ras": 76,
	"voltage.corridor.coldC": 40, "voltage.corridor.hotC": 90, "voltage.corridor.ceilingColdC": 40, "voltage.corridor.ceilingHotC": 90,
	"voltage.corridor.floorCold": 0.5, "voltage.corridor.floorHot": 0.5, "voltage.corridor.ceilingCold": 1.5,
	"voltage.corridor.ceilingHot": 1.5, "voltage.corridor.reach": 0,
}

// usual are positions that boards are delivered with.
var usual = map[string]part.Value{
	"memory.profile": choice(ProfileSafe), "memory.powerDown": part.Switch(false), "memory.trainWarm": part.Switch(false),
	"platform.virtualisation": part.Switch(true), "limit.temperatureOn": part.Switch(true),
}

// FurtherTimings are those that nearly every board lets be set beyond the primary ones, by their trade names; a board of which no sheet
// exists is taken to have them.
var FurtherTimings = []string{"tRC", "tRFC", "tREFI", "tRRDS", "tRRDL", "tFAW", "tWR", "tRTP", "tCWL"}

// Board is what a person tells of a board of which no sheet exists.
type Board struct {
	Levels
	FanPoints int // of its fan curve; 0 where that is not known, and no curve is entered
}

// ByName lists the settings of a processor by their trade names, for a board of which no sheet exists: wide ranges, the groups of the work
// in place of menus, and as delivered what leaves the machine as it is, or "auto". Those of which nothing of that kind is known are left
// out, until the board's own sheet says it: the bands that a board has are its own.
func ByName(p *part.Processor, board Board) []part.BoardSetting {
	var out []part.BoardSetting
	for i := range Registry {
		d := &Registry[i]
		if d.Running || !d.on(p) || d.Scope == part.ScopeBand || d.Scope == part.ScopeFanPoint && board.FanPoints == 0 {
			continue
		}
		s := part.BoardSetting{Setting: d.Key, Attribute: d.Key, Label: d.Name, Menu: []string{string(d.Group)}}
		if d.Scope != part.ScopeRig {
			s.Attribute = At(d.Key, 0)
			s.Attribute = s.Attribute[:len(s.Attribute)-1] + "{n}"
		}
		if d.Type == TypeNumber && !numbered(d, &s, board.Levels) {
			continue
		}
		if d.Type != TypeNumber {
			s.Values = map[string]string{}
			if d.Type == TypeSwitch {
				s.Values = map[string]string{"true": "On", "false": "Off"}
			}
			for _, c := range d.Choices {
				s.Values[c] = c
			}
		}
		if s.Default = delivered(d, p, &s, board.Levels); s.Default.IsSet() {
			out = append(out, s)
		}
	}
	return out
}

// numbered gives a setting its range; false where none is known.
func numbered(d *Def, s *part.BoardSetting, levels Levels) bool {
	at, known := own[d.Key]
	if !known {
		at, known = spans[d.Unit]
	}
	if d.Key == "loadline.level" {
		at, known = span{1, float64(levels.Count), 1}, levels.Count > 1
	}
	s.Min, s.Max, s.Step = at.min, at.max, at.step
	for i, w := range d.Words {
		if s.Words == nil {
			s.Words = map[string]int{}
		}
		s.Words[w] = -1 - i // no number of the setting
	}
	return known
}

// delivered is what a setting stands at as delivered, as far as that can be said of any board; unset where it cannot.
func delivered(d *Def, p *part.Processor, s *part.BoardSetting, levels Levels) part.Value {
	switch {
	case d.Key == "loadline.level":
		return number(float64(levels.Delivered))
	case slices.Contains(d.Words, Auto):
		return choice(Auto)
	case d.Neutral.IsSet():
		return d.Neutral
	case usual[d.Key].IsSet():
		return usual[d.Key]
	case d.Key == "clock.base":
		return number(p.BaseClockMHz)
	}
	if x, known := idle[d.Key]; known {
		return number(x)
	}
	if len(d.Only) > 0 && d.Unit == "V" {
		return number(1.1)
	}
	return part.Value{}
}
