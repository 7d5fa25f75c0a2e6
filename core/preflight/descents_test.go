package preflight_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/part/parttest"
	"zerokeel/core/preflight"
	"zerokeel/core/trim"
)

// A way is a kind of descent: settings at a depth, the regime in which it fails, and the rigs that can take it.
type way struct {
	name   string
	rigs   []string
	regime []load.Regime
	at     func(r *rand.Rand, start, depth float64) trim.Settings
	most   float64
}

func ways() []way {
	cores := []load.Regime{load.RegimeHeavy, load.RegimeLight, load.RegimeTransition, load.RegimeIdle, ""}
	memory := []load.Regime{load.RegimeMemory}
	x := part.Number
	return []way{
		{"offset", []string{"tern", "skua", "petrel"}, cores, func(_ *rand.Rand, _, depth float64) trim.Settings {
			return trim.Settings{"voltage.core.offset": x(-5 * depth)}
		}, 30},
		{"curve", []string{"petrel", "gannet", "dunlin"}, cores, func(_ *rand.Rand, _, depth float64) trim.Settings {
			return trim.Settings{"curve.all": x(-depth)}
		}, 30},
		{"fixed voltage", []string{"skua", "petrel", "gannet"}, cores, func(_ *rand.Rand, start, depth float64) trim.Settings {
			return trim.Settings{"voltage.core.mode": part.Choice(trim.Fixed), "voltage.core.fixed": x(1.3 - 0.0125*depth),
				"clock.ratio.all": x(start)}
		}, 25},
		{"ratio", []string{"skua", "petrel", "gannet"}, cores, func(_ *rand.Rand, _, depth float64) trim.Settings {
			return trim.Settings{"voltage.core.mode": part.Choice(trim.Fixed), "voltage.core.fixed": x(1.2), "clock.ratio.all": x(40 + depth)}
		}, 14},
		{"memory", []string{"petrel", "skua", "gannet"}, memory, func(_ *rand.Rand, start, depth float64) trim.Settings {
			return trim.Settings{"memory.profile": part.Choice(trim.ProfileManual), "memory.rate": x(4800 + 200*depth), "memory.cl": x(start - 16)}
		}, 8},
	}
}

// onStep moves numbers to what a board takes.
func onStep(set *part.Set, settings trim.Settings) trim.Settings {
	out := settings.With(nil)
	for key, v := range settings {
		if x, ok := v.Number(); ok {
			if entry, offered := set.Board.Lookup(key); offered {
				out[key] = part.Number(entry.Nearest(x))
			}
		}
	}
	return out
}

// descents walks down until the machine fails, and then proposes trims that go at least as far: deeper on the same way, and as far
// or further in other respects. It returns how many were proposed, how many of them nobody told of, and how many that are plainly
// less daring were held against the failure all the same.
func descents(t testing.TB, count int) (proposed, untold, accused int) {
	t.Helper()
	r := rand.New(rand.NewPCG(200, 5))
	all := ways()
	sets := map[string]*part.Set{}
	for _, name := range parttest.Rigs {
		sets[name] = parttest.Rig(t, name)
	}
	for i := range count {
		w := all[i%len(all)]
		set := sets[w.rigs[r.IntN(len(w.rigs))]]
		start := float64(44 + r.IntN(6))
		base := trim.Settings{}
		if set.Board.Entry("limit.beyondSpec") != nil {
			base["limit.beyondSpec"] = part.Switch(false)
		}
		depth := float64(3 + r.IntN(int(w.most)-4))
		failed := onStep(set, base.With(w.at(r, start, depth)))
		regime, core := w.regime[r.IntN(len(w.regime))], -1
		if regime != load.RegimeMemory && regime != "" && r.IntN(2) == 0 {
			core = r.IntN(set.Processor.Clusters[0].Cores) // the others have ratios and offsets of their own
		}
		daring, err := machine.NewDaring(set, failed)
		if err != nil {
			t.Fatalf("%s at %g: %v", w.name, depth, err)
		}
		number := 1 + r.IntN(90)
		records := preflight.Records{Failures: []preflight.Failure{{Trim: "T4", What: fmt.Sprintf("failed in trial %d", number), Regime: regime,
			Core: core, Daring: daring}}}
		tells := func(settings trim.Settings) bool {
			for _, f := range preflight.Check(preflight.Input{Set: set, Settings: settings, Parent: base, Records: records}) {
				if f.Rule == "as-daring-as-failed" && strings.Contains(f.Reason, fmt.Sprintf("trial %d", number)) {
					return true
				}
			}
			return false
		}
		for range 3 {
			further := onStep(set, failed.With(w.at(r, start, depth+float64(r.IntN(int(w.most-depth)+1)))))
			for _, more := range []trim.Settings{{"curve.core.2": part.Number(-3)}, {"voltage.soc.offset": part.Number(-25)},
				{"fan.start": part.Number(20)}, {"clock.boostOffset": part.Number(25)}, {"limit.tau": part.Number(100)}} {
				if trial := further.With(more); r.IntN(3) == 0 && len(trim.Check(set.Processor, set.Board, trial)) == 0 {
					further = trial
				}
			}
			if len(trim.Check(set.Processor, set.Board, further)) > 0 {
				continue
			}
			if proposed++; !tells(further) {
				untold++
				t.Logf("%s on %s, failed in %q on core %d: %v, and nobody tells of %v", w.name, set.Board.Name, regime, core, failed, further)
			}
		}
		if back := onStep(set, base.With(w.at(r, start, depth-2))); len(trim.Diff(back, failed)) > 0 && tells(back) {
			accused++
			t.Logf("%s on %s, failed in %q on core %d with %v: two steps back are held against it: %v", w.name, set.Board.Name, regime, core,
				failed, back)
		}
	}
	return proposed, untold, accused
}

// TestNoFailureIsForgotten: whatever a descent goes by, and wherever it failed, whoever goes as far again is told.
func TestNoFailureIsForgotten(t *testing.T) {
	proposed, untold, accused := descents(t, 60)
	if untold > 0 || accused > 0 || proposed < 120 {
		t.Errorf("of %d trims at least as daring as one that failed nobody tells of %d; %d that are less daring are accused", proposed, untold,
			accused)
	}
}

// BenchmarkDescents prints how many trims that go as far as one that failed pass without being told.
func BenchmarkDescents(b *testing.B) {
	for b.Loop() {
		proposed, untold, accused := descents(b, 200)
		b.ReportMetric(float64(proposed), "proposed")
		b.ReportMetric(float64(untold), "untold")
		b.ReportMetric(float64(accused), "accused")
	}
}
