// Package compare holds configurations against each other, two or more at once: figure by figure, with each pair's difference, its
// interval, and whether it is larger than what differs from run to run and from day to day anyway.
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

// Day is the standard deviation of what a figure of such a size differs by from one day to another, under the same trim.
func Day(key string, value float64) float64 { return days[key].of(value) }

// measures lists what trims are compared by, for one yardstick.
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

// Row is a figure on every side, and what each two of them differ by, in the order of PairsOf.
type Row struct {
	Key, Label, Unit string
	Better           Better
	Sides            []Side
	Pairs            []Pair
}

// Table is the comparison by one yardstick.
type Table struct {
	By          yardstick.Yardstick
	Rows        []Row
	Sessions    int   // in which the runs were taken
	Interleaved bool  // some session holds runs of every side
	Left        []Run // those that do not count, each with the reason
}

// Of compares the runs of one yardstick under two or more trims, each side's oldest first, row by row: the score first, then what was
// measured meanwhile. Rows that no run tells are left out, and so are runs that are not alike. The score is judged alone; only for a
// pair that differs in it are the others, and together, so that of all tables of equals one in twenty at most claims any difference,
// however often it is looked at: each further session halves the level.
func Of(y yardstick.Yardstick, sides ...[]Run) Table {
	sides = slices.Clone(sides)
	for i := range sides {
		sides[i] = slices.Clone(sides[i])
	}
	alike(y, sides...)
	t := Table{By: y}
	for i := range sides {
		for _, r := range sides[i] {
			if r.Left != "" {
				t.Left = append(t.Left, r)
			}
		}
		sides[i] = slices.DeleteFunc(sides[i], func(r Run) bool { return r.Left != "" })
	}
	all := designOf(sides...)
	t.Sessions, t.Interleaved = all.sessions, all.interleaved
	levels := map[[2]int]float64{}
	for _, p := range PairsOf(len(sides)) {
		levels[p] = designOf(sides[p[0]], sides[p[1]]).level
	}
	for _, m := range measures(y) {
		if r, told := compareRuns(sides, &m, levels); told {
			t.Rows = append(t.Rows, r)
		}
	}
	if len(t.Rows) == 0 {
		return t
	}
	first, rest := &t.Rows[0], t.Rows[1:]
	for i := range first.Pairs {
		first.Pairs[i].Judged = first.Pairs[i].Both
	}
	stepDown(first.Pairs)
	var together []*Pair
	for i := range rest {
		for k := range rest[i].Pairs {
			p := &rest[i].Pairs[k]
			p.Judged = p.Both && rest[i].Better != Unjudged && first.Pairs[k].Shown
			together = append(together, p)
		}
	}
	stepDownAll(together)
	for i := range t.Rows {
		for k := range t.Rows[i].Pairs {
			p := &t.Rows[i].Pairs[k]
			p.Gain = t.Rows[i].Better.gains(&p.Difference)
		}
	}
	return t
}

// compareRuns makes the row of a measure; told is false where no run tells of it.
func compareRuns(sides [][]Run, m *measure, levels map[[2]int]float64) (r Row, told bool) {
	r = Row{Key: m.key, Label: m.label, Unit: m.unit, Better: m.better}
	blocks := blocks{sides: len(sides)}
	var values []float64
	step, sum, known := 0.0, 0.0, 0
	for i := range sides {
		var s Side
		for j := range sides[i] {
			run := &sides[i][j]
			x, ok := m.of(run)
			if !ok {
				continue
			}
			s.Runs = append(s.Runs, x)
			blocks.add(run.Session, i, x)
			if f := run.figure(m.step); f != nil {
				step = math.Max(step, f.Step)
			}
		}
		s.Summary = stat.Summarise(s.Runs)
		if s.N > 0 {
			sum, known = sum+s.Mean, known+1
		}
		values, r.Sides = append(values, s.Runs...), append(r.Sides, s)
	}
	if known == 0 {
		return r, false
	}
	if step == 0 {
		step = stepOf(values)
	}
	r.Pairs = pairs(len(sides), func(i int) bool { return r.Sides[i].N > 0 })
	fit := blocks.fit(m.day.of(sum/float64(known)), step)
	for k, several := range together(r.Pairs) {
		p := &r.Pairs[k]
		p.level = levels[[2]int{p.Base, p.Other}]
		if !p.Both {
			continue
		}
		p.Difference, p.Visible = fit.contrast(p.Base, p.Other, p.level, several)
		if r.Unit == "°C" {
			p.Percent = math.NaN() // a share of degrees above the freezing of water says nothing
		}
	}
	return r, true
}
