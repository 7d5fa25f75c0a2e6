package trim_test

import (
	"slices"
	"strings"
	"testing"

	"zerokeel/core/part"
	"zerokeel/core/part/parttest"
	"zerokeel/core/trim"
)

// TestCardIsInTheBoardsOrder: the card lists each change once, menu by menu as the board has them, and the second menu
// of a setting that has one; the full card lists everything.
func TestCardIsInTheBoardsOrder(t *testing.T) {
	for _, rig := range parttest.Rigs {
		set := parttest.Rig(t, rig)
		stock := trim.Stock(set.Processor, set.Board)
		full := trim.Card(set, nil, nil, true)
		if want := len(trim.Keys(set.Processor, set.Board)); len(full) < want {
			t.Errorf("%s: the full card has %d lines for %d settings", rig, len(full), want)
		}
		seen, left := map[string]bool{}, map[string]bool{}
		last := ""
		for _, l := range full {
			menu := strings.Join(l.Menu, "/")
			if menu != last {
				if left[menu] {
					t.Errorf("%s: menu %s is visited twice", rig, menu)
				}
				left[last], last = true, menu
			}
			if seen[l.Key] || l.Label == "" || l.Enter == "" || strings.Contains(l.Label, "{n}") {
				t.Errorf("%s: line %+v", rig, l)
			}
			seen[l.Key] = true
		}
		if nothing := trim.Card(set, stock, stock, false); len(nothing) != 0 {
			t.Errorf("%s: %d lines although nothing changes", rig, len(nothing))
		}
	}
}

// TestCardSpeaksAsTheBoardDoes: numbers with their unit and the decimals of the board's step, positions and words in the
// board's spelling, and no line for what would count for nothing.
func TestCardSpeaksAsTheBoardDoes(t *testing.T) {
	skua := parttest.Rig(t, "skua")
	to := trim.Settings{
		"limit.beyondSpec": part.Switch(false), "limit.pl2": part.Choice(trim.Unlimited), "loadline.ac": part.Number(0.3),
		"voltage.core.offset": part.Number(-45),
		"voltage.core.fixed":  part.Number(1.3), "clock.active.2": part.Number(56), "memory.profile": part.Choice(trim.ProfileRated),
		"clock.base": part.Number(100.5),
	}
	got := map[string]string{}
	for _, l := range trim.Card(skua, nil, to, false) {
		got[l.Key] = l.Enter
	}
	want := map[string]string{
		"limit.beyondSpec": "Disabled", "limit.pl2": "Unlimited", "loadline.ac": "0.30 mΩ", "voltage.core.offset": "\u221245 mV",
		"voltage.core.offset#second": "Auto",
		"clock.active.2":             "56", "memory.profile": "Preset 1", "clock.base": "100.50 MHz",
	}
	for key, text := range want {
		if got[key] != text {
			t.Errorf("%s: got %q, want %q", key, got[key], text)
		}
	}
	if text, there := got["voltage.core.fixed"]; there {
		t.Errorf("a fixed voltage of %s is to be entered although the voltage is dynamic", text)
	}
	if len(got) != len(want) {
		t.Errorf("got %v", got)
	}
}

// TestTransferKeepsWhatFits carries trims between all rigs: what arrives is taken by the other board, what does not is
// named with a reason, and nothing is lost without a word.
func TestTransferKeepsWhatFits(t *testing.T) {
	settings := map[string]trim.Settings{
		"petrel": {"curve.all": part.Number(-20), "curve.core.7": part.Number(-4), "limit.ppt": part.Number(120),
			"clock.boostOffset": part.Number(-100)},
		"gannet": {"curve.cluster.1": part.Number(-12), "curve.band.2.hot": part.Number(5), "voltage.ceiling": part.Number(1.2)},
		"skua": {"limit.pl1": part.Number(110), "clock.ratio.e": part.Number(36), "voltage.core.offset": part.Number(-60),
			"loadline.level": part.Number(3)},
		"tern":   {"limit.pl1": part.Number(55), "voltage.core.offset": part.Number(-75), "platform.smt": part.Switch(false)},
		"dunlin": {"clock.reference": part.Number(102), "fan.point.2.duty": part.Number(55)},
	}
	for from, change := range settings {
		a := parttest.Rig(t, from)
		whole := trim.Stock(a.Processor, a.Board).With(change)
		for _, to := range parttest.Rigs {
			b := parttest.Rig(t, to)
			got, unfit := trim.Transfer(a, b, whole)
			if faults := trim.Check(b.Processor, b.Board, got); len(faults) > 0 {
				t.Errorf("%s to %s: %v", from, to, faults)
			}
			for key, v := range change {
				named := slices.ContainsFunc(unfit, func(u trim.Unfit) bool { return u.Key == key && u.Why != "" })
				if arrived := got[key] == v; arrived == named {
					t.Errorf("%s to %s: %s arrived %v, named %v", from, to, key, arrived, named)
				}
				if from == to && named {
					t.Errorf("%s to itself: %s does not fit", from, key)
				}
			}
		}
	}
}

