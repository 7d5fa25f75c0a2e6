// Package verdict judges how a leg ended, from what the rig reported and from how it fell silent, and how a whole
// trial ended. A verdict names the core where one is to blame, the moment, and the evidence in a sentence.
package verdict

import (
	"fmt"
	"slices"

	"zerokeel/core/channel"
	"zerokeel/core/govern"
	"zerokeel/core/load"
)

// Verdict is how a leg or trial ended.
type Verdict string

const (
	Held          Verdict = "held"
	Miscalculated Verdict = "miscalculated"
	CoreDropped   Verdict = "core dropped"
	Froze         Verdict = "froze"
	Restarted     Verdict = "restarted"
	NoPost        Verdict = "no POST"
	Overheated    Verdict = "overheated"
	Stopped       Verdict = "stopped"
	Void          Verdict = "void"
)

// Failures lists the verdicts that speak against the trim.
var Failures = []Verdict{Miscalculated, CoreDropped, Froze, Restarted, NoPost, Overheated}

// Failed reports whether the verdict speaks against the trim.
func (v Verdict) Failed() bool {
	switch v {
	case Miscalculated, CoreDropped, Froze, Restarted, NoPost, Overheated:
		return true
	}
	return false
}

// EventKind is what a rig reports beside figures.
type EventKind string

const (
	EventMiscalculated EventKind = "miscalculated" // a worker's result differs from the known one
	EventCorrected     EventKind = "corrected"     // the processor mended an error by itself
	EventStalled       EventKind = "stalled"       // a worker made no progress
	EventOverheated    EventKind = "overheated"    // the hard trip, or the leg's abort temperature
	EventRefused       EventKind = "refused"       // the agent could not run the leg
	EventMark          EventKind = "mark"          // set by a person
	EventUncorrected   EventKind = "uncorrected"   // the hardware noticed an error and could not mend it
	EventThrottled     EventKind = "throttled"     // the processor slowed down for its heat
	EventSensorLost    EventKind = "sensor lost"   // the agent no longer sees the temperature, and ended the leg
	EventLowMemory     EventKind = "low memory"    // the agent ended the leg before the machine ran out of memory
	EventPanic         EventKind = "panic"         // the operating system stopped; the text is its last word
	EventShutDown      EventKind = "shut down"     // the machine took leave: somebody shut it down
)

// Reported tells whether a rig may report the kind; marks are set by people, and that it is shut down a rig tells otherwise.
func (k EventKind) Reported() bool {
	switch k {
	case EventMiscalculated, EventCorrected, EventUncorrected, EventStalled, EventOverheated, EventRefused, EventThrottled, EventSensorLost,
		EventLowMemory, EventPanic:
		return true
	}
	return false
}

// Event is one report. Core is −1 where none is concerned.
type Event struct {
	Kind     EventKind
	AtS      float64 // since the leg's start
	Core     int
	Injected bool // caused on purpose, to test the finding of faults
	Text     string
}

// Ending is how the leg ceased to run, as seen from the server.
type Ending string

const (
	Finished     Ending = "finished"      // the agent ran it to its end or to the first error
	ByHand       Ending = "by hand"       // stopped by a person
	Silent       Ending = "silent"        // no sign of life, the board says it is still up
	NewBoot      Ending = "new boot"      // the machine came back by itself, started anew
	PoweredOff   Ending = "powered off"   // the board switched the machine off
	DeadAtStart  Ending = "dead at start" // the machine does not come up
	AgentStarted Ending = "agent started" // the agent was started anew on a machine that stayed up
)

// down tells whether the machine went away.
func (e Ending) down() bool {
	switch e {
	case Silent, NewBoot, PoweredOff, DeadAtStart, AgentStarted:
		return true
	}
	return false
}

// Progress is the work count of a leg's cores at a moment.
type Progress struct {
	AtS   float64
	Count []float64 // per core of the leg, in its order
}

