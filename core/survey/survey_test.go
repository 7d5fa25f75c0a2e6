package survey

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"testing"

	"zerokeel/core/load"
	"zerokeel/core/verdict"
)

func usual(cores int) Setup {
	s := Setup{MinSteps: -50, MaxSteps: 20, Regimes: []load.Regime{load.RegimeHeavy}, Risk24h: 0.05, BudgetMin: 60, Seed: 3,
		Prior: Prior{LimitMean: -26, ChipSD: 5, ClusterSD: 3, CoreSD: 4}, Costs: Costs{RestartMin: 2.5, CrashMin: 3, ClearMin: 10}}
	for range cores {
		s.Cores = append(s.Cores, Core{})
	}
	return s
}

// TestBeliefAgainstBruteForce: what is believed of a core agrees with a million chips drawn from the same prior and weighed one by
// one by how well they explain what was seen.
func TestBeliefAgainstBruteForce(t *testing.T) {
	type seen struct {
		x, minutes float64
		failed     bool
	}
	for _, row := range []struct {
		name string
		seen []seen
	}{
		{"held", []seen{{-22, 3, false}}},
		{"held, and failed deeper", []seen{{-20, 3, false}, {-27, 0.7, true}, {-24, 2, false}}},
		{"failed twice, far apart", []seen{{-24, 2.5, true}, {-31, 0.06, true}}},
		{"failed at once", []seen{{-30, 0.004, true}}},
	} {
		s := usual(1)
		b := newBelief(&s)
		for _, e := range row.seen {
			o := Order{[]int{int(e.x)}, []Leg{{Load: load.Heavy, Cores: []int{0}, Minutes: 10}}}
			out := LegEnded{Minutes: e.minutes, Verdict: verdict.Held}
			if e.failed {
				out.Verdict, out.Core = verdict.Miscalculated, new(int)
			}
			b.see(&o, &Outcome{Posted: true, Legs: []LegEnded{out}}, Shift{})
		}
		b.settle()
		var got, want [2]moments // of the limit, and of the logarithm of the slope
		for _, w := range b.sample(20_000, rand.New(rand.NewPCG(1, 1))) {
			got[0].add(w.limits[0], 1)
			got[1].add(math.Log(w.slopes[0]), 1)
		}
		r := rand.New(rand.NewPCG(2, 2))
		p := s.Prior
		for range 1_000_000 {
			z := slopeSD * r.NormFloat64()
			if math.Abs(z) > chipReach*slopeSD {
				continue
			}
			slope := usualSlope * math.Exp(z+coreSlopeSD*r.NormFloat64())
			core := p.LimitMean + math.Hypot(p.ChipSD, p.ClusterSD)*r.NormFloat64() + p.CoreSD*(own*r.NormFloat64()-1.03*apart)
			limit := core + apart*p.CoreSD*r.NormFloat64()
			if r.Float64() < outliers {
				limit = core + outlierMean + outlierSD*r.NormFloat64()
			}
			starts := core + postMean + postSD*r.NormFloat64()
			weight := 1.0
			for _, e := range row.seen {
				rate := usualRate * math.Exp((limit-e.x)/slope)
				weight *= math.Exp(-postMin * usualRate * math.Exp((starts-e.x)/slope))
				switch {
				case e.failed && e.minutes < quickMin:
					weight *= -math.Expm1(-rate * quickMin)
				case e.failed:
					weight *= rate * math.Exp(-rate*e.minutes)
				default:
					weight *= math.Exp(-rate * e.minutes)
				}
			}
			want[0].add(limit, weight)
			want[1].add(math.Log(slope), weight)
		}
		for i, what := range []string{"limit", "ln slope"} {
			near := []float64{0.35, 0.03}[i]
			if math.Abs(got[i].mean()-want[i].mean()) > near || math.Abs(got[i].sd()-want[i].sd()) > near {
				t.Errorf("%s: %s %.2f ± %.2f, brute force says %.2f ± %.2f", row.name, what, got[i].mean(), got[i].sd(), want[i].mean(), want[i].sd())
			}
		}
	}
}

