package runner

import (
	"math"

	"zerokeel/core/channel"
	"zerokeel/core/series"
	"zerokeel/core/verdict"
	"zerokeel/core/yardstick"
	"zerokeel/store"
)

// evidence gathers what is known of a leg for its verdict.
func evidence(l *store.Leg, ending verdict.Ending, events []store.Event, samples channel.Samples) verdict.Evidence {
	e := verdict.Evidence{
		Load: l.Load, Cores: l.Cores.V, PlannedS: l.Seconds, RanS: l.SeenS, Ending: ending, InForce: l.InForce,
		Limiters: l.Limiters.V, Progress: progress(l, samples), TurnS: turnS(l), TargetC: l.TargetC, AbortC: l.AbortC, Traces: traces(l, samples),
	}
	if y, ok := yardstick.Of(l.Yardstick); ok && y.Measure != yardstick.Rest {
		e.PlannedS = 0 // it is over when its work is done
	}
	if l.Finished.Valid {
		e.RanS, e.Others = l.Finished.V.RanS, l.Finished.V.Others
	}
	for _, one := range events {
		if one.LegID == l.ID {
			e.Events = append(e.Events, verdict.Event{Kind: one.Kind, AtS: one.AtS, Core: one.Core, Injected: one.Injected, Text: one.Note})
		}
	}
	return e
}

// traces gathers the figures that a leg's verdict looks at. Of a core that tells no temperature there is none.
func traces(l *store.Leg, samples channel.Samples) verdict.Traces {
	if !l.StartedMS.Valid {
		return verdict.Traces{}
	}
	trace := func(list []series.Sample) []verdict.Point {
		var out []verdict.Point
		for _, s := range list {
			if at := float64(s.T-l.StartedMS.Int64) / 1000; at >= 0 && !math.IsNaN(s.V) {
				out = append(out, verdict.Point{AtS: at, V: s.V})
			}
		}
		return out
	}
	t := verdict.Traces{Temperature: trace(samples[channel.Temperature]), Core: make([]verdict.Core, len(l.Cores.V))}
	for i, core := range l.Cores.V {
		t.Core[i] = verdict.Core{
			Temperature: trace(samples[channel.At(channel.CoreTemperature, core)]),
			Requested:   trace(samples[channel.At(channel.RequestedClock, core)]),
			Effective:   trace(samples[channel.At(channel.EffectiveClock, core)]),
		}
	}
	return t
}

// progress returns the work counts of a leg's cores, moment by moment.
func progress(l *store.Leg, samples channel.Samples) []verdict.Progress {
	if !l.StartedMS.Valid || len(l.Cores.V) == 0 {
		return nil
	}
	first := samples[channel.At(channel.Work, l.Cores.V[0])]
	list := make([]verdict.Progress, 0, len(first))
	for i, s := range first {
		p := verdict.Progress{AtS: float64(s.T-l.StartedMS.Int64) / 1000, Count: make([]float64, len(l.Cores.V))}
		for j, core := range l.Cores.V {
			column := samples[channel.At(channel.Work, core)]
			if i >= len(column) {
				return list
			}
			p.Count[j] = column[i].V
		}
		list = append(list, p)
	}
	return list
}