// Evidence is all that is known of a leg.
type Evidence struct {
	Load     load.Kind
	Cores    []int
	PlannedS float64
	RanS     float64 // time of the last sign of life, since the start
	Ending   Ending
	Events   []Event
	Progress []Progress
	Limiters map[govern.Limiter]float64 // seconds each limiter held
	InForce  bool                       // the trim was still in force when the leg began
	Others   float64                    // share of the machine that other programs used
	TurnS    float64                    // per core, of a one-core load
	TargetC  float64                    // above which the load was held back; 0 for full load
	AbortC   float64                    // at which the leg was to end; 0 where that was left to the rig
	Traces   Traces
}

// Result is a verdict with its reasons.
type Result struct {
	Verdict  Verdict                    `json:"verdict"`
	Core     int                        `json:"core"` // −1 where none is to blame
	AtS      float64                    `json:"atS"`
	Why      string                     `json:"why"`
	Injected bool                       `json:"injected"` // the fault was caused on purpose
	Limiters map[govern.Limiter]float64 `json:"limiters,omitempty"`
	Evidence []Pointer                  `json:"evidence,omitempty"`
	Exposure []float64                  `json:"exposure,omitempty"` // seconds under the load, per core of the leg
}

// StallS is how long, in s, a core may make no progress, while others do, before it counts as dropped: longer than a system
// puts a busy program off.
const StallS = 4.0

// eventCooled is what figures alone tell: a core fell to idle temperature under load.
const eventCooled EventKind = "cooled"

// cooling points at a dropped core's temperature, if it is known.
func (e *Evidence) cooling(ev Event) []Pointer {
	place := slices.Index(e.Cores, ev.Core)
	if place < 0 || place >= len(e.Traces.Core) || len(e.Traces.Core[place].Temperature) == 0 {
		return nil
	}
	t := e.Traces.Core[place].Temperature
	return []Pointer{{ev.AtS, t[len(t)-1].AtS, ev.Core, channel.At(channel.CoreTemperature, ev.Core),
		fmt.Sprintf("core %d at %.1f °C in the end", ev.Core, t[len(t)-1].V)}}
}

// mostOthers is the share of the machine that other programs may use before a leg proves nothing, and boundShare the share
// of the time that makes a limit worth telling.
const (
	mostOthers = 0.5
	boundShare = 0.5
)

// bound returns the limit, of those that are not the clock itself, that held for the longest share of the time.
func bound(shares map[govern.Limiter]float64) (most govern.Limiter, share float64) {
	for _, l := range govern.Limiters {
		if l != govern.None && l != govern.Ratio && shares[l] > share {
			most, share = l, shares[l]
		}
	}
	return most, share
}

// shortestShare is the share of its planned time that a finished leg must have run: clocks of rig and server differ by less.
const shortestShare = 0.98