// TestWhatOneCoreTellsOfAnother: two cores have in common what a regime asks for. What is believed of one that was not tried, in a regime
// that only the other was tried in, agrees with chips drawn from the same prior and weighed by how well they explain what was seen, and
// so does how far both stray together in a regime that nobody tried.
func TestWhatOneCoreTellsOfAnother(t *testing.T) {
	s := usual(2)
	s.Regimes = []load.Regime{load.RegimeHeavy, load.RegimeTransition}
	s.Prior.CoreSD, s.Prior.Apart, s.Prior.RegimeSD = 2, 1, 5
	p := s.Prior
	b := newBelief(&s)
	tried := []struct {
		x, minutes float64
		failed     bool
	}{{-22, 5, false}, {-29, 1.5, true}}
	for _, e := range tried {
		out := LegEnded{Minutes: e.minutes, Verdict: verdict.Held}
		if e.failed {
			out.Verdict, out.Core = verdict.Miscalculated, new(int)
		}
		order := &Order{[]int{int(e.x), 0}, []Leg{{Load: load.Heavy, Cores: []int{0}, Minutes: 10}}}
		b.see(order, &Outcome{Posted: true, Legs: []LegEnded{out}}, Shift{})
	}
	b.settle()
	const same, other, both = 0, 1, 2 // core 1 in the regime tried, in the other; and the mean of both cores there
	var got, want [3]moments
	gather := func(to *[3]moments, limits [2][2]float64, weight float64) {
		to[same].add(limits[1][0], weight)
		to[other].add(limits[1][1], weight)
		to[both].add((limits[0][1]+limits[1][1])/2, weight)
	}
	for _, w := range b.sample(20_000, rand.New(rand.NewPCG(1, 1))) {
		gather(&got, [2][2]float64{{w.limits[0], w.limits[1]}, {w.limits[w.regimes], w.limits[w.regimes+1]}}, 1)
	}
	r := rand.New(rand.NewPCG(2, 2))
	for range 1_000_000 {
		z := slopeSD * r.NormFloat64()
		if math.Abs(z) > chipReach*slopeSD {
			continue
		}
		slope := usualSlope * math.Exp(z+coreSlopeSD*r.NormFloat64())
		mean := p.LimitMean + math.Hypot(p.ChipSD, p.ClusterSD)*r.NormFloat64() - 1.03*math.Hypot(p.Apart, p.RegimeSD)
		common := [2]float64{p.RegimeSD * r.NormFloat64(), p.RegimeSD * r.NormFloat64()}
		var limits [2][2]float64
		for c := range limits {
			core := mean + own*p.CoreSD*r.NormFloat64()
			for g := range limits[c] {
				limits[c][g] = core + common[g] + p.Apart*r.NormFloat64()
				if r.Float64() < outliers {
					limits[c][g] = core + common[g] + outlierMean + outlierSD*r.NormFloat64()
				}
			}
		}
		weight := 1.0
		for _, e := range tried {
			rate := usualRate * math.Exp((limits[0][0]-e.x)/slope)
			weight *= math.Exp(-rate * e.minutes)
			if e.failed {
				weight *= rate
			}
		}
		gather(&want, limits, weight)
	}
	for i := range want {
		if math.Abs(got[i].mean()-want[i].mean()) > 0.35 || math.Abs(got[i].sd()-want[i].sd()) > 0.35 {
			t.Errorf("%d: %.2f ± %.2f, brute force says %.2f ± %.2f", i, got[i].mean(), got[i].sd(), want[i].mean(), want[i].sd())
		}
	}
}

type moments struct{ n, sum, squares float64 }

func (m *moments) add(x, weight float64) {
	m.n, m.sum, m.squares = m.n+weight, m.sum+weight*x, m.squares+weight*x*x
}
func (m *moments) mean() float64 { return m.sum / m.n }
func (m *moments) sd() float64   { return math.Sqrt(m.squares/m.n - m.mean()*m.mean()) }

// answered plans a survey whose every order holds, and returns what it said.
func answered(t *testing.T, s Setup) []Line {
	t.Helper()
	v := begun(t, s)
	var out []Line
	for {
		o, more := v.Next()
		if !more {
			r := v.Result()
			return append(out, Line{Result: &r})
		}
		out = append(out, Line{Order: &o})
		ended := Outcome{Posted: true}
		for _, l := range o.Legs {
			ended.Legs = append(ended.Legs, LegEnded{Minutes: l.Minutes, Verdict: verdict.Held})
		}
		if err := v.Take(ended); err != nil {
			t.Fatal(err)
		}
	}
}

// TestOneSeedOneSurvey: the same setup and outcomes make the same orders, within bounds and budget.
func TestOneSeedOneSurvey(t *testing.T) {
	s := usual(3)
	s.MinSteps = -30
	first := answered(t, s)
	if again := answered(t, s); !reflect.DeepEqual(first, again) {
		t.Error("the same survey went another way")
	}
	spent := 0.0
	for _, l := range first {
		if l.Order != nil {
			spent += s.Costs.RestartMin
			for _, leg := range l.Order.Legs {
				spent += leg.Minutes
			}
		}
		for c, v := range l.offsets() {
			if v < s.MinSteps || v > s.MaxSteps {
				t.Errorf("core %d at %d", c, v)
			}
		}
	}
	if spent > s.BudgetMin+1e-9 || spent < s.BudgetMin/2 {
		t.Errorf("%.1f of %g minutes were spent", spent, s.BudgetMin)
	}
}

