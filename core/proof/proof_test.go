package proof_test

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"zerokeel/core/ladder"
	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/proof"
	"zerokeel/core/verdict"
)

// held is a leg of some seconds, of a one-core load on all of the cores together, that ended well.
func held(kind load.Kind, seconds float64, cores ...int) proof.Leg {
	return proof.Leg{Load: kind, Cores: cores, Result: verdict.Result{Verdict: verdict.Held, Core: -1, AtS: seconds,
		Exposure: verdict.Exposure(kind, len(cores), seconds, ladder.TurnS(seconds, len(cores)))}}
}

// froze is a leg that ended so, with a core to blame or none.
func froze(kind load.Kind, atS float64, core int, cores ...int) proof.Leg {
	l := held(kind, atS, cores...)
	l.Result.Verdict, l.Result.Core = verdict.Froze, core
	return l
}

// trial is one of legs, on two cores, at an hour.
func trial(hour int, legs ...proof.Leg) proof.Trial {
	t := proof.Trial{Proof: true, Legs: legs, Cores: []int{0, 1}, StartedAt: time.Date(2026, 3, 1, hour, 0, 0, 0, time.UTC),
		Result: verdict.Result{Verdict: verdict.Held, Core: -1}}
	for _, l := range legs {
		if l.Result.Verdict.Failed() && !l.Result.Injected {
			t.Result = l.Result
			break
		}
	}
	return t
}

func quick() []proof.Leg {
	return []proof.Leg{held(load.Heavy, 180, 0, 1), held(load.Light, 60, 0, 1), held(load.Transition, 90, 0, 1), held(load.Idle, 60, 0, 1)}
}

func hours(h float64) []proof.Leg {
	return []proof.Leg{held(load.Heavy, 1800*h, 0, 1), held(load.Mixed, 1800*h, 0, 1), held(load.Light, 1200*h, 0, 1),
		held(load.Transition, 2400*h, 0, 1), held(load.Idle, 9600*h, 0, 1)}
}

