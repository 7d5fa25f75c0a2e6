// Package compare holds the runs of two trims against each other: figure by figure, with the difference, its interval, and
// whether it is larger than what differs from run to run and from day to day anyway.
package compare

import (
	"math"
	"slices"

	"zerokeel/core/channel"
	"zerokeel/core/load"
	"zerokeel/core/stat"
	"zerokeel/core/yardstick"
)

// Run is one run of a yardstick: its score, and the figures of the time that was scored, by channel.
type Run struct {
	ID      int64
	Session string // in which it was taken: runs of one share its day
	Score   float64
	Figures []channel.Figure
	Left    string // why it is left out; empty while it counts
}

// figure returns a run's figure of a channel; nil if there is none.
func (r *Run) figure(key string) *channel.Figure {
	if i := slices.IndexFunc(r.Figures, func(f channel.Figure) bool { return f.Key == key }); i >= 0 {
		return &r.Figures[i]
	}
	return nil
}

// mean returns a run's mean of a channel.
func (r *Run) mean(key string) (float64, bool) {
	if f := r.figure(key); f != nil {
		return f.Mean, true
	}
	return 0, false
}

// peak returns a run's peak of a channel.
func (r *Run) peak(key string) (float64, bool) {
	if f := r.figure(key); f != nil {
		return f.Peak, true
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
func (b Better) gains(d *Difference) bool {
	return d.Shown && (b == Higher && d.Absolute > 0 || b == Lower && d.Absolute < 0)
}

// measure is one row of a comparison: a figure of each run. day is the standard deviation of what one day differs from another
// under the same trim, as a share of the figure or in its unit, and step the channel whose smallest step it has.
type measure struct {
	key, label, unit string
	better           Better
	of               func(*Run) (float64, bool)
	day              daily
	step             string
}

// daily is the standard deviation: a share of a figure and an amount in its unit, of which one is given.
type daily struct{ Share, Amount float64 }

// of is the spread of a figure that is about so large.
func (s daily) of(value float64) float64 { return s.Share*math.Abs(value) + s.Amount }

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

// days are the spreads of figures from day to day.
var days = map[string]daily{
	"score":                  {Share: 0.003},
	"perWatt":                {Share: 0.008},
	channel.PackagePower:     {Share: 0.007},
	channel.WallPower:        {Share: 0.01},
	channel.MeanClock:        {Share: 0.003},
	channel.DeliveredVoltage: {Amount: 0.002}, // V
	channel.FanSpeed:         {Share: 0.03},
	channel.Temperature:      {Amount: 0.7}, // K: the room's draughts, paste and dust
	channel.AboveAmbient:     {Amount: 0.7},
	channel.CoresAbove:       {Amount: 0.7},
	channel.Coolant:          {Amount: 0.7},
	channel.VRM:              {Amount: 0.7},
	channel.ClusterClock:     {Share: 0.003},
	channel.HighestClock:     {Share: 0.003},
	channel.LowestClock:      {Share: 0.003},
	channel.RequestedVoltage: {Amount: 0.002},
	channel.Noise:            {Amount: 0.7}, // dB(A): 3 % of the speed
}

// measures lists what two trims are compared by, for one yardstick.
func measures(y yardstick.Yardstick) []measure {
	score := measure{"score", y.Name, y.Unit, Better(y.Better), func(r *Run) (float64, bool) { return r.Score, true }, days["score"], ""}
	if y.Load == load.Memory {
		return []measure{score} // a run of some seconds, which tells nothing else of the machine
	}
	rest := y.Measure == yardstick.Rest // whose score is the power itself, and whose clock sleeps
	if rest {
		score.day, score.step = days[channel.PackagePower], channel.PackagePower
	}
	mean := func(key, label, unit string, better Better) measure {
		return measure{key, label, unit, better, meanOf(key), days[key], key}
	}
	list := []measure{score}
	if y.Unit == "pt" {
		list = append(list, measure{"perWatt", "Points per watt", y.Unit + "/W", Better(y.Better), perWatt, days["perWatt"], ""})
	}
	if !rest {
		list = append(list, mean(channel.PackagePower, "Package power", "W", Lower))
	}
	list = append(list,
		mean(channel.WallPower, "Wall power", "W", Lower),
		// A run of some seconds says how far a machine had warmed, not how warm it gets: heat is judged where it has settled.
		measure{"temperature.peak", "Hottest core, peak", "°C", Unjudged, func(r *Run) (float64, bool) { return r.peak(channel.Temperature) },
			days[channel.Temperature], channel.Temperature},
		mean(channel.Temperature, "Hottest core, mean", "°C", Unjudged),
		measure{channel.AboveAmbient, "Above ambient, mean", "K", Unjudged, above, days[channel.AboveAmbient], channel.Temperature},
		mean(channel.DeliveredVoltage, "Core voltage at load", "V", Neither),
	)
	if !rest {
		list = append(list, mean(channel.MeanClock, "Effective clock", "MHz", Higher))
	}
	return list
}

// Side is one side of a row: its runs' figure, and what they come to.
type Side struct {
	Runs []float64
	stat.Summary
}

// Row is a figure on both sides. Difference is of Other less Base; it is zero, and nothing is shown, where a side has no run.
type Row struct {
	Key, Label, Unit string
	Better           Better
	Base, Other      Side
	Difference
	Visible float64 // a difference of this size would be shown four times of five; +Inf where none can be
	Judged  bool    // whether Shown says anything
	Gain    bool    // the difference is shown, and for the better
}

// Both reports whether a row has runs on both sides, so that its difference means something.
func (r *Row) Both() bool { return r.Base.N > 0 && r.Other.N > 0 }

// Table is the comparison by one yardstick.
type Table struct {
	Rows        []Row
	Sessions    int   // in which the runs were taken
	Interleaved bool  // some session holds runs of both sides
	Left        []Run // those that do not count, each with the reason
}

// Of compares the runs of one yardstick, oldest first, row by row: the score first, then what was measured meanwhile. Rows that
// no run tells are left out, and so are runs that are not alike. The score is judged alone; only where it differs are the others,
// and together, so that of all tables of equals one in twenty at most claims any difference, however often it is looked at:
// each further session halves the level.
func Of(y yardstick.Yardstick, base, other []Run) Table {
	base, other = slices.Clone(base), slices.Clone(other)
	alike(y, base, other)
	t := Table{}
	for _, r := range slices.Concat(base, other) {
		if r.Left != "" {
			t.Left = append(t.Left, r)
		}
	}
	counts := func(runs []Run) []Run { return slices.DeleteFunc(runs, func(r Run) bool { return r.Left != "" }) }
	base, other = counts(base), counts(other)
	design := designOf(base, other)
	t.Sessions, t.Interleaved = design.sessions, design.interleaved
	for _, m := range measures(y) {
		r := Row{Key: m.key, Label: m.label, Unit: m.unit, Better: m.better, Base: side(base, &m), Other: side(other, &m),
			Visible: math.Inf(1)}
		if r.Base.N+r.Other.N == 0 {
			continue
		}
		if r.Both() {
			r.compare(base, other, &m, design.level)
		}
		t.Rows = append(t.Rows, r)
	}
	if len(t.Rows) == 0 {
		return t
	}
	first, rest := &t.Rows[0], t.Rows[1:]
	first.Judged, first.Shown = first.Both(), first.Both() && first.P <= design.level
	for i := range rest {
		rest[i].Judged = rest[i].Both() && rest[i].Better != Unjudged && first.Shown
	}
	stepDown(rest, design.level, func(r *Row) (*Difference, bool) { return &r.Difference, r.Judged })
	for i := range t.Rows {
		t.Rows[i].Gain = t.Rows[i].Better.gains(&t.Rows[i].Difference)
	}
	return t
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

// compare works out the difference of a row.
func (r *Row) compare(base, other []Run, m *measure, level float64) {
	step := 0.0
	var blocks blocks
	for i, runs := range [][]Run{base, other} {
		for j := range runs {
			x, ok := m.of(&runs[j])
			if !ok {
				continue
			}
			blocks.add(runs[j].Session, i, x)
			if f := runs[j].figure(m.step); f != nil {
				step = math.Max(step, f.Step)
			}
		}
	}
	if step == 0 {
		step = stepOf(slices.Concat(r.Base.Runs, r.Other.Runs))
	}
	r.Difference, r.Visible = blocks.contrast(m.day.of((r.Base.Mean+r.Other.Mean)/2), step, level)
	if r.Unit == "°C" {
		r.Percent = math.NaN() // a share of degrees above the freezing of water says nothing
	}
}

// stepDown judges rows together at a level; what is not judged shows nothing.
func stepDown[R any](rows []R, level float64, of func(*R) (d *Difference, judged bool)) {
	var together []*Difference
	var p []float64
	for i := range rows {
		d, judged := of(&rows[i])
		if d.Shown = false; judged {
			together, p = append(together, d), append(p, d.P)
		}
	}
	for i, shown := range stat.StepDown(p, level) {
		together[i].Shown = shown
	}
}