// TestLiftedIsSetDeeper: a core that more reaches than is set is surveyed as any other is, at settings that lie as much deeper.
func TestLiftedIsSetDeeper(t *testing.T) {
	const lift = 7
	plain := usual(2)
	plain.MinSteps, plain.MaxSteps = -90, 60
	plain.Regimes = []load.Regime{load.RegimeHeavy, load.RegimeIdle}
	lifted := plain
	lifted.Cores = []Core{{}, {Lift: map[load.Regime]float64{load.RegimeHeavy: lift, load.RegimeIdle: lift, "": lift}}}
	a, b := answered(t, plain), answered(t, lifted)
	if len(a) != len(b) || len(a) < 4 {
		t.Fatalf("%d and %d lines", len(a), len(b))
	}
	for i := range a {
		if x, y := a[i].offsets(), b[i].offsets(); x[0] != y[0] || x[1] != y[1]+lift {
			t.Errorf("line %d: %v, and lifted by %d %v", i, x, lift, y)
		}
	}
	for i, l := range a[len(a)-1].Result.Limits {
		if m := b[len(b)-1].Result.Limits[i]; math.Abs(l.Mean-m.Mean-lift*float64(l.Core)) > 1e-6 || math.Abs(l.SD-m.SD) > 1e-6 {
			t.Errorf("limit %+v, and lifted %+v", l, m)
		}
	}
	lifted.Cores[1].Lift[load.RegimeIdle] = math.Inf(1)
	if _, err := New(lifted); err == nil || !strings.Contains(err.Error(), "cores[1].lift.idle") {
		t.Errorf("infinite lift: %v", err)
	}
}

// TestAShareOfAStep: where half of a step reaches a core, what is known of it lies at settings twice as far off; and where nothing of it
// does in a regime, no setting mends what fails there, nor breaks what holds.
func TestAShareOfAStep(t *testing.T) {
	told := func(s Setup, scale int, idle verdict.Verdict) *Survey {
		s.MinSteps, s.MaxSteps = s.MinSteps*scale, s.MaxSteps*scale
		x := begun(t, s)
		var past []Past
		for depth := -20; depth >= -32; depth -= 4 {
			p := Past{Order: Order{[]int{depth * scale}, []Leg{{Load: load.Heavy, Cores: []int{0}, Minutes: 8}, {Load: load.Idle, Minutes: 30}}},
				Outcome: Outcome{true, []LegEnded{{8, verdict.Held, nil}, {30, idle, nil}}}}
			if depth < -28 {
				p.Outcome.Legs = []LegEnded{{0.7, verdict.Miscalculated, new(int)}, {0, NotRun, nil}}
			}
			past = append(past, p)
		}
		if err := x.Learn(past, nil); err != nil {
			t.Fatal(err)
		}
		return x
	}
	plain := usual(1)
	plain.Regimes = []load.Regime{load.RegimeHeavy, load.RegimeIdle}
	half, blind := plain, plain
	half.Cores = []Core{{Gain: map[load.Regime]float64{load.RegimeHeavy: 0.5, load.RegimeIdle: 0.5, "": 0.5}}}
	blind.Cores = []Core{{Gain: map[load.Regime]float64{load.RegimeIdle: 0, "": 0}}}
	a, b := told(plain, 1, verdict.Held), told(half, 2, verdict.Held)
	for depth := -30; depth <= 0; depth += 5 {
		x, y := a.Assess([]int{depth}), b.Assess([]int{2 * depth})
		if math.Abs(x.Risk24h-y.Risk24h) > 1e-9 || math.Abs(2*x.Cores[0].Clearance-y.Cores[0].Clearance) > 1e-6 {
			t.Errorf("at %d: %+v, and where half of a step counts %+v", depth, x, y)
		}
	}
	if x, y := a.Recommend(0.05)[0], b.Recommend(0.05)[0]; y < 2*x-1 || y > 2*x {
		t.Errorf("%d steps, and where half of one counts %d", x, y)
	}
	held, froze := told(blind, 1, verdict.Held), told(blind, 1, verdict.Froze)
	if x := held.Recommend(0.5)[0]; x > -15 {
		t.Errorf("idle held, whatever is set, and %d is recommended", x)
	}
	if x := froze.Assess([]int{20}).Risk24h; x < 0.5 {
		t.Errorf("idle froze three times, whatever is set, and at the shallowest the risk is %.3f", x)
	}
	for _, s := range []*Survey{held, froze, b} {
		if o, more := s.Next(); !more || len(o.Legs) == 0 {
			t.Errorf("no order: %+v", o)
		}
	}
}