// TestStand: what trials of a trim make of its standing, and which fault still counts.
func TestStand(t *testing.T) {
	join := func(lists ...[]proof.Leg) []proof.Leg { return slices.Concat(lists...) }
	incident := time.Date(2026, 3, 1, 5, 0, 0, 0, time.UTC)
	benchmark := trial(9, held(load.Heavy, 20, 0, 1))
	benchmark.Proof = false
	rows := []struct {
		name     string
		trials   []proof.Trial
		incident time.Time
		want     proof.Standing
		fault    load.Regime // that still counts
	}{
		{"the quick ladder", []proof.Trial{trial(1, quick()...)}, time.Time{}, proof.Tried, ""},
		{"one regime lacks", []proof.Trial{trial(1, quick()[:3]...)}, time.Time{}, proof.Fitted, ""},
		{"one core was left out", []proof.Trial{trial(1, join(quick()[:3], []proof.Leg{held(load.Idle, 600, 0)})...)}, time.Time{},
			proof.Fitted, ""},
		{"hours of heavy load alone", []proof.Trial{trial(1, held(load.Heavy, 36000, 0, 1))}, time.Time{}, proof.Fitted, ""},
		{"an hour of it all", []proof.Trial{trial(1, hours(1)...)}, time.Time{}, proof.Held, ""},
		{"a night", []proof.Trial{trial(1, hours(3)...)}, time.Time{}, proof.Proven, ""},
		{"a night in parts", []proof.Trial{trial(1, hours(1)...), trial(3, hours(1)...), trial(5, hours(1)...)}, time.Time{}, proof.Proven, ""},
		{"a fault in daily use since", []proof.Trial{trial(1, hours(3)...), trial(6, quick()...)}, incident, proof.Tried, ""},
		{"a fault", []proof.Trial{trial(1, hours(3)...), trial(6, froze(load.Idle, 1000, -1, 0, 1))}, time.Time{}, proof.Failed,
			load.RegimeIdle},
		{"something else held since", []proof.Trial{trial(1, froze(load.Idle, 1000, -1, 0, 1)), trial(2, held(load.Heavy, 36000, 0, 1))},
			time.Time{}, proof.Failed, load.RegimeIdle},
		{"the same held five times as long", []proof.Trial{trial(1, froze(load.Idle, 1000, -1, 0, 1)), trial(2, quick()...),
			trial(3, held(load.Idle, 5000, 0, 1))}, time.Time{}, proof.Failed, load.RegimeIdle},
		{"and ten times", []proof.Trial{trial(1, froze(load.Idle, 1000, -1, 0, 1)), trial(2, quick()...), trial(3, held(load.Idle, 5000, 0, 1)),
			trial(4, held(load.Idle, 5000, 0, 1))}, time.Time{}, proof.Tried, ""},
		{"another core held", []proof.Trial{trial(1, froze(load.Light, 100, 1, 0, 1)), trial(2, append(quick(), held(load.Light, 9000, 0))...)},
			time.Time{}, proof.Failed, load.RegimeLight},
		{"the core to blame held", []proof.Trial{trial(1, froze(load.Light, 100, 1, 0, 1)), trial(2, append(quick(), held(load.Light, 900, 1))...)},
			time.Time{}, proof.Tried, ""},
		{"at once, and then for a minute", []proof.Trial{trial(1, froze(load.Heavy, 2, -1, 0, 1)), trial(2, quick()...)}, time.Time{},
			proof.Failed, load.RegimeHeavy},
		{"two faults, one outlived", []proof.Trial{trial(1, froze(load.Heavy, 60, -1, 0, 1)), trial(2, froze(load.Idle, 3000, -1, 0, 1)),
			trial(3, append(quick(), held(load.Heavy, 3000, 0, 1))...)}, time.Time{}, proof.Failed, load.RegimeIdle},
		{"went on after the fault", []proof.Trial{trial(1, append([]proof.Leg{froze(load.Light, 50, 0, 0, 1)}, hours(3)...)...)},
			time.Time{}, proof.Proven, ""},
	}
	for _, row := range rows {
		got, ok := proof.Stand(row.trials, row.incident)
		fault := load.Regime("")
		if f := got.Proof.Fault; f != nil {
			fault = f.Regime
		}
		if !ok || got.Standing != row.want || fault != row.fault {
			t.Errorf("%s: %s (fault %q), want %s (%q): %+v", row.name, got.Standing, fault, row.want, row.fault, got.Proof)
		}
	}
	if got, ok := proof.Stand([]proof.Trial{trial(1, quick()...), benchmark}, time.Time{}); ok {
		t.Errorf("a benchmark that ended well changed the standing to %s", got.Standing)
	}
}

// TestMissingLeadsOn: whatever a trim stood, the ladder of what is missing leads to the grade that it names, and through every
// grade to the last; and a fault stands for as long as its ladder says.
func TestMissingLeadsOn(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 5))
	for range 200 {
		cores := machine.AllCores(1 + r.IntN(24))
		var trials []proof.Trial
		add := func(legs []proof.Leg) proof.Stood {
			one := trial(len(trials), legs...)
			one.Cores = cores
			trials = append(trials, one)
			got, ok := proof.Stand(trials, time.Time{})
			if !ok {
				t.Fatalf("a proof says nothing: %+v", one)
			}
			return got
		}
		var legs []proof.Leg
		for _, kind := range load.Kinds {
			if r.IntN(2) == 0 {
				legs = append(legs, held(kind, math.Floor(20000*r.Float64()*r.Float64()), cores...))
			}
		}
		if r.IntN(2) == 0 {
			legs = append(legs, froze(load.Kinds[r.IntN(len(load.Kinds))], 4000*r.Float64(), cores[r.IntN(len(cores))], cores...))
		}
		stood := add(append(legs, held(load.Heavy, 5, cores...)))
		for steps := 0; stood.Standing != proof.Proven; steps++ {
			to, missing := stood.Proof.Next()
			template := proof.Ladder(to, missing)
			if steps > 4 || len(missing) == 0 {
				t.Fatalf("after %d ladders it stands as %s: %+v", steps, stood.Standing, stood.Proof)
			}
			fitted, err := template.Legs(cores)
			if err != nil {
				t.Fatalf("%+v: %v", template, err)
			}
			if _, takes := proof.Lacks(missing); math.Abs(takes-template.Seconds(len(cores))) > 60 {
				t.Errorf("%+v is said to take %.0f s", template, takes)
			}
			legs = nil
			for _, l := range fitted {
				legs = append(legs, held(l.Load, l.Seconds, l.Cores...))
			}
			before := stood.Standing
			stood = add(legs)
			if before != proof.Failed && stood.Standing != to {
				t.Fatalf("the ladder to %s led to %s: %+v", to, stood.Standing, stood.Proof)
			}
		}
	}
}

