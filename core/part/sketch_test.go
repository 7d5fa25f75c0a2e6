package part_test

import (
	"math/rand/v2"
	"strings"
	"testing"

	"zerokeel/core/part"
)

// TestSketchIsWhole: whatever a machine tells of itself, down to nothing at all, the sheets that are made of it are valid, have its cores
// in their order, and say that they are sketches.
func TestSketchIsWhole(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	any := func(of ...string) string { return of[r.IntN(len(of))] }
	for range 500 {
		told := part.Told{Machine: any("Desk", "Werkbank 3", "ß", "–", strings.Repeat("Ä", 60)), MemoryMB: r.IntN(3) * r.IntN(200_000),
			Processor: any("", "Corvane S8 @ 4.20GHz", "a model with a name that is longer than any sheet's id may be, and odd ®")}
		for range 1 + r.IntN(part.MaxCores) {
			c := part.ToldCore{Threads: r.IntN(3)}
			if r.IntN(2) == 0 {
				c.MinMHz, c.MaxMHz = float64(400+r.IntN(2000)), float64(2500+r.IntN(4000))
			}
			told.Cores = append(told.Cores, c)
		}
		set, err := part.Sketch(told, nil)
		if err != nil {
			t.Fatalf("%+v: %v", told, err)
		}
		if !set.Sketched() || set.Processor.Cores() != len(told.Cores) {
			t.Fatalf("%+v became %+v", told, set.Processor)
		}
	}
	core := func(threads int, mhz float64) part.ToldCore { return part.ToldCore{Threads: threads, MaxMHz: mhz} }
	set, err := part.Sketch(part.Told{Machine: "m", Cores: []part.ToldCore{core(2, 5600), core(2, 5500), core(1, 4300), core(1, 4300)}}, nil)
	if c := set.Processor.Clusters; err != nil || len(c) != 2 || c[0].Kind != part.KindPerformance || c[0].Cores != 2 || c[1].Cores != 2 ||
		c[1].Threads != 1 || set.Processor.HighestMHz() != 5600 {
		t.Errorf("two kinds of cores: %+v, %v", c, err)
	}
}
