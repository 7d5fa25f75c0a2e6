package preflight

import (
	"errors"
	"fmt"

	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/trim"
	"zerokeel/core/volt"
)

// voltageKeys are what may have raised a voltage: those of them that differ from the parent are named.
var voltageKeys = []string{"voltage.core.mode", "voltage.core.fixed", "voltage.core.target", "voltage.core.offset", "voltage.lightLift",
	"loadline.level", "loadline.ac", "curve.all", "clock.boostOffset", "clock.ratio.all"}

func (in *Input) whatRaised() []string {
	fields := []string{}
	for _, c := range trim.Diff(in.Parent, in.Settings) {
		def, _, _ := trim.Find(c.Key)
		switch def.Group {
		case trim.GroupVoltage, trim.GroupLoadLine, trim.GroupCurve, trim.GroupClocks:
			fields = append(fields, c.Key)
		}
	}
	if len(fields) > 0 {
		return fields
	}
	for _, key := range voltageKeys {
		if def, _, _ := trim.Find(key); in.offers(key) && in.Settings[key] != def.Neutral {
			fields = append(fields, key)
		}
	}
	return fields
}

// voltageAboveCeiling refuses a steady voltage above what a core stands, at any load; the ceiling is that of the core's
// own cluster.
func voltageAboveCeiling(in *Input) []Finding {
	p := in.Set.Processor
	for _, s := range in.states() {
		for core, c := range s.Cores {
			most := p.ClusterMaxV(p.ClusterOf(core))
			if c.DeliveredV <= most {
				continue
			}
			where := ""
			if len(p.Clusters) > 1 {
				where = " of " + p.Clusters[p.ClusterOf(core)].Name
			}
			return one(Stop, in.whatRaised(), nil, fmt.Sprintf("Stay at or below %.3f V.", most),
				"Core %d gets %.3f V %s, above the ceiling%s of %.3f V.", core, c.DeliveredV, loadWords[s.Load], where, most)
		}
	}
	return nil
}

// flattest reports whether the load line is at the board's flattest level.
func (in *Input) flattest() bool {
	level, ok := in.Set.Board.Level(int(in.Settings.Number("loadline.level", 0)))
	for _, l := range in.Set.Board.LoadLine {
		if l.MilliOhm < level.MilliOhm {
			return false
		}
	}
	return ok
}

// overshoots returns by how much the highest overshoot of any load passes the part's transient ceiling.
func (in *Input) overshoots() (s machine.State, above float64) {
	for _, one := range in.states() {
		if over := one.OvershootV - in.Set.Processor.TransientMaxV; over > above {
			s, above = one, over
		}
	}
	return s, above
}

// flatLoadLine reports the flattest load line where its overshoot passes the ceiling, or is of no use: the flatter the
// line, the harder it answers a sudden step.
func flatLoadLine(in *Input) []Finding {
	if !in.flattest() {
		return nil
	}
	if s, above := in.overshoots(); above > 0 {
		return one(Caution, []string{"loadline.level"}, in.best(), "Take the level with the best lowest voltage instead.",
			"The flattest load line overshoots to %.3f V when a load ends %s, above the %.3f V that the part stands for a moment.", s.OvershootV,
			loadWords[s.Load], in.Set.Processor.TransientMaxV)
	}
	if !in.changed("loadline.level") {
		return nil
	}
	return one(Caution, []string{"loadline.level"}, in.best(), "Take the level with the best lowest voltage instead.",
		"The flattest load line holds the steady voltage, but dips and overshoots most when the load changes.")
}

// best is the fix that sets the best load line.
func (in *Input) best() trim.Settings {
	levels, err := machine.LoadLines(in.Set, in.Settings)
	if err != nil {
		return nil
	}
	for _, l := range levels {
		if l.Best {
			return trim.Settings{"loadline.level": part.Number(float64(l.Level))}
		}
	}
	return nil
}

// overshootAboveCeiling reports an overshoot above the part's transient ceiling at any other level.
func overshootAboveCeiling(in *Input) []Finding {
	s, above := in.overshoots()
	if above <= 0 || in.flattest() {
		return nil
	}
	return one(Caution, in.whatRaised(), nil, "Lower the voltage, or take a load line with more droop.",
		"The voltage overshoots to %.3f V when a load ends %s, above the %.3f V that the part stands for a moment.", s.OvershootV,
		loadWords[s.Load], in.Set.Processor.TransientMaxV)
}

// fixedAtIdle reports a fixed voltage, which gives all power saving at idle away.
func fixedAtIdle(in *Input) []Finding {
	if in.Settings.Word("voltage.core.mode") != trim.Fixed || !in.changed("voltage.core.mode") {
		return nil
	}
	at, sleepless := "", ""
	for _, s := range in.states() {
		if s.Load == load.Idle {
			at = fmt.Sprintf(" (%.3f V)", s.DeliveredV)
		}
	}
	if !in.Settings.Switch("platform.cStates", true) {
		sleepless = ", and with C-states off the cores never sleep"
	}
	return one(Caution, []string{"voltage.core.mode"}, nil,
		"Keep it for a static profile only; an adaptive voltage or an offset saves power at idle.",
		"A fixed voltage stays at idle too%s%s.", at, sleepless)
}