// TestLaddersMakeGrades: on machines of any size the delivered ladders lead to the grades that they are for.
func TestLaddersMakeGrades(t *testing.T) {
	delivered := ladder.Delivered()
	for id, want := range map[string]proof.Standing{"quick": proof.Tried, "standard": proof.Held, "handover": proof.Proven} {
		for _, cores := range []int{1, 6, 16, 32} {
			template := delivered[id]
			steps, err := template.Legs(machine.AllCores(cores))
			if err != nil {
				t.Fatal(err)
			}
			var legs []proof.Leg
			for _, s := range steps {
				legs = append(legs, held(s.Load, s.Seconds, s.Cores...))
			}
			one := trial(1, legs...)
			one.Cores = machine.AllCores(cores)
			if got, _ := proof.Stand([]proof.Trial{one}, time.Time{}); got.Standing != want {
				t.Errorf("%s on %d cores makes %s, want %s: %+v", id, cores, got.Standing, want, got.Proof)
			}
		}
	}
}

// TestBoundHolds: of machines that fail at random at the rate that the words call the highest, one in twenty shows no fault in the
// time that they name.
func TestBoundHolds(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 8))
	const heldS, machines = 3 * 3600.0, 20000
	silent := 0
	for range machines {
		if r.ExpFloat64()*proof.BoundS(heldS) > heldS {
			silent++
		}
	}
	if share := float64(silent) / machines; share < 0.045 || share > 0.055 {
		t.Errorf("%.1f %% of them held", 100*share)
	}
}

// TestBackTo: to the nearest ancestor of the best grade that any has, though a newer trim of another branch be as good.
func TestBackTo(t *testing.T) {
	for _, c := range []struct {
		standings string // d draft, f fitted, t tried, h held, p proven, x failed
		parents   []int
		from, to  int
	}{
		{"pptx", []int{-1, 0, 1, 2}, 3, 1},
		{"pptx", []int{-1, 0, 0, 1}, 3, 1},
		{"fthx", []int{-1, 0, 1, 2}, 3, 2},
		{"fttx", []int{-1, 0, 1, 2}, 3, 2},
		{"ffpx", []int{-1, 0, 0, 1}, 3, 2},
		{"fffx", []int{-1, 0, 1, 2}, 3, -1},
		{"pxxx", []int{-1, 0, 1, 2}, 3, 0},
	} {
		var list []proof.Standing
		for _, r := range c.standings {
			list = append(list, map[rune]proof.Standing{'d': proof.Draft, 'f': proof.Fitted, 't': proof.Tried, 'h': proof.Held,
				'p': proof.Proven, 'x': proof.Failed}[r])
		}
		if got := proof.BackTo(list, c.parents, c.from); got != c.to {
			t.Errorf("%s from %d: %d, want %d", c.standings, c.from, got, c.to)
		}
	}
}