// TestAMakersWord: that a machine stands a month as delivered is believed as long as what was seen does not speak against it: of one that
// failed far below, it tells as much as a month that was seen; of one that failed a few steps below, next to nothing.
func TestAMakersWord(t *testing.T) {
	risk := func(failed int, uses ...Use) float64 {
		x := begun(t, usual(2))
		var past []Past
		for range 3 {
			past = append(past, Past{Order: Order{[]int{failed, failed}, []Leg{{Load: load.Heavy, Cores: []int{0, 1}, Minutes: 10}}},
				Outcome: Outcome{true, []LegEnded{{3, verdict.Miscalculated, new(int)}}}})
		}
		if err := x.Learn(past, uses); err != nil {
			t.Fatal(err)
		}
		return x.Assess([]int{0, 0}).Risk24h
	}
	month := Use{Offsets: []int{0, 0}, Minutes: 30 * minutesADay}
	word := month
	word.Vouched = true
	for _, row := range []struct {
		failed      int
		least, most float64 // of what the word takes of the risk, against what a month that was seen does
	}{{-25, 0.9, 1.01}, {-5, 0, 0.6}} {
		none, seen, said := risk(row.failed), risk(row.failed, month), risk(row.failed, word)
		if share := math.Log(said/none) / math.Log(seen/none); !(share >= row.least && share <= row.most) {
			t.Errorf("failed at %d: a risk of %.2g, with a month that was seen %.2g, and with one that was vouched for %.2g", row.failed, none, seen, said)
		}
	}
}

// TestWhatLiesBesideIsNoCore: faults that no core is named for, and that come on steeply, may be of what lies beside the cores: those
// tell less of the cores' slope, which may be flatter, and leave them shallower, than where nothing lies there; faults that name a core
// tell as much as before.
func TestWhatLiesBesideIsNoCore(t *testing.T) {
	told := func(beside *Beside, v verdict.Verdict) (*Survey, Surveyed) {
		s := usual(4)
		s.Each, s.Beside = EachChip, beside
		x := begun(t, s)
		var past []Past
		for _, seen := range []struct {
			depth   int
			minutes float64
		}{{-18, 5}, {-24, 5}, {-26, 5}, {-27, 3}, {-27, 2}, {-28, 0.5}, {-28, 0.4}, {-29, 0.09}, {-29, 0.08}} {
			depth, minutes := seen.depth, seen.minutes
			o := Order{[]int{depth, depth, depth, depth}, []Leg{{Load: load.Heavy, Cores: []int{0, 1, 2, 3}, Minutes: 5}}}
			ended := LegEnded{Minutes: minutes, Verdict: v, Core: new(int)}
			if minutes == 5 {
				ended = LegEnded{Minutes: 5, Verdict: verdict.Held}
			}
			past = append(past, Past{Order: o, Outcome: Outcome{Posted: true, Legs: []LegEnded{ended}}})
		}
		if err := x.Learn(past, nil); err != nil {
			t.Fatal(err)
		}
		return x, x.Chip()
	}
	beside := &Beside{SD: 5}
	plain, chip := told(nil, verdict.Froze)
	with, other := told(beside, verdict.Froze)
	if other.Slope < chip.Slope+chip.SlopeSD/2 {
		t.Errorf("the slope is e^(%.2f ± %.2f), and e^(%.2f ± %.2f) without anything beside", other.Slope, other.SlopeSD, chip.Slope, chip.SlopeSD)
	}
	if a, b := plain.Recommend(0.05), with.Recommend(0.05); len(b) != 4 || b[0] <= a[0] {
		t.Errorf("%v is recommended, and %v without anything beside", b, a)
	}
	_, chip = told(nil, verdict.Miscalculated)
	_, other = told(beside, verdict.Miscalculated)
	if math.Abs(other.SlopeSD-chip.SlopeSD) > 0.1*chip.SlopeSD || math.Abs(other.Slope-chip.Slope) > 0.5*chip.SlopeSD {
		t.Errorf("named: e^(%.2f ± %.2f), and e^(%.2f ± %.2f) without anything beside", other.Slope, other.SlopeSD, chip.Slope, chip.SlopeSD)
	}
	o, more := with.Next()
	if at := with.Assess([]int{-20, -20, -20, -20}); !more || len(o.Offsets) != 4 || len(o.Legs[0].Cores) > 4 || len(at.Cores) != 4 ||
		len(with.Result().Limits) != 4 {
		t.Errorf("what lies beside is told as a core: %+v, %+v", o, at)
	}
	each := usual(2)
	each.Beside = &Beside{Lift: map[load.Regime]float64{load.RegimeHeavy: 1e9}}
	if _, err := New(each); err == nil || !strings.Contains(err.Error(), "beside") {
		t.Errorf("beside cores with a setting each: %v", err)
	}
}

