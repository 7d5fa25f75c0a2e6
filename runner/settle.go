package runner

import (
	"database/sql"
	"math"
	"slices"
	"time"

	"zerokeel/core/channel"
	"zerokeel/core/verdict"
	"zerokeel/core/yardstick"
	"zerokeel/link"
	"zerokeel/store"
)

// Runs of a yardstick begin alike: a machine that is warm from the run before rests until it is nearly as cool as at the
// first one, but not for longer than this.
const (
	settleC = 4.0
	settleS = 180.0
)

// settled reports whether a run may begin.
func (r *Runner) settled(status link.Status, rig int64, legs []store.Leg, next *store.Leg) bool {
	if y, known := yardstick.Of(next.Yardstick); !known || y.WarmsUp() {
		return true
	}
	starts := startsOf(legs, next.Yardstick)
	if len(starts) == 0 {
		starts = startsOf(legs, "")
	}
	if len(starts) == 0 {
		return true
	}
	now, known := r.shop.NewestTemperature(rig)
	if !known || now <= starts[0]+settleC {
		return true
	}
	last := 0.0
	for i := range legs {
		if l := &legs[i]; l.Finished.Valid && l.StartedMS.Valid {
			last = math.Max(last, float64(l.StartedMS.Int64)/1000+l.Finished.V.RanS)
		}
	}
	return float64(status.Clock(time.Now()))/1000-last > settleS
}

// startsOf lists the temperatures at which a yardstick's runs of a trial began, as far as they are known, or those of all
// runs when none is named.
func startsOf(legs []store.Leg, yardstick string) []float64 {
	var out []float64
	for i := range legs {
		for _, f := range legs[i].Figures.V {
			if f.Key == channel.StartOfRun && (yardstick == "" || legs[i].Yardstick == yardstick) {
				out = append(out, f.Mean)
			}
		}
	}
	return out
}

// scoredPart is the part of a leg that its score comes from, by what the rig tells, or an agent of an earlier version ought to;
// nil for all of it.
func scoredPart(l *store.Leg) *channel.Span {
	y, known := yardstick.Of(l.Yardstick)
	if !known || y.Measure == yardstick.Rest || !l.Finished.Valid || !l.StartedMS.Valid || l.Finished.V.Score == nil {
		return nil
	}
	from, to := y.WarmS, l.Finished.V.RanS
	if s := l.Finished.V.Scored; s != nil {
		from, to = s.FromS, s.ToS
	}
	at := func(s float64) int64 { return l.StartedMS.Int64 + int64(math.Round(s*1000)) }
	return &channel.Span{FromMS: at(from), ToMS: at(to)}
}

// takeScore notes the score of a run that held: what the rig measured, or, at rest, the mean power.
func takeScore(l *store.Leg, earlier []store.Leg, samples channel.Samples) {
	y, known := yardstick.Of(l.Yardstick)
	if !known || !l.Finished.Valid {
		return
	}
	score := l.Finished.V.Score
	if y.Measure == yardstick.Rest {
		for _, key := range []string{channel.WallPower, channel.PackagePower} { // the package's own, if it is told
			if i := slices.IndexFunc(l.Figures.V, func(f channel.Figure) bool { return f.Key == key }); i >= 0 {
				score = &l.Figures.V[i].Mean
			}
		}
	}
	if score == nil {
		return
	}
	start := math.NaN()
	if first := traces(l, samples).Temperature; len(first) > 0 {
		start = first[0].V
		at := channel.Of(channel.StartOfRun, 0)
		l.Figures.V = append(l.Figures.V, channel.Figure{Key: at.Key, Label: at.Label, Unit: at.Unit, Mean: start, Peak: start})
	}
	if y.WarmsUp() {
		start = math.NaN() // where it began counts for nothing
	}
	l.Spoilt = verdict.Spoilt(l.Finished.V.Others, start, startsOf(earlier, l.Yardstick))
	l.Score = sql.NullFloat64{Float64: *score, Valid: true}
}