// TestSheetFromRegistry turns attributes into a sheet: one entry for the cores, scales and positions guessed, defaults
// listed where they differ, words where zero stands outside the range's sense.
func TestSheetFromRegistry(t *testing.T) {
	list := []trim.Learnt{
		{Attribute: "PwrmW", Label: "Power", Type: "Integer", Min: 30000, Max: 400000, Step: 1000, Default: 142000.0, Setting: "limit.ppt"},
		{Attribute: "Guard", Label: "Guard", Type: "Enumeration", Positions: []string{"Disabled", "Enabled"}, Default: "Enabled",
			Setting: "limit.temperatureOn"},
		{Attribute: "Shift0", Label: "Shift 0", Type: "Integer", Min: -30, Max: 30, Step: 1, Default: 0.0, Setting: "curve.core.0"},
		{Attribute: "Shift1", Label: "Shift 1", Type: "Integer", Min: -30, Max: 30, Step: 1, Default: -2.0, Setting: "curve.core.1"},
		{Attribute: "Fabric", Label: "Fabric", Type: "Integer", Min: 0, Max: 2400, Step: 50, Default: 0.0, Setting: "memory.fabric"},
		{Attribute: "Pump", Label: "Pump", Type: "Enumeration", Positions: []string{"Quiet", "Full Speed", "Odd"}, Default: "Full Speed",
			Setting: "pump.mode"},
		{Attribute: "Other", Label: "Other", Type: "Integer", Setting: ""},
		{Attribute: "Strange", Label: "Strange", Type: "Integer", Setting: "no.such"},
	}
	sheet := trim.SheetFrom(list)
	var keys []string
	by := map[string]part.BoardSetting{}
	for _, s := range sheet {
		keys = append(keys, s.Setting)
		by[s.Setting] = s
	}
	if want := []string{"memory.fabric", "limit.ppt", "limit.temperatureOn", "curve.core.*", "pump.mode"}; !slices.Equal(keys, want) {
		t.Fatalf("got %q, want %q", keys, want)
	}
	if p := by["limit.ppt"]; p.Scale != 1000 || p.Min != 30 || p.Max != 400 || p.Step != 1 || p.Default != part.Number(142) {
		t.Errorf("PPT: %+v", p)
	}
	if c := by["curve.core.*"]; c.Attribute != "Shift{n}" || c.Label != "Shift {n}" || len(c.Defaults) != 2 ||
		c.Defaults[1] != part.Number(-2) {
		t.Errorf("curve: %+v", c)
	}
	if g := by["limit.temperatureOn"]; g.Values["true"] != "Enabled" || g.Values["false"] != "Disabled" || g.Default != part.Switch(true) {
		t.Errorf("guard: %+v", g)
	}
	if f := by["memory.fabric"]; f.Words[trim.Auto] != 0 || f.Default != part.Choice(trim.Auto) {
		t.Errorf("fabric: %+v", f)
	}
	if p := by["pump.mode"]; p.Values["quiet"] != "Quiet" || p.Values["full"] != "Full Speed" || len(p.Values) != 2 {
		t.Errorf("pump: %+v", p)
	}
}

// FuzzPropose: whatever a board calls its attributes, each setting without an index is proposed at most once, and only
// settings that exist.
func FuzzPropose(f *testing.F) {
	f.Add("CurveShiftCore5", "Curve Shift Core 5", "Workshop/Curve", "Integer")
	f.Add("", "\x00", "//", "Enumeration")
	f.Add("X99999999999999999999", "4-Core Ratio", "a", "Integer")
	f.Fuzz(func(t *testing.T, name, label, menu, kind string) {
		list := []trim.Learnt{{Attribute: name, Label: label, Menu: strings.Split(menu, "/"), Type: kind},
			{Attribute: name + "B", Label: label, Type: kind, Positions: []string{"On", "Off"}}}
		trim.Propose(list)
		for _, a := range list {
			if _, _, ok := trim.Find(a.Setting); a.Setting != "" && !ok {
				t.Errorf("%q is proposed for %q", a.Setting, name)
			}
		}
		if list[0].Setting != "" && list[0].Setting == list[1].Setting {
			t.Errorf("%s is proposed twice", list[0].Setting)
		}
		trim.SheetFrom(list)
	})
}
