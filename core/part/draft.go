package part

import (
	"cmp"
	"fmt"
	"math"
	"strings"
)

// Draft is a sheet that is begun, with the paths of what its machine told. Every other figure is a placeholder.
type Draft struct {
	Kind  Kind
	Sheet any
	Told  []string
}

// Drafts begins the sheets of a machine with what it tells of itself. They stay sketches until somebody has looked at the rest.
func Drafts(t Told, settings []BoardSetting) ([]Draft, error) {
	set, err := Sketch(t, settings)
	if err != nil {
		return nil, err
	}
	p, b, m := set.Processor, set.Board, set.Memory
	processor := Draft{Kind: KindProcessor, Sheet: p}
	tell := func(d *Draft, told bool, path string) {
		if told {
			d.Told = append(d.Told, path)
		}
	}
	tell(&processor, t.Processor != "", "model")
	tell(&processor, len(t.Cores) > 0, "clusters")
	tell(&processor, len(t.Cores) > 0 && t.Cores[0].Threads > 0, "threadsPerCore")
	highest, lowest := 0.0, math.Inf(1)
	for _, c := range t.Cores {
		highest = max(highest, c.MaxMHz)
		if c.MinMHz > 0 {
			lowest = min(lowest, c.MinMHz)
		}
	}
	tell(&processor, highest > 0, "boost")
	tell(&processor, !math.IsInf(lowest, 1), "minRatio")
	for _, l := range []struct {
		path string
		told float64
		into *float64
	}{{"limits.pl1W", t.Limits.PL1W, &p.Limits.PL1W}, {"limits.pl2W", t.Limits.PL2W, &p.Limits.PL2W},
		{"limits.tauS", t.Limits.TauS, &p.Limits.TauS}} {
		if l.told > 0 {
			*l.into = l.told
			tell(&processor, true, l.path)
		}
	}
	p.Limits.PL2W = max(p.Limits.PL2W, p.Limits.PL1W)
	board := Draft{Kind: KindBoard, Sheet: b}
	if name := strings.TrimSpace(t.BoardModel); name != "" {
		b.ID, b.Model, b.Source = "board-"+slug(name), cut(name), Sketched
		tell(&board, true, "model")
	}
	tell(&board, len(settings) > 0, "settings")
	memory := Draft{Kind: KindMemory, Sheet: m}
	if kit := t.kit(); kit.SizeMB > 0 {
		m.CapacityG = max(1, kit.SizeMB/1024)
		tell(&memory, true, "capacityG")
		if kit.Part != "" {
			m.ID, m.Model = fmt.Sprintf("%s-%dg", slug(kit.Part), m.CapacityG), cut(kit.Part)
			tell(&memory, true, "model")
		}
		if kit.RatedMTs > 0 {
			m.RatedMTs, m.SafeMTs = float64(kit.RatedMTs), min(m.SafeMTs, float64(kit.RatedMTs))
			tell(&memory, true, "ratedMTs")
		}
	} else {
		tell(&memory, t.MemoryMB > 0, "capacityG")
	}
	return []Draft{processor, board, {Kind: KindCooler, Sheet: set.Cooler}, memory}, set.Validate()
}

// ToldModule is what a machine tells of one of its memory modules; what it does not tell is zero.
type ToldModule struct {
	Part             string
	SizeMB, RatedMTs int
}

// kit is what the modules are together: their sizes, and the rate of the slowest.
func (t *Told) kit() (k ToldModule) {
	for _, one := range t.Modules {
		k.SizeMB += one.SizeMB
		k.Part = cmp.Or(k.Part, strings.TrimSpace(one.Part))
		if one.RatedMTs > 0 && (k.RatedMTs == 0 || one.RatedMTs < k.RatedMTs) {
			k.RatedMTs = one.RatedMTs
		}
	}
	return k
}

// Contradiction is something that a sheet says otherwise than the machine, and which of them to believe.
type Contradiction struct {
	Kind    Kind
	Path    string // in the sheet
	Sheet   string
	Machine string
	Believe string
}

// Against lists what sheets say otherwise than the machine that they are of. Sketches say what the machine said.
func (s *Set) Against(t Told) []Contradiction {
	out := []Contradiction{}
	add := func(kind Kind, path, believe, sheet, machine string) {
		out = append(out, Contradiction{kind, path, sheet, machine, believe})
	}
	p := s.Processor
	if !p.isSketch() {
		const other = "the machine: this sheet is of another processor"
		if n := len(t.Cores); n > p.Cores() {
			add(KindProcessor, "clusters", other, fmt.Sprintf("%d cores", p.Cores()), fmt.Sprintf("%d cores", n))
		} else if n > 0 && n < p.Cores() {
			add(KindProcessor, "clusters", "the sheet, if cores are switched off in firmware; else the machine", fmt.Sprintf("%d cores", p.Cores()),
				fmt.Sprintf("%d cores", n))
		}
		sheet, machine := 0, 0
		for i, c := range t.Cores {
			machine += c.Threads
			if at := p.ClusterOf(i); at >= 0 {
				sheet += p.ClusterThreads(at)
			}
		}
		if len(t.Cores) == p.Cores() && machine > 0 && machine != sheet {
			believe := "the machine: this sheet counts too few"
			if machine < sheet {
				believe = "the sheet, if SMT is switched off in firmware; else the machine"
			}
			add(KindProcessor, "threadsPerCore", believe, fmt.Sprintf("%d threads", sheet), fmt.Sprintf("%d threads", machine))
		}
		if t.Processor != "" && !alike(p.Name.String(), t.Processor) && !alike(p.Model, t.Processor) {
			add(KindProcessor, "model", "the machine, unless the sheet is named in your own words", p.Name.String(), t.Processor)
		}
	}
	if b := s.Board; !b.isSketch() && t.BoardModel != "" && !alike(b.Model, t.BoardModel) {
		add(KindBoard, "model", "the machine, unless the sheet is named in your own words", b.Name.String(), t.BoardModel)
	}
	if m := s.Memory; !m.isSketch() {
		kit := t.kit()
		const reserved = 0.12 // the kernel does not count what graphics and firmware keep
		g := float64(t.MemoryMB) / 1024
		switch {
		case kit.SizeMB > 0 && kit.SizeMB/1024 != m.CapacityG:
			add(KindMemory, "capacityG", "the machine", fmt.Sprintf("%d GiB", m.CapacityG), fmt.Sprintf("%d GiB in its modules", kit.SizeMB/1024))
		case kit.SizeMB == 0 && g > 0 && (g > float64(m.CapacityG)+0.5 || g < float64(m.CapacityG)*(1-reserved)-1):
			add(KindMemory, "capacityG", "the machine", fmt.Sprintf("%d GiB", m.CapacityG), fmt.Sprintf("%.1f GiB", g))
		}
	}
	return out
}

// alike is whether one of two names holds the other's words, whatever stands between them.
func alike(a, b string) bool {
	plain := func(s string) string {
		return strings.Map(func(r rune) rune {
			if r >= 'a' && r <= 'z' || r >= '0' && r <= '9' || r > 127 {
				return r
			}
			return -1
		}, strings.ToLower(s))
	}
	a, b = plain(a), plain(b)
	return strings.Contains(a, b) || strings.Contains(b, a)
}