// TestTrialsByHandCountAlike: what somebody tried by hand is worth as much as the same by order, takes no bench time, and nonsense is
// refused by its field.
func TestTrialsByHandCountAlike(t *testing.T) {
	ordered, byHand := begun(t, usual(2)), begun(t, usual(2))
	for range 4 {
		o, _ := ordered.Next()
		out := Outcome{Posted: true}
		for _, l := range o.Legs {
			out.Legs = append(out.Legs, LegEnded{Minutes: l.Minutes, Verdict: verdict.Held})
		}
		if err := errors.Join(ordered.Take(out), byHand.Learn([]Past{{Order: o, Outcome: out}}, nil)); err != nil {
			t.Fatal(err)
		}
	}
	a, b, before := ordered.Result().Limits[0], byHand.Result().Limits[0], begun(t, usual(2)).Result().Limits[0]
	if math.Abs(a.Mean-b.Mean) > 0.5 || math.Abs(a.SD-b.SD) > 0.5 || math.Abs(a.Mean-before.Mean) < 1 || byHand.Spent() != 0 {
		t.Errorf("ordered %+v, by hand %+v in %g min, before %+v", a, b, byHand.Spent(), before)
	}
	err := byHand.Learn([]Past{{}, {Order: Order{Offsets: []int{-900}, Legs: []Leg{{Load: load.Heavy, Cores: []int{2}}, {Load: load.Light},
		{Load: "warm", Cores: []int{0}}}}, Shift: Shift{All: map[load.Regime]float64{load.RegimeIdle: math.NaN()}}}},
		[]Use{{Minutes: math.Inf(1), Faults: -1}})
	for _, want := range []string{"trials[0].offsets", "trials[1].offsets", "trials[1].offsets[0]", "trials[1].legs[2].load",
		"trials[1].legs[0].cores", "trials[1].legs[1].cores", "trials[1].shift.idle", "uses[0].offsets", "uses[0].minutes", "uses[0].faults"} {
		if err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%v, without %s", err, want)
		}
	}
}

func begun(t *testing.T, s Setup) *Survey {
	t.Helper()
	v, err := New(s)
	if err != nil {
		t.Fatal(err)
	}
	return v
}

// TestHolders: a core holds its rail by itself where it asks for plainly more than the next one, by its setting or by what was measured of
// it.
func TestHolders(t *testing.T) {
	setup := Setup{Cores: make([]Core, 6), Rails: []int{0, 0, 0, 1, 1, 2}, RailSD: 1}
	for _, row := range []struct {
		asks    []float64
		offsets []int
		want    []int
	}{
		{nil, []int{-20, -20, -18, -20, -20, 0}, nil},
		{nil, []int{-20, -5, -20, -20, -16, 0}, []int{1, 4}},
		{[]float64{0, 0, 4, 0, 0, 0}, []int{-20, -20, -20, -20, -20, -20}, []int{2}},
		{[]float64{0, 0, -15, 0, 0, 0}, []int{-20, -20, -5, -20, -20, -20}, nil},
	} {
		setup.Asks = row.asks
		setup.group()
		if got := (&Survey{setup: setup}).Holders(row.offsets); !slices.Equal(got, row.want) {
			t.Errorf("%v that ask for %v more: %v hold a rail, want %v", row.offsets, row.asks, got, row.want)
		}
	}
}

// TestRailsStandHigher: many cores at one setting stand as much higher as order statistics of the normal distribution say, one far above
// the others at its own, and one alone likewise.
func TestRailsStandHigher(t *testing.T) {
	for _, row := range []struct {
		name string
		x    []int
		want int // with a standard deviation of 100 steps
	}{
		{"one", []int{0}, 0}, {"two", []int{0, 0}, 56}, {"four", []int{0, 0, 0, 0}, 103}, {"eight", []int{0, 0, 0, 0, 0, 0, 0, 0}, 142},
		{"one above seven", []int{600, 0, 0, 0, 0, 0, 0, 0}, 600}, {"ten", []int{0, 0, 0, 0, 0, 0, 0, 0, 0, 0}, 154},
	} {
		s := Setup{RailSD: 100}
		cores := make([]int, len(row.x))
		for c := range cores {
			cores[c] = c
		}
		if got := int(math.Round(s.above(row.x, cores))); got < row.want-2 || got > row.want+2 {
			t.Errorf("%s: %d, wanted %d", row.name, got, row.want)
		}
	}
}

