package cooling_test

import (
	"errors"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"zerokeel/core/cooling"
	"zerokeel/core/heat"
	"zerokeel/core/invalid"
	"zerokeel/core/load"
	"zerokeel/core/part"
	"zerokeel/core/series"
)

var loads = []load.Kind{load.Idle, load.Light, load.Mixed, load.Heavy}

// draw makes a machine by laws of its own: each load stands above the room by what its power makes of a resistance that falls with
// the duty, and each is put up with at what it has at some duty.
func draw(r *rand.Rand) cooling.Asked {
	a := cooling.Asked{Tables: map[load.Kind]cooling.Table{}, Ceiling: map[load.Kind]float64{}, Hours: map[load.Kind]float64{},
		Start: 15 + 20*r.Float64(), FullC: 88 + 4*r.Float64(), Stands: r.IntN(2) == 0,
		Board: cooling.Board{Points: 2 + r.IntN(6), C: part.BoardSetting{Max: 100, Step: 1}, Duty: part.BoardSetting{Max: 100, Step: 1}}}
	a.Noise = func(duty float64) float64 { return math.Max(0, 40+50*math.Log10(math.Max(duty, 0.01)/100)) }
	power := 0.3 + 0.2*r.Float64()
	rise := 6 + 4*r.Float64()
	for _, kind := range loads {
		own := 5 * r.Float64()
		at := func(duty float64) float64 {
			if duty <= 0 {
				duty = 8
			}
			return 24 + own + rise*math.Pow(duty/100, -power)
		}
		duties := []float64{0}
		for d := math.Ceil(a.Start); d < 100; d += 3 {
			duties = append(duties, d)
		}
		for _, d := range append(duties, 100) {
			a.Tables[kind] = append(a.Tables[kind], cooling.Held{Duty: d, ControlC: at(d), HottestC: at(d), HalfC: 0.2 + r.Float64()})
		}
		a.Ceiling[kind] = at(30+60*r.Float64()) + 2
		a.Hours[kind] = 8 * r.Float64()
		rise *= 1.4 + 0.5*r.Float64()
	}
	return a
}

// TestQuietestKeepsWhatItSays: on machines of every make, whatever the board's points, a proposed curve rises to full speed, keeps each
// ceiling by walking it in small steps as a machine would, and none that differs by a point is quieter.
func TestQuietestKeepsWhatItSays(t *testing.T) {
	proposed, missed := 0, 0
	for seed := range uint64(100) {
		r := rand.New(rand.NewPCG(seed, 5))
		a := draw(r)
		q, err := cooling.Quietest(a)
		var f invalid.List
		if errors.As(err, &f) {
			missed++
			for _, x := range f {
				if !strings.HasPrefix(x.Field, "ceilings") {
					t.Errorf("%d: %v", seed, x)
				}
			}
			continue
		} else if err != nil {
			t.Fatal(err)
		}
		proposed++
		if len(q.Curve) != a.Board.Points || q.Curve[len(q.Curve)-1].Duty != 100 || q.Curve[len(q.Curve)-1].C > a.FullC {
			t.Errorf("%d: %v", seed, q.Curve)
		}
		for _, rest := range q.Rests {
			c, duty := 24.0, 0.0
			for range 20000 { // a machine that warms slowly under the curve
				if duty = heat.Duty(q.Curve, c); duty < a.Start {
					duty = 0
				}
				c += 0.01 * (a.Tables[rest.Load].At(duty).ControlC - c)
			}
			held := a.Tables[rest.Load].At(duty)
			if math.Abs(c-rest.ControlC) > 0.5 || held.HottestC+held.HalfC > a.Ceiling[rest.Load]+0.3 {
				t.Errorf("%d %s: ends at %.2f °C, not %.2f; %.1f is allowed under %v", seed, rest.Load, c, rest.ControlC, a.Ceiling[rest.Load], q.Curve)
			}
		}
		for range 300 {
			other := append([]heat.Point(nil), q.Curve...)
			i := r.IntN(len(other))
			other[i].C, other[i].Duty = other[i].C+float64(r.IntN(7)-3), other[i].Duty+float64(r.IntN(7)-3)
			if u := a.Under(other); u.Mean < q.Mean-0.15 && keeps(&a, u) {
				t.Errorf("%d: %v is quieter by %.2f dB than %v", seed, other, q.Mean-u.Mean, q.Curve)
				break
			}
		}
	}
	if proposed < 95 {
		t.Errorf("curves for %d machines, none for %d", proposed, missed)
	}
}

