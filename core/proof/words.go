package proof

import (
	"fmt"
	"math"
	"strings"

	"zerokeel/core/ladder"
	"zerokeel/core/load"
)

// regimeWords name regimes as something that a machine stands.
var regimeWords = map[load.Regime]string{load.RegimeHeavy: "heavy load", load.RegimeLight: "each core alone",
	load.RegimeTransition: "rise and fall", load.RegimeIdle: "idling", load.RegimeMemory: "memory patterns"}

// Row is what a trim stood of a regime since its last fault, in seconds for each core; what follows from that without any further
// assumption: at 95 %, fewer than one fault in BoundS; and what lacks to the next grade.
type Row struct {
	Regime                load.Regime
	Words                 string
	StoodS, BoundS, LackS float64
}

// Rows lists every regime that counts for a grade.
func (p *Proof) Rows() []Row {
	_, missing := p.Next()
	var out []Row
	for _, regime := range Regimes {
		row := Row{Regime: regime, Words: regimeWords[regime]}
		for _, e := range p.Exposed {
			if e.Regime == regime {
				row.StoodS, row.BoundS = e.LeastS, BoundS(e.LeastS)
			}
		}
		for _, m := range missing {
			if m.Regime == regime {
				row.LackS = m.PerS
			}
		}
		out = append(out, row)
	}
	return out
}

// Lacks tells what is missing, and how long that takes in all.
func Lacks(list []Missing) (words string, takesS float64) {
	var parts []string
	for _, m := range list {
		parts = append(parts, Span(m.PerS)+" of "+regimeWords[m.Regime])
		takesS += m.TakesS
	}
	return strings.Join(parts, ", "), takesS
}

// Stands tells of a fault what has to hold until it no longer counts.
func (f *Fault) Stands() string {
	where := "under load"
	if words, known := regimeWords[f.Regime]; known {
		where = "in " + words
	}
	return fmt.Sprintf("It counts until the same has held for %s %s, ten times as long; so far %s.", Span(f.NeedS), where, Span(f.HeldS))
}

// Span writes seconds in the largest unit of which there is one, to two digits or so.
func Span(s float64) string {
	switch {
	case s < 90:
		return fmt.Sprintf("%.0f s", math.Floor(s))
	case s < 90*60:
		return fmt.Sprintf("%.0f min", math.Floor(s/60))
	}
	h, min := math.Floor(s/3600), math.Floor(math.Mod(s, 3600)/60)
	if min == 0 || h >= 10 {
		return fmt.Sprintf("%.0f h", h)
	}
	return fmt.Sprintf("%.0f h %.0f min", h, min)
}

// loads that fill what is missing in a regime, with the share of the time that each gets.
var fills = map[load.Regime][]struct {
	kind  load.Kind
	share float64
}{
	load.RegimeHeavy:      {{load.Heavy, 0.5}, {load.Transform, 0.2}, {load.Mixed, 0.3}},
	load.RegimeLight:      {{load.Light, 1}},
	load.RegimeTransition: {{load.Transition, 1}},
	load.RegimeIdle:       {{load.Idle, 1}},
	load.RegimeMemory:     {{load.Memory, 1}},
}

// shortS is the length of a step, in seconds, below which a regime is not filled by several loads.
const shortS = 120.0

// Ladder returns the template that fills what is missing to a grade. Nothing missing makes no steps.
func Ladder(to Standing, list []Missing) ladder.Template {
	t := ladder.Template{Name: "What is missing to " + string(to), Note: "every regime for as long as it still lacks"}
	if to == Fitted {
		t.Name, t.Note = "Against the fault", "until what failed has held for ten times as long"
	}
	for _, m := range list {
		for i, fill := range fills[m.Regime] {
			share := fill.share
			if m.PerS < shortS {
				if share = 1; i > 0 {
					break
				}
			}
			s := ladder.Step{Load: fill.kind, Seconds: math.Max(ladder.MinSeconds, math.Ceil(share*m.PerS))}
			if m.Regime == load.RegimeLight {
				s.Seconds, s.PerCoreS = 0, math.Max(1, math.Ceil(share*m.PerS))
			}
			t.Steps = append(t.Steps, s)
		}
	}
	return t
}
