package fan_test

import (
	"errors"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"zerokeel/core/channel"
	"zerokeel/core/fan"
	"zerokeel/core/series"
)

// wheel is a fan by its own mechanics: torque of its motor against drag, with friction that must be overcome to start.
type wheel struct {
	startDuty, stallDuty, top, floor, inertiaS float64
	rpm                                        float64
}

func (w *wheel) step(duty, dt float64) {
	least := w.stallDuty
	if w.rpm < 20 {
		least = w.startDuty
	}
	goal := 0.0
	if duty >= least {
		goal = math.Max(w.floor, w.top*math.Pow(duty/100, 0.8))
	}
	w.rpm += (goal - w.rpm) * dt / (w.inertiaS + dt)
}

// bench sweeps a header and reads what hangs on it once a second, with noise.
type bench struct {
	sweep   fan.Sweep
	on      map[string]*wheel                                   // by channel, driven by the header
	others  map[string]func(second, duty float64) (rpm float64) // driven by something else
	told    func(duty float64) float64                          // what the board says of its duty; nil for nothing
	cut     float64                                             // the recording ends after this share
	noise   float64
	learned *fan.Learnt
	err     error
}

func (b *bench) run(r *rand.Rand) {
	samples := channel.Samples{}
	const start = 1_700_000_000_000
	end := b.sweep.Seconds()
	if b.cut > 0 {
		end *= b.cut
	}
	for s := 0.0; s < end; s++ {
		duty := b.sweep.At(s)
		put := func(key string, v float64) {
			samples[key] = append(samples[key], series.Sample{T: start + int64(1000*s) + r.Int64N(200), V: math.Round(v)})
		}
		for key, w := range b.on {
			for range 20 {
				w.step(duty, 0.05)
			}
			put(key, math.Max(0, w.rpm+b.noise*r.NormFloat64()))
		}
		for key, rpm := range b.others {
			put(key, rpm(s, duty)+b.noise*r.NormFloat64())
		}
		if b.told != nil {
			put("duty.fan.2", b.told(duty))
		}
	}
	b.learned, b.err = b.sweep.Learn(start, samples, "duty.fan.2")
}