func keeps(a *cooling.Asked, q cooling.Quiet) bool {
	for i, p := range q.Curve {
		if p.Duty < a.Start && (p.Duty != 0 || !a.Stands) || p.Duty > 100 {
			return false
		}
		if i > 0 {
			from := q.Curve[i-1]
			if p.C <= from.C || p.Duty < from.Duty || i+1 < len(q.Curve) && p.Duty-from.Duty > 4*(p.C-from.C) {
				return false
			}
		}
	}
	if last := q.Curve[len(q.Curve)-1]; last.Duty < 100 || last.C > a.FullC {
		return false
	}
	for _, r := range q.Rests {
		if r.Hunts || r.HottestC+r.HalfC > a.Ceiling[r.Load] {
			return false
		}
	}
	return true
}

// TestNoCeilingIsPromisedThatCannotBeKept: each load that even a fan at full speed leaves too hot is named, with what could be kept.
func TestNoCeilingIsPromisedThatCannotBeKept(t *testing.T) {
	a := draw(rand.New(rand.NewPCG(1, 1)))
	a.Ceiling[load.Heavy], a.Ceiling[load.Light] = 20, 25
	_, err := cooling.Quietest(a)
	var f invalid.List
	if !errors.As(err, &f) || len(f) != 2 || f[0].Field != "ceilings.heavy" || f[1].Field != "ceilings.light" ||
		!strings.Contains(f[0].Remedy, "°C or more") {
		t.Errorf("%v", err)
	}
}

// TestFollow: a temperature that jumps makes a fan howl that neither waits nor averages, and no other; a slow one is heard as often
// as it goes up or down.
func TestFollow(t *testing.T) {
	noise := func(duty float64) float64 { return math.Max(0, 40+50*math.Log10(math.Max(duty, 0.01)/100)) }
	curve := []heat.Point{{C: 40, Duty: 30}, {C: 80, Duty: 100}}
	var spikes, slow []series.Sample
	for s := range int64(3600) {
		v := 45.0
		if s%90 < 3 {
			v = 65
		}
		spikes = append(spikes, series.Sample{T: 1000 * s, V: v})
		slow = append(slow, series.Sample{T: 1000 * s, V: 60 - 15*math.Cos(2*math.Pi*float64(s)/1200)})
	}
	for _, row := range []struct {
		name    string
		c       heat.Control
		samples []series.Sample
		least   int
		most    int
	}{
		{"at once", heat.Control{Curve: curve}, spikes, 79, 80},
		{"after a delay", heat.Control{Curve: curve, ResponseS: 8}, spikes, 0, 1},
		{"averaged", heat.Control{Curve: curve, SmoothingS: 40}, spikes, 0, 1},
		{"three slow waves", heat.Control{Curve: curve, SmoothingS: 5}, slow, 6, 6},
		{"a level curve", heat.Control{Curve: []heat.Point{{C: 20, Duty: 50}}}, spikes, 0, 0},
	} {
		f := cooling.Follow(&row.c, row.samples, noise)
		if f.Changes < row.least || f.Changes > row.most || len(f.Duty) != len(row.samples) || f.Most < f.Mean {
			t.Errorf("%s: heard %d times, want %d to %d", row.name, f.Changes, row.least, row.most)
		}
	}
	gap := []series.Sample{{T: 0, V: 45}, {T: 1000, V: math.NaN()}, {T: 2000, V: 46}, {T: 900_000, V: 70}, {T: 901_000, V: 70}}
	f := cooling.Follow(&heat.Control{Curve: curve, SmoothingS: 60, ResponseS: 30}, gap, noise)
	if len(f.Duty) != 4 || f.Duty[2].V != heat.Duty(curve, 70) {
		t.Errorf("after a gap the fan is not where it would have come to rest: %v", f.Duty)
	}
	seen := cooling.Seen{FromC: 20, WidthC: 2}
	seen.Add(gap)
	total := 0.0
	for _, s := range seen.Seconds {
		total += s
	}
	if seen.Seconds[12] == 0 || seen.Seconds[25] == 0 || total < 4 || total > 8 {
		t.Errorf("seen for %v", seen.Seconds)
	}
}