// TestWhatCoresAskForIsAllowedFor: where it was measured that one core asks for more than its neighbours, it holds their rail although it
// is set deeper, and they feel that; where the settings make up for it, all feel their own, as if each had a rail.
func TestWhatCoresAskForIsAllowedFor(t *testing.T) {
	setup := usual(3)
	setup.Rails, setup.Asks = []int{0, 0, 0}, []float64{4, -2, -2}
	s := begun(t, setup)
	leg := &Leg{Load: load.Heavy, Cores: []int{0, 1, 2}}
	if got := s.Felt([]int{-12, -10, -10}, leg); !slices.Equal(got, []int{-12, -6, -6}) {
		t.Errorf("beside one that asks for 6 steps more they feel %v", got)
	}
	if got := s.Felt([]int{-12, -10, -10}, &Leg{Load: load.Heavy, Cores: []int{1, 2}}); !slices.Equal(got, []int{-12, -10, -10}) {
		t.Errorf("while that one rests they feel %v", got)
	}
	apart := usual(3)
	own := begun(t, apart)
	if a, b := s.Assess([]int{-14, -8, -8}).Risk24h, own.Assess([]int{-14, -8, -8}).Risk24h; math.Abs(a-b) > 0.02 {
		t.Errorf("where all ask for the same the risk is %.4f, and %.4f with a rail each", a, b)
	}
}

// TestOneCoreHoldsARailUnsurely: what single cores ask for at the same setting is not known. That makes no difference while all stand
// alike, and much where one of them is to hold the rail for the others.
func TestOneCoreHoldsARailUnsurely(t *testing.T) {
	cores := []int{0, 1, 2, 3}
	breaks := func(sd float64, x ...int) float64 {
		setup := usual(4)
		setup.Rails, setup.RailSD = []int{0, 0, 0, 0}, sd
		setup.Prior.ChipSD, setup.Prior.ClusterSD, setup.Prior.CoreSD, setup.Prior.Slope, setup.Prior.SlopeSD = 1, 0, 1, 1.5, 0.1
		s := begun(t, setup)
		const rail = -5
		by := rail - s.setup.above(x, cores)
		for i := range x { // where the rail stands on average is the same
			x[i] += int(math.Round(by))
		}
		return s.Breaks(x, 0.05)
	}
	known, even, one := breaks(0, 0, 0, 0, 0), breaks(4, 0, 0, 0, 0), breaks(4, 0, -40, -40, -40)
	if math.Abs(known-even) > 0.05 || one < even+0.1 {
		t.Errorf("the risk is passed with chances of %.3f and %.3f with all alike, and of %.3f with one alone", known, even, one)
	}
}

// TestClearsAreSpared: of starts that may fail, an order takes no more than its share; without a bound it takes what tells most.
func TestClearsAreSpared(t *testing.T) {
	chance := func(left *int) float64 {
		setup := usual(4)
		setup.Prior.Start, setup.Prior.StartSD, setup.ClearsLeft, setup.BudgetMin = -3, 4, left, 240
		s := begun(t, setup)
		if _, more := s.Next(); !more {
			t.Fatal("no order")
		}
		return s.last.noPost
	}
	some, none := 3, 0
	if free, few, no := chance(nil), chance(&some), chance(&none); free < 0.15 || few > 0.11 || no > 0.011 {
		t.Errorf("the machine stays down with chances of %.3f without a bound, %.3f with three and %.3f with none left", free, few, no)
	}
}

// TestAWeakCoreStaysShallow: a core that fails even at the shallowest setting is left there, with rails or without; it takes nobody along
// to the deepest, and holds nobody back who was seen to hold deeper.
func TestAWeakCoreStaysShallow(t *testing.T) {
	for name, rails := range map[string][]int{"rails of their own": nil, "one rail": {0, 0, 0, 0}} {
		setup := usual(4)
		setup.MaxSteps, setup.Rails, setup.Regimes = 0, rails, []load.Regime{load.RegimeLight}
		s := begun(t, setup)
		var records []Past
		one := func(core, depth int, minutes float64, v verdict.Verdict) {
			offsets := make([]int, 4)
			offsets[core] = depth
			ended := LegEnded{Minutes: minutes, Verdict: v}
			if v.Failed() {
				ended.Core = &core
			}
			records = append(records, Past{Order: Order{offsets, []Leg{{Load: load.Light, Cores: []int{core}, Minutes: 60}}},
				Outcome: Outcome{Posted: true, Legs: []LegEnded{ended}}})
		}
		for range 4 {
			one(2, 0, 0.3, verdict.Miscalculated)
		}
		for _, core := range []int{0, 1, 3} {
			one(core, -30, 120, verdict.Held)
		}
		if err := s.Learn(records, nil); err != nil {
			t.Fatal(err)
		}
		found := s.Recommend(0.05)
		if found[2] != 0 {
			t.Errorf("%s: the core that fails at 0 is brought to %d", name, found[2])
		}
		for _, core := range []int{0, 1, 3} {
			if x := found[core]; x > -4 || x < -32 {
				t.Errorf("%s: core %d, which held at −30, is brought to %d", name, core, x)
			}
		}
		if s.Breaks(found, 0.05) < 0.9 {
			t.Errorf("%s: no word of that the risk is passed", name)
		}
	}
}

