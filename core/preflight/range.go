package preflight

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zerokeel/core/clock"
	"zerokeel/core/part"
	"zerokeel/core/trim"
)

// boardRange reports what the board does not take, and proposes what was probably meant when only the decimal
// point or the unit slipped.
func boardRange(in *Input) []Finding {
	var out []Finding
	for _, f := range trim.Check(in.Set.Processor, in.Set.Board, in.Settings) {
		finding := Finding{Level: Stop, Fields: []string{f.Field}, Reason: f.Problem, Remedy: f.Remedy}
		if meant, ok := slipped(in, f.Field); ok {
			finding.Remedy += fmt.Sprintf("; did a decimal point slip, and %s was meant?", trim.Say(f.Field, part.Number(meant)))
			finding.Fix = trim.Settings{f.Field: part.Number(meant)}
		} else if near, ok := in.nearest(f.Field); ok {
			finding.Fix = trim.Settings{f.Field: part.Number(near)}
			if def, _, _ := trim.Find(f.Field); def.Group == trim.GroupVoltage && def.Signed && in.offers("voltage.core.mode") {
				finding.Remedy += "; what lies beyond can be reached with a fixed voltage"
			}
		}
		out = append(out, finding)
	}
	return out
}

// nearest returns the value closest to a number that the board does not take.
func (in *Input) nearest(key string) (float64, bool) {
	x, isNumber := in.Settings[key].Number()
	entry, ok := in.Set.Board.Lookup(key)
	if !isNumber || !ok || math.IsInf(x, 0) || math.IsNaN(x) || !trim.Offers(in.Set.Processor, in.Set.Board, key) {
		return 0, false
	}
	near := entry.Nearest(x)
	return near, near != x
}

// clockRaised reports whether some core may go higher than under the parent.
func (in *Input) clockRaised() bool {
	if in.now == nil {
		return false
	}
	p := in.Set.Processor
	for core := range p.Cores() {
		together := clock.Awake{Here: p.Clusters[p.ClusterOf(core)].Cores, Kind: p.Cores(), All: p.Cores()}
		for _, awake := range []clock.Awake{clock.Alone, together} {
			if in.now.Clocks.Top(p, core, awake, false) > in.before.Clocks.Top(p, core, awake, false)+1 {
				return true
			}
		}
	}
	return false
}

// slipped returns what the board would take in place of x if a decimal point or a thousand slipped, the smaller
// slip first. Volts typed where millivolts are expected lie within the range, but below its step.
func slipped(in *Input, key string) (float64, bool) {
	x, isNumber := in.Settings[key].Number()
	entry, ok := in.Set.Board.Lookup(key)
	if !isNumber || !ok || x == 0 || math.IsInf(x, 0) || math.IsNaN(x) {
		return 0, false
	}
	factors := []float64{0.1, 10, 0.001, 1000, 0.01, 100}
	if x >= entry.Min && x <= entry.Max {
		if math.Abs(x) >= entry.Step {
			return 0, false
		}
		factors = []float64{1000, 10, 100}
	}
	for _, factor := range factors {
		if y := entry.Nearest(x * factor); math.Abs(y-x*factor) <= 1e-6*math.Abs(y) && y != 0 {
			return y, true
		}
	}
	return 0, false
}

// signLost reports an offset above zero where offsets are usually below: more voltage, not less.
func signLost(in *Input) []Finding {
	var out []Finding
	for _, c := range trim.Diff(in.Parent, in.Settings) {
		def, _, _ := trim.Find(c.Key)
		x, ok := c.To.Number()
		if !def.Signed || !ok || x <= 0 || x < in.Parent.Number(c.Key, 0) || def.Group != trim.GroupClocks && in.clockRaised() {
			continue // more voltage for a higher clock is meant
		}
		if all := in.Parent.Number("curve.all", 0) - in.Settings.Number("curve.all", 0); strings.HasPrefix(c.Key, "curve.c") && x <= all {
			continue // a core that is held back while all others go deeper
		}
		if strings.HasPrefix(c.Key, "curve.band.") && in.now != nil && slices.Min(in.now.OffsetV) <= -x*in.Set.Processor.CurveStepV {
			continue // a band that is relaxed on a lowered curve
		}
		fix := trim.Settings{c.Key: part.Number(-x)}
		if entry, _ := in.Set.Board.Lookup(c.Key); -x < entry.Min {
			fix = nil
		}
		out = append(out, one(Caution, []string{c.Key}, fix, fmt.Sprintf("If less voltage was meant, give \u2212%g.", x),
			"%s is %s: that raises the voltage.", def.Name, trim.Say(c.Key, c.To))...)
	}
	return out
}