// TestLearn: fans of many makes are told apart by what they do, whatever else turns meanwhile.
func TestLearn(t *testing.T) {
	usual := func() *wheel { return &wheel{startDuty: 34, stallDuty: 21, top: 1720, inertiaS: 1.4, rpm: 1700} }
	steady := func(rpm float64) func(float64, float64) float64 { return func(float64, float64) float64 { return rpm } }
	same := func(duty float64) float64 { return duty }
	for _, row := range []struct {
		name  string
		bench bench
		check func(l *fan.Learnt) bool
		fails string
	}{
		{"a usual fan beside a pump and a case fan", bench{on: map[string]*wheel{"speed.fan.2": usual()}, told: same, noise: 6,
			others: map[string]func(float64, float64) float64{"speed.fan.1": steady(2800), "speed.fan.3": steady(900)}},
			func(l *fan.Learnt) bool {
				return l.Answers[0] == "speed.fan.2" && len(l.Answers) == 1 && len(l.Still) == 2 && l.Stops && !l.Pump && !l.Unsteady &&
					l.Stall == 25 && l.Start == 35 && math.Abs(l.Speeds[len(l.Speeds)-1].RPM-1720) < 15
			}, ""},
		{"another header answers", bench{on: map[string]*wheel{"speed.board.fan7": usual()}, noise: 6,
			others: map[string]func(float64, float64) float64{"speed.fan.2": steady(1200)}},
			func(l *fan.Learnt) bool {
				return l.Answers[0] == "speed.board.fan7" && slices.Equal(l.Still, []string{"speed.fan.2"})
			}, ""},
		{"a pump", bench{on: map[string]*wheel{"speed.fan.2": {stallDuty: 0, top: 2900, floor: 1500, inertiaS: 0.8, rpm: 2900}}, noise: 10},
			func(l *fan.Learnt) bool { return l.Pump && !l.Stops && l.Speeds[0].RPM > 1400 }, ""},
		{"a fan that never stops", bench{on: map[string]*wheel{"speed.fan.2": {top: 1500, floor: 300, inertiaS: 1, rpm: 1500}}, noise: 5},
			func(l *fan.Learnt) bool { return !l.Pump && !l.Stops && l.Stall == 0 }, ""},
		{"a heavy fan that had not come to rest", bench{on: map[string]*wheel{"speed.fan.2": {startDuty: 30, stallDuty: 20, top: 1200, inertiaS: 9, rpm: 1200}}},
			func(l *fan.Learnt) bool { return l.Unsteady }, ""},
		{"a splitter with two fans", bench{on: map[string]*wheel{"speed.fan.2": usual(), "speed.fan.5": {startDuty: 30, stallDuty: 20, top: 1100, inertiaS: 1, rpm: 1100}}},
			func(l *fan.Learnt) bool { return len(l.Answers) == 2 }, ""},
		{"nothing on it, while others follow the heat that rises meanwhile", bench{noise: 8, others: map[string]func(float64, float64) float64{
			"speed.fan.1": func(_, duty float64) float64 { return 1500 - 6*duty }, "speed.fan.3": func(s, _ float64) float64 { return 700 + 2*s }}},
			nil, "no fan answers to this header"},
		{"a board that keeps its own duty", bench{on: map[string]*wheel{}, told: func(float64) float64 { return 42 },
			others: map[string]func(float64, float64) float64{"speed.fan.2": steady(900)}}, nil, "did not take the duty"},
		{"a sweep that was cut off", bench{on: map[string]*wheel{"speed.fan.2": usual()}, cut: 0.6}, nil,
			"from the first step of the sweep to the last"},
		{"no speed is told", bench{told: same}, nil, "no fan's speed was read"},
	} {
		t.Run(row.name, func(t *testing.T) {
			for seed := range uint64(20) {
				b := row.bench
				b.sweep = fan.Usual("duty.fan.2", 0)
				on := map[string]*wheel{}
				for key, w := range b.on {
					fresh := *w
					on[key] = &fresh
				}
				b.on = on
				b.run(rand.New(rand.NewPCG(seed, 9)))
				var unlearnt *fan.Unlearnt
				switch {
				case row.fails != "" && (!errors.As(b.err, &unlearnt) || !strings.Contains(b.err.Error(), row.fails)):
					t.Fatalf("%v, %v", b.learned, b.err)
				case row.fails == "" && b.err != nil:
					t.Fatal(b.err)
				case row.check != nil && !row.check(b.learned):
					t.Fatalf("%+v", *b.learned)
				}
			}
		})
	}
}

// TestUsualSweep: it comes back to full speed, and says what is wrong with one that would not.
func TestUsualSweep(t *testing.T) {
	s := fan.Usual("duty.fan.1", 0)
	if f := s.Validate(); len(f) > 0 {
		t.Fatal(f)
	}
	if s.At(0) != 100 || s.At(s.Seconds()/2) != 0 || s.At(2*s.Seconds()) != 100 {
		t.Errorf("from %g over %g to %g %%", s.At(0), s.At(s.Seconds()/2), s.At(2*s.Seconds()))
	}
	if low := slices.Min(fan.Usual("duty.fan.1", 60).Duties); low != 60 {
		t.Errorf("what may be a pump is taken down to %g %%", low)
	}
	bad := fan.Sweep{Header: "speed.fan.1", Duties: []float64{50, -1, math.NaN()}, DwellS: 0.1, MaxC: 120}
	var fields []string
	for _, f := range bad.Validate() {
		fields = append(fields, f.Field)
	}
	if got := strings.Join(fields, " "); got != "header duties[1] duties[2] dwellS maxC" {
		t.Errorf("faults at %s", got)
	}
}
