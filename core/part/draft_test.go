package part_test

import (
	"math/rand/v2"
	"slices"
	"testing"

	"zerokeel/core/part"
)

// TestDrafts: whatever a machine tells, the sheets that are begun with it hold together, are sketches, and contradict it in nothing once
// they count as entered.
func TestDrafts(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 1))
	for range 500 {
		told := part.Told{Machine: "Desk", Number: 3, MemoryMB: r.IntN(3) * (15_000 + r.IntN(80_000))}
		if r.IntN(2) == 0 {
			told.Processor, told.BoardModel = "Gneiss 700 8-Core Processor", "Skerry M1"
		}
		small := r.IntN(2) * r.IntN(5)
		for i := range 1 + r.IntN(16) + small {
			c := part.ToldCore{Threads: 2, MinMHz: 400, MaxMHz: 5200}
			if i < small {
				c = part.ToldCore{Threads: 1, MinMHz: 400, MaxMHz: 3900}
			}
			told.Cores = append(told.Cores, c)
		}
		slices.Reverse(told.Cores)
		for range r.IntN(3) {
			told.Modules = append(told.Modules, part.ToldModule{Part: "Cairn 6000", SizeMB: 16384, RatedMTs: 6000})
		}
		if r.IntN(2) == 0 {
			told.Limits = part.Limits{PL1W: 65, PL2W: float64(40 + r.IntN(100)), TauS: 28}
		}
		if len(told.Modules) > 0 {
			told.MemoryMB = 0
		}
		drafts, err := part.Drafts(told, nil)
		if err != nil {
			t.Fatalf("%+v: %v", told, err)
		}
		set := part.Set{Processor: drafts[0].Sheet.(*part.Processor), Board: drafts[1].Sheet.(*part.Board),
			Cooler: drafts[2].Sheet.(*part.Cooler), Memory: drafts[3].Sheet.(*part.Memory)}
		if !set.Sketched() {
			t.Fatal("a draft counts as known")
		}
		set.Processor.Source, set.Board.Source, set.Cooler.Source, set.Memory.Source = "", "", "", ""
		if found := set.Against(told); len(found) > 0 {
			t.Fatalf("%+v contradicts its own draft: %+v", told, found)
		}
		for _, d := range drafts {
			for _, path := range d.Told {
				form, _ := part.FormOf(d.Kind)
				if !slices.ContainsFunc(form.Fields, func(f part.Field) bool { return f.Path == path }) &&
					!slices.ContainsFunc(form.Tables, func(f part.Table) bool { return f.Path == path }) {
					t.Errorf("%s of a %s is told, and stands in no form", path, d.Kind)
				}
			}
		}
	}
}

// TestContradictions: what a sheet says otherwise than its machine is found, with which of them to believe; what may be so is not.
func TestContradictions(t *testing.T) {
	set, err := part.ParseSet(example(t))
	if err != nil {
		t.Fatal(err)
	}
	cores := func(n, threads int) (out []part.ToldCore) {
		for range n {
			out = append(out, part.ToldCore{Threads: threads})
		}
		return out
	}
	n := set.Processor.Cores()
	full := part.Told{Processor: set.Processor.Name.String(), Cores: cores(n, 2), MemoryMB: set.Memory.CapacityG*1024 - 900,
		BoardModel: set.Board.Model}
	for name, row := range map[string]struct {
		change func(*part.Told)
		want   []string
	}{
		"as it is":       {func(*part.Told) {}, nil},
		"nothing told":   {func(t *part.Told) { *t = part.Told{} }, nil},
		"its long name":  {func(t *part.Told) { t.Processor += " 8-Core Processor" }, nil},
		"another":        {func(t *part.Told) { t.Processor, t.Cores = "Schist 9", cores(n+2, 2) }, []string{"clusters", "model"}},
		"cores off":      {func(t *part.Told) { t.Cores = cores(n-2, 2) }, []string{"clusters"}},
		"one thread":     {func(t *part.Told) { t.Cores = cores(n, 1) }, []string{"threadsPerCore"}},
		"half the kit":   {func(t *part.Told) { t.MemoryMB /= 2 }, []string{"capacityG"}},
		"its modules":    {func(t *part.Told) { t.Modules = []part.ToldModule{{SizeMB: 1024 * set.Memory.CapacityG}} }, nil},
		"a third module": {func(t *part.Told) { t.Modules = []part.ToldModule{{SizeMB: 1536 * set.Memory.CapacityG}} }, []string{"capacityG"}},
		"another board":  {func(t *part.Told) { t.BoardModel = "Cliff 2" }, []string{"model"}},
	} {
		told := full
		row.change(&told)
		var got []string
		for _, c := range set.Against(told) {
			got = append(got, c.Path)
			if c.Believe == "" || c.Sheet == c.Machine {
				t.Errorf("%s: %+v", name, c)
			}
		}
		if !slices.Equal(got, row.want) {
			t.Errorf("%s: contradictions at %q, want %q", name, got, row.want)
		}
	}
}
