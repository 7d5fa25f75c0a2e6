package trim_test

import (
	"testing"

	"zerokeel/core/part"
	"zerokeel/core/preflight"
	"zerokeel/core/trim"
)

// TestByName: of whatever processor, the settings by their trade names make a board's sheet that takes its own delivery, and on which the
// groups that builders work in are all there; preflight has nothing to stop in it, and tells a slip without any sheet.
func TestByName(t *testing.T) {
	for _, style := range []part.Style{part.StyleCeiling, part.StyleWindow} {
		for cores := range 24 {
			told := part.Told{Machine: "Desk", Style: style}
			for i := range cores + 1 {
				told.Cores = append(told.Cores, part.ToldCore{Threads: 1 + boolInt(i < 8)})
			}
			set, err := part.Sketch(told, nil)
			if err != nil {
				t.Fatal(err)
			}
			set.Board.LoadLine = part.FlatLevels(8)
			points := 4 * (cores % 2)
			set.Board.Timings, set.Board.Fan.Points = trim.FurtherTimings, max(2, points)
			set.Board.Settings = trim.ByName(set.Processor,
				trim.Board{Levels: trim.Levels{Count: 8, Delivered: 3}, FanPoints: points})
			if err := set.Validate(); err != nil {
				t.Fatalf("%s, %d cores: %v", style, cores+1, err)
			}
			stock := trim.Stock(set.Processor, set.Board)
			if f := trim.Check(set.Processor, set.Board, stock); len(f) > 0 {
				t.Fatalf("it does not take its own delivery: %v", f)
			}
			groups := map[trim.Group]int{}
			for key := range stock {
				def, _, _ := trim.Find(key)
				groups[def.Group]++
			}
			for _, g := range trim.Groups {
				if groups[g] == 0 {
					t.Errorf("%s: nothing in %s", style, g)
				}
			}
			keys := []string{"limit.temperature", "memory.voltage", "memory.timing.1", "memory.timing.9", "fan.smoothing"}
			if points > 0 {
				keys = append(keys, "fan.point.4.temperature", "fan.point.1.duty")
			}
			for _, key := range keys {
				if stock.Word(key) != trim.Auto {
					t.Errorf("%s as delivered is %v", key, stock[key])
				}
				if f := trim.Check(set.Processor, set.Board, trim.Settings{key: part.Number(85)}); (len(f) > 0) != (key == "memory.voltage") {
					t.Errorf("%s takes 85: %v", key, f)
				}
			}
			for _, row := range []struct {
				change trim.Settings
				rule   string
			}{{nil, ""}, {trim.Settings{"curve.core.0": part.Number(20)}, "sign-lost"},
				{trim.Settings{"voltage.core.offset": part.Number(900)}, "board-range"}} {
				found := preflight.Check(preflight.Input{Set: set, Settings: stock.With(row.change), Parent: stock})
				told := row.rule == ""
				for _, f := range found {
					if f.Level == preflight.Stop && row.rule == "" {
						t.Errorf("%s: its delivery is stopped: %+v", style, f)
					}
					told = told || f.Rule == row.rule
				}
				if !told {
					t.Errorf("%s: %v is not told of: %+v", style, row.change, found)
				}
			}
		}
	}
}

func boolInt(is bool) int {
	if is {
		return 1
	}
	return 0
}
