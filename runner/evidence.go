package runner

import (
	"fmt"
	"math"

	"zerokeel/core/series"
	"zerokeel/core/verdict"
	"zerokeel/core/yardstick"
	"zerokeel/store"
)

// evidence gathers what is known of a leg for its verdict.
func evidence(l *store.Leg, ending verdict.Ending, events []store.Event, samples samplesByKey) verdict.Evidence {
	e := verdict.Evidence{
		Load: l.Load, Cores: l.Cores.V, PlannedS: l.Seconds, RanS: l.SeenS, Ending: ending, InForce: l.InForce,
		Limiters: l.Limiters.V, Progress: progress(l, samples), TurnS: turnS(l), TargetC: l.TargetC, Traces: traces(l, samples),
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

// Keys of the channels that verdicts look at.
const (
	keyTemperature     = "temperature.package"
	keyPackage         = "power.package"
	keyWall            = "power.wall"
	keyCoreTemperature = "temperature.core.%d"
	keyRequested       = "clock.requested.core.%d"
	keyEffective       = "clock.effective.core.%d"
)

// traces gathers the figures that a leg's verdict looks at. Of a core that tells no temperature there is none.
func traces(l *store.Leg, samples samplesByKey) verdict.Traces {
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
	t := verdict.Traces{Temperature: trace(samples[keyTemperature]), Core: make([]verdict.Core, len(l.Cores.V)),
		Keys: verdict.TraceKeys{Temperature: keyTemperature, CoreTemperature: keyCoreTemperature, CoreClock: "clock.effective.core"}}
	for i, core := range l.Cores.V {
		t.Core[i] = verdict.Core{
			Temperature: trace(samples[fmt.Sprintf(keyCoreTemperature, core)]),
			Requested:   trace(samples[fmt.Sprintf(keyRequested, core)]),
			Effective:   trace(samples[fmt.Sprintf(keyEffective, core)]),
		}
	}
	return t
}