// TestRailsAndUseAreUnderstood: beside a shallow core on its rail a deep one proves nothing under a load of both, and all of it alone;
// months of use prove what minutes do not, and a fault in them takes that back.
func TestRailsAndUseAreUnderstood(t *testing.T) {
	held := Outcome{Posted: true, Legs: []LegEnded{{Minutes: 30, Verdict: verdict.Held}}}
	uneven := func(kind load.Kind, cores ...int) Past {
		return Past{Order: Order{[]int{-30, -10, -10}, []Leg{{Load: kind, Cores: cores, Minutes: 30}}}, Outcome: held}
	}
	shared := usual(3)
	shared.Rails = []int{0, 0, 0}
	for _, row := range []struct {
		name   string
		setup  Setup
		trials []Past
		uses   []Use
		less   float64 // by how many steps core 0's limits lie deeper than before, at least,
		most   float64 // and at most
	}{
		{"a rail each", usual(3), []Past{uneven(load.Heavy, 0, 1, 2)}, nil, 6, 20},
		{"one rail: its start alone", shared, []Past{uneven(load.Heavy, 0, 1, 2)}, nil, 0, 3},
		{"one rail, alone on it", shared, []Past{uneven(load.Heavy, 0)}, nil, 6, 20},
		{"twenty steps less bold then", shared, []Past{{uneven(load.Heavy, 0).Order, held,
			Shift{All: map[load.Regime]float64{load.RegimeHeavy: 20, load.RegimeLight: 20}}}}, nil, 0, 2},
		{"a month of use", usual(3), nil, []Use{{[]int{-24, -24, -24}, 30 * minutesADay, 0, Shift{}, false}}, 9.5, 20},
		{"with faults", usual(3), nil, []Use{{[]int{-24, -24, -24}, 30 * minutesADay, 3, Shift{}, false}}, 0, 9},
	} {
		before, after := begun(t, row.setup), begun(t, row.setup)
		if err := after.Learn(row.trials, row.uses); err != nil {
			t.Fatal(err)
		}
		less := 0.0
		for i, l := range before.Result().Limits[:1] {
			less += l.Mean - after.Result().Limits[i].Mean
		}
		if less < row.less || less > row.most {
			t.Errorf("%s: limits %.1f steps deeper, wanted %g to %g", row.name, less, row.less, row.most)
		}
	}
	month, faulty := begun(t, usual(3)), begun(t, usual(3))
	x := []int{-24, -24, -24}
	if err := errors.Join(month.Learn(nil, []Use{{x, 30 * minutesADay, 0, Shift{}, false}}),
		faulty.Learn(nil, []Use{{x, 30 * minutesADay, 3, Shift{}, false}})); err != nil {
		t.Fatal(err)
	}
	if a, b := month.Assess(x).Risk24h, faulty.Assess(x).Risk24h; a > 0.02 || b < 0.05 || b > 0.25 {
		t.Errorf("a month without a fault leaves a risk of %.3f a day, with three %.3f", a, b)
	}
}

// TestDeeperIsRiskier: of what is believed after some trials, a core taken deeper adds to the risk and has less clearance, a smaller risk
// is bought by depth, and what is recommended is what is assessed.
func TestDeeperIsRiskier(t *testing.T) {
	s := begun(t, usual(3))
	legs := []Leg{{Load: load.Heavy, Cores: []int{0, 1, 2}, Minutes: 5}}
	held := Outcome{Posted: true, Legs: []LegEnded{{Minutes: 5, Verdict: verdict.Held}}}
	one := 1
	failed := Outcome{Posted: true, Legs: []LegEnded{{Minutes: 1, Verdict: verdict.Miscalculated, Core: &one}}}
	if err := s.Learn([]Past{{Order: Order{[]int{-20, -20, -20}, legs}, Outcome: held},
		{Order: Order{[]int{-20, -28, -20}, legs}, Outcome: failed}}, nil); err != nil {
		t.Fatal(err)
	}
	found := s.Result()
	at := s.Assess(found.Offsets)
	if math.Abs(at.Risk24h-found.Risk24h) > 1e-12 || at.Low > at.Risk24h || at.High < at.Low {
		t.Errorf("recommended with %g, assessed with %+v", found.Risk24h, at)
	}
	for c := range found.Offsets {
		x := slices.Clone(found.Offsets)
		x[c] -= 3
		if deeper := s.Assess(x); deeper.Risk24h <= at.Risk24h || math.Abs(at.Cores[c].Clearance-deeper.Cores[c].Clearance-3) > 1e-9 {
			t.Errorf("core %d three steps deeper: %+v after %+v", c, deeper, at)
		}
	}
	bold, shy := s.Recommend(0.1), s.Recommend(0.001)
	for c := range bold {
		if shy[c] <= bold[c] {
			t.Errorf("core %d at %d for 1 in 10 a day, at %d for 1 in 1000", c, bold[c], shy[c])
		}
	}
	if limits := found.Limits; limits[1].Mean <= limits[0].Mean {
		t.Errorf("the core that failed deeper is believed no weaker: %+v", limits)
	}
}