// decimalSlip reports a value ten times, or a tenth of, what the parent has: steps of that size are not made at once.
func decimalSlip(in *Input) []Finding {
	var out []Finding
	for _, c := range trim.Diff(in.Parent, in.Settings) {
		from, okFrom := c.From.Number()
		to, okTo := c.To.Number()
		if def, _, _ := trim.Find(c.Key); !okFrom || !okTo || from == 0 || to == 0 || def.Unit == "" || def.Unit == "×" {
			continue // levels, counts and factors go from 1 to 10 without a slip
		}
		ratio := to / from
		meant := to
		switch {
		case ratio > 8 && ratio < 12:
			meant = to / 10
		case ratio > 1/12.0 && ratio < 1/8.0:
			meant = to * 10
		default:
			continue
		}
		out = append(out, one(Caution, []string{c.Key}, trim.Settings{c.Key: part.Number(meant)},
			fmt.Sprintf("If a decimal point slipped, give %s.", trim.Say(c.Key, part.Number(meant))),
			"%s goes from %s to %s at once.", name(c.Key), trim.Say(c.Key, c.From), trim.Say(c.Key, c.To))...)
	}
	return out
}

// fleetEnough is how many other rigs must have a value before the fleet says anything: two may share a mistake.
const fleetEnough = 3

// unlikeFleet reports a changed value far outside what other rigs with this processor have.
func unlikeFleet(in *Input) []Finding {
	var out []Finding
	for _, c := range trim.Diff(in.Parent, in.Settings) {
		x, ok := c.To.Number()
		others := in.Records.Fleet[c.Key]
		if !ok || len(others) < fleetEnough {
			continue
		}
		low, high := slices.Min(others), slices.Max(others)
		entry, _ := in.Set.Board.Lookup(c.Key)
		span := math.Max(high-low, math.Max(4*entry.Step, 0.1*math.Max(math.Abs(low), math.Abs(high))))
		if x >= low-span && x <= high+span {
			continue
		}
		out = append(out, one(Caution, []string{c.Key}, nil, "Go there in steps, or look for a slip.",
			"%s of %s is unlike the other %d rigs with this processor: they have %s to %s.", name(c.Key), trim.Say(c.Key, c.To), len(others),
			trim.Say(c.Key, part.Number(low)), trim.Say(c.Key, part.Number(high)))...)
	}
	return out
}

// noEffect notes a change that this part ignores.
func noEffect(in *Input) []Finding {
	return inert(in, Caution, func(key, _ string) bool { return in.Set.Processor.Locks(key) }, "Take it back; another setting has to do it.")
}

// overridden reports a change that another setting keeps from counting.
func overridden(in *Input) []Finding {
	return inert(in, Caution, func(key, _ string) bool { return !in.Set.Processor.Locks(key) },
		"Change that setting too, or take this one back.")
}

// inert gathers the changed settings that count for nothing, by the reason why.
func inert(in *Input, level Level, mine func(key, why string) bool, remedy string) []Finding {
	fields, order := map[string][]string{}, []string{}
	for _, c := range trim.Diff(in.Parent, in.Settings) {
		why := trim.Inert(in.Set, in.Settings, c.Key)
		if why == "" || !mine(c.Key, why) {
			continue
		}
		if fields[why] == nil {
			order = append(order, why)
		}
		fields[why] = append(fields[why], c.Key)
	}
	var out []Finding
	for _, why := range order {
		names := make([]string, 0, len(fields[why]))
		for _, key := range fields[why] {
			names = append(names, name(key))
		}
		out = append(out, one(level, fields[why], nil, remedy, "%s changes, but %s.", strings.Join(names, ", "), why)...)
	}
	return out
}