// Judge returns the verdict of a leg. A fault that was seen outweighs how the leg ended afterwards; of several,
// the earliest counts.
func Judge(e Evidence) Result {
	r := Result{Verdict: Held, Core: -1, AtS: e.RanS, Limiters: shares(e.Limiters), Exposure: Exposure(e.Load, len(e.Cores), e.RanS, e.TurnS)}
	if !e.InForce {
		return r.void("another trim was in force than the one on trial")
	}
	if first, ok := firstFault(e); ok {
		r.Core, r.AtS, r.Injected = first.Core, first.AtS, first.Injected
		r.Evidence = append(r.Evidence, Pointer{first.AtS, first.AtS, first.Core, "", first.Text})
		switch first.Kind {
		case EventMiscalculated:
			r.Verdict = Miscalculated
			r.Why = fmt.Sprintf("core %d returned a wrong result under %s load after %s", first.Core, e.Load, clock(first.AtS))
			if e.Load == load.Memory && !first.Injected {
				r.Core = -1
				r.Why = fmt.Sprintf("a word of the memory was not what had been written, after %s; core %d read it", clock(first.AtS), first.Core)
			}
		case EventStalled:
			r.Verdict = CoreDropped
			r.Why = fmt.Sprintf("core %d made no progress for %.0f s while the others did", first.Core, StallS)
			r.Evidence = append(r.Evidence, e.cooling(first)...)
		case eventCooled:
			r.Verdict = CoreDropped
			r.Why = fmt.Sprintf("core %d fell to its idle temperature from %s on while the others stayed under load", first.Core, clock(first.AtS))
			r.Evidence = e.cooling(first)
		case EventUncorrected:
			r.Verdict = Miscalculated
			r.Why = "the hardware noticed an error that it could not mend"
			if first.Core >= 0 {
				r.Why += fmt.Sprintf(" on core %d", first.Core)
			}
			r.Why += " after " + clock(first.AtS)
		case EventPanic:
			r.Verdict, r.Core = Restarted, -1
			r.Why = "the operating system stopped after " + clock(first.AtS) + ": " + first.Text
		case EventOverheated:
			r.Verdict, r.Core = Overheated, -1
			if e.AbortC > 0 {
				// The leg's own limit, which was set to end it: nothing is said against the trim.
				r.Verdict, r.Why = Stopped, fmt.Sprintf("it reached the %.0f °C at which it was to end, after %s", e.AbortC, clock(first.AtS))
				break
			}
			r.Why = "the processor reached its trip temperature after " + clock(first.AtS)
			if first.Text != "" {
				r.Why = "ended by the rig after " + clock(first.AtS) + ": " + first.Text
			}
		}
		return r
	}
	if count(e.Events, EventShutDown) > 0 && e.Ending.down() {
		return r.void("the machine was shut down after " + clock(e.RanS))
	}
	switch e.Ending {
	case Silent:
		r.Verdict, r.Why = Froze, "no sign of life after "+clock(e.RanS)+", while the board says the machine is up"
		r.nameTurn(&e)
	case NewBoot:
		r.Verdict, r.Why = Restarted, "the machine restarted by itself after "+clock(e.RanS)
		r.nameTurn(&e)
	case PoweredOff:
		r.Verdict, r.Why = Overheated, "the board switched the machine off after "+clock(e.RanS)
	case DeadAtStart:
		r.Verdict, r.Why = NoPost, "the machine does not come up with these settings"
	case ByHand:
		r.Verdict, r.Why = Stopped, "stopped by hand after "+clock(e.RanS)
	case AgentStarted:
		return r.void("the agent was started anew after " + clock(e.RanS) + ", while the machine stayed up")
	case Finished:
		if i := slices.IndexFunc(e.Events, func(ev Event) bool { return ev.Kind == EventRefused }); i >= 0 {
			return r.void("the rig did not run it: " + e.Events[i].Text)
		}
		if i := slices.IndexFunc(e.Events, func(ev Event) bool { return ev.Kind == EventSensorLost || ev.Kind == EventLowMemory }); i >= 0 {
			return r.void("the rig ended it after " + clock(e.RanS) + ": " + e.Events[i].Text)
		}
		if e.RanS < shortestShare*e.PlannedS {
			return r.void(fmt.Sprintf("it ran %s of %s", clock(e.RanS), clock(e.PlannedS)))
		}
		for _, doubt := range []func(*Evidence) (Pointer, bool){gap, stuck, short} {
			if p, found := doubt(&e); found {
				r.Evidence = append(r.Evidence, p)
				return r.void(p.Text)
			}
		}
		if e.Others > mostOthers {
			return r.void(fmt.Sprintf("other programs used %.0f %% of the machine meanwhile", 100*e.Others))
		}
		r.Why = "ran " + clock(e.RanS) + " without a fault"
		if l, share := bound(r.Limiters); share >= boundShare {
			r.Why += fmt.Sprintf("; held down by %s %.0f %% of the time", l, 100*share)
		}
		if n := count(e.Events, EventCorrected); n > 0 {
			r.Why += fmt.Sprintf("; %d corrected errors warn that the limit is near", n)
		}
	default:
		return r.void("it is not known how it ended")
	}
	return r
}