// TestOneSettingForSeveralCores: cores that have one setting are never ordered or recommended apart.
func TestOneSettingForSeveralCores(t *testing.T) {
	for each, groups := range map[Each][]int{EachChip: {0, 0, 0, 0}, EachCluster: {0, 0, 1, 1}} {
		s := usual(4)
		s.Each, s.BudgetMin = each, 30
		for c := range s.Cores {
			s.Cores[c].Cluster = c / 2
		}
		for _, l := range answered(t, s) {
			x := l.offsets()
			for c, g := range groups {
				if x[c] != x[slices.Index(groups, g)] {
					t.Errorf("%s: %v", each, x)
				}
			}
		}
	}
}

func (l Line) offsets() []int {
	if l.Order != nil {
		return l.Order.Offsets
	}
	return l.Result.Offsets
}

// TestWhySaysWhatIsDone: while an order is out its reason is told, of the core that it is about.
func TestWhySaysWhatIsDone(t *testing.T) {
	s := begun(t, usual(4))
	alone := 0
	for s.Why() == "" {
		o, more := s.Next()
		if !more {
			break
		}
		why, core := s.Why(), "All cores"
		if len(o.Legs[0].Cores) == 1 {
			alone++
			core = fmt.Sprintf("Core %d alone", o.Legs[0].Cores[0])
		}
		if !strings.HasPrefix(why, core) || !strings.Contains(why, " min)") {
			t.Errorf("%v: %s", o, why)
		}
		out := Outcome{Posted: true, Legs: make([]LegEnded, len(o.Legs))}
		for i := range out.Legs {
			out.Legs[i].Verdict = NotRun
		}
		at := alone % len(s.setup.Cores)
		out.Legs[0] = LegEnded{Minutes: o.Legs[0].Minutes / 2, Verdict: verdict.Miscalculated, Core: &at}
		if err := s.Take(out); err != nil {
			t.Fatal(err)
		}
	}
	if alone == 0 {
		t.Error("no core was tried alone")
	}
}

// TestPlanRefusesNonsense: each fault is named with its line and field.
func TestPlanRefusesNonsense(t *testing.T) {
	s := usual(2)
	text, err := json.Marshal(Line{Setup: &s})
	if err != nil {
		t.Fatal(err)
	}
	setup := string(text) + "\n"
	for name, row := range map[string]struct {
		in   string
		says []string
	}{
		"nothing":          {"", []string{"no setup"}},
		"no JSON":          {"{", []string{"line 1"}},
		"an outcome first": {`{"outcome":{"posted":false}}`, []string{"line 1", "setup first"}},
		"many faults": {`{"setup":{"cores":[],"minSteps":3,"maxSteps":2,"regimes":["warm"],"prior":{"limitMean":1e9},` +
			`"risk24h":2,"budgetMin":-1}}`, []string{"cores", "minSteps", "regimes[0]", "prior.limitMean", "prior.chipSd", "risk24h", "budgetMin"}},
		"two setups": {setup + setup, []string{"line 2"}},
		"no end":     {setup, []string{"the input ends"}},
		"a core too many": {setup + `{"outcome":{"posted":true,"legs":[{"minutes":-1,"verdict":"miscalculated","core":9}]}}`,
			[]string{"line 2", "minutes", "core"}},
		"no such verdict": {setup + `{"outcome":{"posted":true,"legs":[{"minutes":1,"verdict":"fine"}]}}`, []string{"line 2", "verdict"}},
	} {
		err := Plan(strings.NewReader(row.in), &bytes.Buffer{})
		if err == nil {
			t.Errorf("%s: taken", name)
			continue
		}
		for _, want := range row.says {
			if !strings.Contains(err.Error(), want) {
				t.Errorf("%s: %v, without %q", name, err, want)
			}
		}
	}
}

// FuzzPlan: no conversation makes the planner fail otherwise than in words.
func FuzzPlan(f *testing.F) {
	s := usual(2)
	text, err := json.Marshal(Line{Setup: &s})
	if err != nil {
		f.Fatal(err)
	}
	f.Add(string(text) + "\n" + `{"outcome":{"posted":false}}`)
	f.Add(string(text) + "\n" + `{"outcome":{"posted":true,"legs":[{"minutes":0,"verdict":"froze"},{"minutes":1,"verdict":"not run"}]}}`)
	f.Fuzz(func(t *testing.T, in string) {
		if strings.Count(in, "cluster") > 20 {
			t.Skip()
		}
		_ = Plan(strings.NewReader(in), &bytes.Buffer{})
	})
}
