package trim

import (
	"fmt"
	"math"
	"strings"

	"zerokeel/core/part"
)

// Contrast is what two trims differ by in one setting, or in one rail's voltage, as it is read.
type Contrast struct {
	Key, Name string
	From, To  string // with units
	Counts    bool   // it counts for something under one of the two at least
}

// Contrasts lists what two trims differ by on some parts, in work order, with what is not set counting as delivered. How a rail
// gets its voltage is one thing: a value that was entered for a mode that is not in force is none. volts holds the core voltage
// that was measured at load under each, NaN where it was not.
func Contrasts(set *part.Set, from, to Settings, volts [2]float64) []Contrast {
	stock := Stock(set.Processor, set.Board)
	whole := [2]Settings{stock.With(from), stock.With(to)}
	out := []Contrast{}
	for _, c := range Diff(whole[0], whole[1]) {
		rail, end := railOf(c.Key)
		inert := [2]bool{}
		for i, s := range whole {
			inert[i] = Inert(set, s, c.Key) != ""
		}
		def, _, _ := Find(c.Key)
		switch {
		case rail != "" && end != "mode" && whole[0][rail+".mode"] != whole[1][rail+".mode"]:
			// The mode's line tells of the value that is in force.
		case rail != "" && (end == "mode" || !inert[0]):
			mode, _, _ := Find(rail + ".mode")
			row := Contrast{Key: c.Key, Name: mode.Name, Counts: true}
			known := volts
			if rail != "voltage.core" {
				known = [2]float64{math.NaN(), math.NaN()}
			}
			row.From, row.To = supply(whole[0], rail, known[0]), supply(whole[1], rail, known[1])
			out = append(out, row)
		default:
			row := Contrast{Key: c.Key, Name: def.Name, From: sayInForce(def, c.From, inert[0] && !inert[1]),
				To: sayInForce(def, c.To, inert[1] && !inert[0]), Counts: !inert[0] || !inert[1]}
			out = append(out, row)
		}
	}
	return out
}

// railOf splits the key of how a rail gets its voltage: "voltage.core.fixed" gives "voltage.core" and "fixed". Of other keys,
// offsets among them, the rail is "".
func railOf(key string) (rail, end string) {
	if !strings.HasPrefix(key, "voltage.") {
		return "", ""
	}
	at := strings.LastIndexByte(key, '.')
	switch end = key[at+1:]; end {
	case "mode", "target", "fixed":
		return key[:at], end
	}
	return "", ""
}

// supply tells how a rail gets its voltage, with what was measured at load where the curve gives it.
func supply(s Settings, rail string, volts float64) string {
	mode := s[rail+".mode"].String()
	switch mode {
	case Fixed:
		return "fixed " + Say(rail+".fixed", s[rail+".fixed"])
	case Adaptive:
		mode += " to " + Say(rail+".target", s[rail+".target"])
	}
	if !math.IsNaN(volts) {
		mode += fmt.Sprintf(", %.3f V at load", volts)
	}
	return mode
}

// sayInForce writes a value, and says where it counts for nothing though the other trim's does.
func sayInForce(def Def, v part.Value, inert bool) string {
	text := "–"
	if v.IsSet() {
		text = def.Say(v)
	}
	if inert {
		text += " (without effect)"
	}
	return text
}
