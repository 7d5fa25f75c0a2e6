package part

import (
	"cmp"
	"fmt"
	"strings"
	"unicode/utf8"

	"zerokeel/core/load"
)

// Told is what a machine tells of itself. What it does not tell is zero.
type Told struct {
	Machine   string // how it is called here
	Number    int64  // by which it is told from others that are called alike
	Board     string // how its board is called, where its settings are entered there; else they are those of its running system
	Style     Style  // of its limits; window where it is not told
	Processor string
	Cores     []ToldCore // in the order of their numbers
	MemoryMB  int

	BoardModel string // as its firmware tells it
	Modules    []ToldModule
	Limits     Limits // as its running system tells them
}

// ToldCore is what a machine tells of a core.
type ToldCore struct {
	Threads int     `json:"threads"`
	MinMHz  float64 `json:"minMHz,omitempty"`
	MaxMHz  float64 `json:"maxMHz,omitempty"`
}

// smallCore is which share of the highest clock a core of fewer threads, or of the same, has at most that counts as an efficiency core.
const smallCore = 0.85

// Sketch makes the sheets of a machine from what it, or a builder, tells of it, and what can be set. All but that are placeholders.
func Sketch(t Told, settings []BoardSetting) (*Set, error) {
	name := func(id, model string) Name { return Name{ID: id, Model: cut(model), Source: Sketched} }
	model := cmp.Or(strings.TrimSpace(t.Processor), "Processor of "+t.Machine)
	own := fmt.Sprintf("%s-%d", slug(t.Machine), t.Number)
	const unknownMHz = 3000
	least, most := float64(unknownMHz), 0.0
	for _, c := range t.Cores {
		if c.MinMHz > 0 {
			least = min(least, c.MinMHz)
		}
		if c.MaxMHz > 0 {
			least, most = min(least, c.MaxMHz), max(most, c.MaxMHz)
		}
	}
	most = cmp.Or(most, unknownMHz)
	p := &Processor{Name: name("", model), Style: cmp.Or(t.Style, StyleWindow), ThreadsPerCore: 1,
		BaseClockMHz: 100, RatioStep: 1, MinRatio: min(40, max(1, least/100)), BaseMHz: min(most, 8000), CurveStepV: 0.005,
		Limits:      Limits{PPTW: 142, TDCA: 95, EDCA: 140, PL1W: 125, PL2W: 180, TauS: 28, ICCMaxA: 200, TemperatureC: 95},
		VoltageMaxV: 1.45, TransientMaxV: 1.55,
		VF:   []VFPoint{{800, 0.7}, {3000, 0.95}, {5000, 1.25}},
		Heat: DieHeat{DieKPerW: 0.1, DieJPerK: 5, BaseJPerK: 100}, Work: Work{PerMHz: 1},
		Power: CorePower{SwitchedNF: 1, LeakA: 0.5, LeakV0: 1, LeakT0C: 60, Activity: map[load.Kind]float64{}}}
	for _, kind := range load.Classes {
		p.Power.Activity[kind] = 1
	}
	for i, c := range t.Cores {
		p.ThreadsPerCore = max(p.ThreadsPerCore, min(2, c.Threads))
		small := c.MaxMHz > 0 && c.MaxMHz < smallCore*most || c.Threads > 0 && c.Threads < t.Cores[0].Threads
		kind := KindPerformance
		if small {
			kind = KindEfficiency
		}
		last := len(p.Clusters) - 1
		if i == 0 || p.Clusters[last].Kind != kind {
			p.Clusters = append(p.Clusters, Cluster{Name: fmt.Sprintf("cluster %d", last+2), Kind: kind, Threads: min(2, c.Threads)})
			last++
		}
		p.Clusters[last].Cores++
		if c.MaxMHz > 0 {
			p.Clusters[last].Boost = []Boost{{MHz: min(mostPointMHz, max(c.MaxMHz, highestOf(p.Clusters[last].Boost)))}}
		}
	}
	for i := range p.Clusters {
		if own := p.Clusters[i].Boost; len(p.Clusters) == 1 {
			p.Clusters[i].Boost = nil // the processor's says the same
		} else if len(own) > 0 {
			own[0].Cores = p.Clusters[i].Cores
		}
	}
	kind := slug(model)
	if t.Processor == "" { // one that nobody has named is no other's kin
		kind = fmt.Sprintf("unnamed-%d", t.Number)
	}
	p.ID = fmt.Sprintf("%s-%dc", kind, len(t.Cores))
	if small := p.count(KindEfficiency); small > 0 {
		p.ID += fmt.Sprintf("-%de", small)
	}
	if p.Style != StyleWindow {
		p.ID += "-" + string(p.Style)
	}
	p.Boost = []Boost{{Cores: p.Cores(), MHz: most}}
	board := name("system-of-"+own, "Running system of "+t.Machine)
	board.Source = Running
	if t.Board != "" {
		board = name("board-"+slug(t.Board), t.Board)
	}
	points := 2
	for i := range settings {
		if settings[i].Setting == "fan.point.*.duty" {
			points = max(points, len(settings[i].Defaults))
		}
	}
	set := &Set{Processor: p,
		Board: &Board{Name: board, Settings: settings, LoadLine: FlatLevels(1),
			Fan: FanHeader{Points: points}, Supply: 0.9},
		Cooler: &Cooler{Name: name("cooler-of-"+own, "Cooler of "+t.Machine), BaseKPerW: 0.05, AirKPerW: 0.1, AirExponent: 0.5,
			CoolantJPerK: 200, Fan: Fan{MinRPM: 300, MaxRPM: 1500, MaxNoise: 35}},
		Memory: &Memory{Name: name("memory-of-"+own, "Memory of "+t.Machine), RatedMTs: 4800, SafeMTs: 4800, CL: 40, SafeCL: 40,
			CapacityG: min(2048, max(1, (t.MemoryMB+512)/1024))}}
	return set, set.Validate()
}

// highestOf is the highest clock of a table; 0 of an empty one.
func highestOf(table []Boost) (most float64) {
	for _, b := range table {
		most = max(most, b.MHz)
	}
	return most
}

// count returns how many cores are of a kind.
func (p *Processor) count(kind string) (n int) {
	for _, c := range p.Clusters {
		if c.Kind == kind {
			n += c.Cores
		}
	}
	return n
}

// FlatLevels are so many levels of load-line calibration of which nothing is known.
func FlatLevels(n int) []LoadLine {
	out := make([]LoadLine, n)
	for i := range out {
		out[i].Level = i + 1
	}
	return out
}

// cut shortens a name to what a sheet takes.
func cut(model string) string {
	for len(model) > mostModel {
		_, size := utf8.DecodeLastRuneInString(model)
		model = model[:len(model)-size]
	}
	return model
}

// slug makes an id of a name.
func slug(name string) string {
	var b strings.Builder
	for _, r := range strings.ToLower(name) {
		switch {
		case r >= 'a' && r <= 'z' || r >= '0' && r <= '9':
			b.WriteRune(r)
		case b.Len() > 0 && !strings.HasSuffix(b.String(), "-"):
			b.WriteByte('-')
		}
	}
	const longest = 22 // leaves room within an id
	out := strings.Trim(b.String()[:min(b.Len(), longest)], "-")
	return cmp.Or(out, "machine")
}
