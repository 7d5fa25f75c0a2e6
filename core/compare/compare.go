// Package compare holds the runs of two trims against each other: figure by figure, with the difference, its interval, and
// whether it is larger than what differs from run to run anyway.
package compare

import (
	"math"

	"zerokeel/core/channel"
	"zerokeel/core/load"
	"zerokeel/core/stat"
	"zerokeel/core/yardstick"
)

// Run is one run of a yardstick: its score, and the figures of its leg by channel.
type Run struct {
	Score   float64
	Figures []channel.Figure
}

// mean returns a run's mean of a channel.
func (r *Run) mean(key string) (float64, bool) {
	for _, f := range r.Figures {
		if f.Key == key {
			return f.Mean, true
		}
	}
	return 0, false
}

// peak returns a run's peak of a channel.
func (r *Run) peak(key string) (float64, bool) {
	for _, f := range r.Figures {
		if f.Key == key {
			return f.Peak, true
		}
	}
	return 0, false
}

// Better tells which of two figures is the better one.
type Better string

const (
	Higher  Better = "higher"
	Lower   Better = "lower"
	Neither Better = "neither"
	// Unjudged figures are shown, but no difference of theirs is claimed.
	Unjudged Better = "unjudged"
)

// Word is Better as it is shown: of an unjudged figure neither is.
func (b Better) Word() string {
	if b == Unjudged {
		return string(Neither)
	}
	return string(b)
}

// gains reports whether a difference that is shown is for the better.
func (b Better) gains(d *stat.Difference) bool {
	return d.Shown && (b == Higher && d.Absolute > 0 || b == Lower && d.Absolute < 0)
}

// measure is one row of a comparison: a figure of each run.
type measure struct {
	key, label, unit string
	better           Better
	of               func(*Run) (float64, bool)
}

func meanOf(key string) func(*Run) (float64, bool) {
	return func(r *Run) (float64, bool) { return r.mean(key) }
}

// perWatt is a run's score for each watt of package power.
func perWatt(r *Run) (float64, bool) {
	w, ok := r.mean(channel.PackagePower)
	return r.Score / w, ok && w > 0
}

// above is how hot the processor was above ambient.
func above(r *Run) (float64, bool) {
	t, ok := r.mean(channel.Temperature)
	a, known := r.mean(channel.Ambient)
	return t - a, ok && known
}

// measures lists what two trims are compared by, for one yardstick.
func measures(y yardstick.Yardstick) []measure {
	score := measure{"score", y.Name, y.Unit, Better(y.Better), func(r *Run) (float64, bool) { return r.Score, true }}
	if y.Load == load.Memory {
		return []measure{score} // a run of some seconds, which tells nothing else of the machine
	}
	rest := y.Measure == yardstick.Rest // whose score is the power itself, and whose clock sleeps
	list := []measure{score}
	if y.Unit == "pt" {
		list = append(list, measure{"perWatt", "Points per watt", y.Unit + "/W", Better(y.Better), perWatt})
	}
	if !rest {
		list = append(list, measure{channel.PackagePower, "Package power", "W", Lower, meanOf(channel.PackagePower)})
	}
	list = append(list,
		measure{channel.WallPower, "Wall power", "W", Lower, meanOf(channel.WallPower)},
		// A run of some seconds says how far a machine had warmed, not how warm it gets: heat is judged where it has settled.
		measure{"temperature.peak", "Hottest core, peak", "°C", Unjudged, func(r *Run) (float64, bool) { return r.peak(channel.Temperature) }},
		measure{channel.Temperature, "Hottest core, mean", "°C", Unjudged, meanOf(channel.Temperature)},
		measure{channel.AboveAmbient, "Above ambient, mean", "K", Unjudged, above},
		measure{channel.DeliveredVoltage, "Core voltage at load", "V", Neither, meanOf(channel.DeliveredVoltage)},
	)
	if !rest {
		list = append(list, measure{channel.MeanClock, "Effective clock", "MHz", Higher, meanOf(channel.MeanClock)})
	}
	return list
}

// Side is one side of a row: its runs' figure, and what they come to.
type Side struct {
	Runs []float64
	stat.Summary
}

func side(runs []Run, m *measure) Side {
	var s Side
	for i := range runs {
		if x, ok := m.of(&runs[i]); ok {
			s.Runs = append(s.Runs, x)
		}
	}
	s.Summary = stat.Summarise(s.Runs)
	return s
}

// Row is a figure on both sides. Difference is of Other less Base; it is zero, and nothing is shown, where a side has no run.
type Row struct {
	Key, Label, Unit string
	Better           Better
	Base, Other      Side
	stat.Difference
	Judged bool // whether Shown says anything
	Gain   bool // the difference is shown, and for the better
}

// Both reports whether a row has runs on both sides, so that its difference means something.
func (r *Row) Both() bool { return r.Base.N > 0 && r.Other.N > 0 }

// Table compares the runs of one yardstick, row by row: the score first, then what was measured meanwhile. Rows that no run
// tells are left out. The score is judged alone; only where it differs are the others, and together, so that of all tables of
// equals one in twenty at most claims any difference.
func Table(y yardstick.Yardstick, base, other []Run) []Row {
	var out []Row
	for _, m := range measures(y) {
		r := Row{Key: m.key, Label: m.label, Unit: m.unit, Better: m.better, Base: side(base, &m), Other: side(other, &m)}
		if r.Base.N+r.Other.N == 0 {
			continue
		}
		if r.Both() {
			r.Difference = stat.Welch(r.Base.Summary, r.Other.Summary)
			if r.Unit == "°C" {
				r.Percent = math.NaN() // a share of degrees above the freezing of water says nothing
			}
		}
		out = append(out, r)
	}
	if len(out) == 0 {
		return nil
	}
	for i := range out {
		out[i].Judged = out[i].Both() && out[i].Better != Unjudged && (i == 0 || out[0].Shown)
	}
	stepDown(out[1:], func(r *Row) (*stat.Difference, bool) { return &r.Difference, r.Judged })
	for i := range out {
		out[i].Gain = out[i].Better.gains(&out[i].Difference)
	}
	return out
}

// stepDown judges rows together; what is not judged shows nothing.
func stepDown[R any](rows []R, of func(*R) (d *stat.Difference, judged bool)) {
	var together []*stat.Difference
	var p []float64
	for i := range rows {
		d, judged := of(&rows[i])
		if d.Shown = false; judged {
			together, p = append(together, d), append(p, d.P)
		}
	}
	for i, shown := range stat.StepDown(p) {
		together[i].Shown = shown
	}
}