// nameTurn names the core whose turn it was when a machine was last seen, under a load that goes from core to core: it was the one
// at its highest clock.
func (r *Result) nameTurn(e *Evidence) {
	if !e.Load.OneCore() || e.TurnS <= 0 || len(e.Cores) == 0 {
		return
	}
	r.Core = e.Cores[int(e.RanS/e.TurnS)%len(e.Cores)]
	r.Why += fmt.Sprintf("; it was the turn of core %d", r.Core)
}

func (r Result) void(why string) Result {
	r.Verdict, r.Why = Void, why
	return r
}

// firstFault returns the earliest fault: reported, or seen in the progress.
func firstFault(e Evidence) (Event, bool) {
	var first Event
	found := false
	consider := func(ev Event) {
		if !found || ev.AtS < first.AtS {
			first, found = ev, true
		}
	}
	for _, ev := range e.Events {
		switch ev.Kind {
		case EventMiscalculated, EventStalled, EventOverheated, EventUncorrected, EventPanic:
			consider(ev)
		}
	}
	if core, at, ok := Stalled(e.Cores, e.Progress, e.Load); ok {
		consider(Event{Kind: EventStalled, Core: core, AtS: at, Text: fmt.Sprintf("core %d stands still", core)})
	}
	if place, at, ok := cooled(&e); ok && !found {
		consider(Event{Kind: eventCooled, Core: e.Cores[place], AtS: at})
	}
	return first, found
}

// Stalled looks for a core whose work count stood still for StallS while another's moved on, and returns it and
// the moment it stopped. Loads that visit one core at a time, or rest, are not looked at.
func Stalled(cores []int, progress []Progress, kind load.Kind) (core int, at float64, ok bool) {
	if kind.OneCore() || kind == load.Idle || len(cores) < 2 {
		return -1, 0, false
	}
	since := make([]float64, len(cores))
	last := make([]float64, len(cores))
	for i := range last {
		last[i] = -1
	}
	for _, p := range progress {
		if len(p.Count) != len(cores) {
			continue
		}
		newest := since[0]
		for i, n := range p.Count {
			if n != last[i] {
				since[i], last[i] = p.AtS, n
			}
			newest = max(newest, since[i])
		}
		for i := range cores {
			if newest-since[i] >= StallS {
				return cores[i], since[i], true
			}
		}
	}
	return -1, 0, false
}

// Overall returns the verdict of a trial: the first failed leg's, else the first that is not held, else held.
func Overall(legs []Result) Result {
	for _, r := range legs {
		if r.Verdict.Failed() {
			return r
		}
	}
	for _, r := range legs {
		if r.Verdict != Held {
			return r
		}
	}
	total := 0.0
	for _, r := range legs {
		total += r.AtS
	}
	return Result{Verdict: Held, Core: -1, AtS: total, Why: fmt.Sprintf("%d of %d legs held, %s in all", len(legs), len(legs), clock(total))}
}

func shares(seconds map[govern.Limiter]float64) map[govern.Limiter]float64 {
	total := 0.0
	for _, s := range seconds {
		total += s
	}
	if total == 0 {
		return nil
	}
	out := make(map[govern.Limiter]float64, len(seconds))
	for l, s := range seconds {
		out[l] = s / total
	}
	return out
}

func count(events []Event, kind EventKind) int {
	n := 0
	for _, e := range events {
		if e.Kind == kind {
			n++
		}
	}
	return n
}

// clock writes seconds as m:ss or h:mm:ss.
func clock(s float64) string {
	t := int(s)
	if t >= 3600 {
		return fmt.Sprintf("%d:%02d:%02d", t/3600, t/60%60, t%60)
	}
	return fmt.Sprintf("%d:%02d", t/60, t%60)
}