// corridorCrossed refuses a corridor whose floor lies above its ceiling, or whose ends are the wrong way round.
func corridorCrossed(in *Input) []Finding {
	if !in.Settings.Switch("voltage.corridor", false) {
		return nil
	}
	corridor := in.Settings.Corridor()
	var out []Finding
	for _, e := range []struct {
		name, cold, hot string
		edge            volt.Edge
	}{
		{"corridor", "voltage.corridor.coldC", "voltage.corridor.hotC", corridor.Floor},
		{"corridor's ceiling", "voltage.corridor.ceilingColdC", "voltage.corridor.ceilingHotC", corridor.Ceiling},
	} {
		_, own := in.Settings[e.hot]
		if own && e.edge.ColdC >= e.edge.HotC {
			out = append(out, one(Stop, []string{e.cold, e.hot}, nil, "Let the cold temperature lie below the hot one.",
				"The %s is cold at %g °C and hot at %g °C.", e.name, e.edge.ColdC, e.edge.HotC)...)
		}
	}
	// Straight edges cross first where one of them bends.
	for _, c := range []float64{corridor.Floor.ColdC, corridor.Floor.HotC, corridor.Ceiling.ColdC, corridor.Ceiling.HotC} {
		if floor, ceiling := corridor.Bounds(c); floor > ceiling {
			return append(out, one(Stop, []string{"voltage.corridor.floorCold", "voltage.corridor.ceilingCold", "voltage.corridor.floorHot",
				"voltage.corridor.ceilingHot"}, nil, "Let the floor lie below the ceiling at every temperature.",
				"The corridor's floor of %.3f V lies above its ceiling of %.3f V at %g °C.", floor, ceiling, c)...)
		}
	}
	return out
}

// targetBelowCurve reports an adaptive target below what the curve asks for without it: then the highest clock gets less
// than the one below.
func targetBelowCurve(in *Input) []Finding {
	if in.Settings.Word("voltage.core.mode") != trim.Adaptive {
		return nil
	}
	target := in.Settings.Number("voltage.core.target", 0)
	points := in.Set.Processor.VF
	top := in.Set.Processor.HighestMHz()
	for _, p := range points {
		if p.MHz == top && target < p.V {
			return one(Caution, []string{"voltage.core.target"}, nil, fmt.Sprintf("Give more than %.3f V.", p.V),
				"The adaptive target of %.3f V lies below the %.3f V that the curve asks for at %.0f MHz.", target, p.V, top)
		}
	}
	return nil
}

// levelDirection notes what a higher level means where it means more droop: other boards count the other way.
func levelDirection(in *Input) []Finding {
	if !in.changed("loadline.level") || !in.Set.Board.FlattestFirst() {
		return nil
	}
	from, to := in.Parent.Number("loadline.level", 0), in.Settings.Number("loadline.level", 0)
	if to <= from {
		return nil
	}
	return one(Note, []string{"loadline.level"}, nil, "For less droop take a lower level.",
		"On this board level %g has more droop than level %g: level 1 is the flattest.", to, from)
}

// noOperatingPoint reports settings under which the machine could not run at all.
func noOperatingPoint(in *Input) []Finding {
	if !errors.Is(in.unable, machine.ErrNoPoint) {
		return nil
	}
	return one(Stop, in.whatRaised(), nil, "Go back towards what the machine ran with: voltage, offsets, and the load line.",
		"The machine could not run with these settings: even at the lowest clock the voltage collapses or runs away under load.")
}

// aboveFixed reports a fixed voltage that the die gets more of than was entered, or that comes close to what the part stands when
// a load ends.
func aboveFixed(in *Input) []Finding {
	const overV, closeV = 0.005, 0.020
	if in.Settings.Word("voltage.core.mode") != trim.Fixed || in.now == nil {
		return nil
	}
	entered := in.now.FixedV
	for _, s := range in.states() {
		switch most := in.Set.Processor.TransientMaxV; {
		case s.DeliveredV > entered+overV:
			return one(Caution, in.whatRaised(), nil, "Enter less, or take a load line with more droop.",
				"The die gets %.3f V %s, more than the %.3f V that are entered.", s.DeliveredV, loadWords[s.Load], entered)
		case s.OvershootV > most-closeV && s.OvershootV <= most:
			return one(Caution, in.whatRaised(), nil, "Leave more room: enter less, or take a load line with more droop.",
				"The voltage overshoots to %.3f V when a load ends %s, within %.0f mV of the %.3f V that the part stands for a moment.",
				s.OvershootV, loadWords[s.Load], 1000*closeV, most)
		}
	}
	return nil
}
