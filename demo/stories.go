package demo

import (
	"context"
	"fmt"

	"zerokeel/core/part"
	"zerokeel/core/trim"
	"zerokeel/core/yardstick"
	"zerokeel/server/api"
)

// story is the history of one rig.
type story struct {
	name, standin string
	note          string // the story, in a sentence
	byHand        bool   // its board is not reached: trims are entered from a card
	steps         []step
	then          func(ctx context.Context, r *rig) error // with the last trim in force that held
	open          func(ctx context.Context, r *rig) error // what is left standing, once the rig runs at the demo's speed
}

const minute = 60.0

var (
	number = part.Number
	word   = part.Choice
	off    = part.Switch(false)
)

// baseline is the first step of most rigs: as delivered, warm, with scores.
func baseline(want string) step {
	return step{name: "Baseline", legs: []api.LegRequest{leg("heavy", 6*minute), leg("mixed", 5*minute), leg("light", 6*minute),
		leg("idle", 16*minute)}, scores: want == "held", want: want}
}

// everyOther are the yardsticks that only the first rig takes under each of its trims.
var everyOther = []string{yardstick.Sustained, yardstick.BigNumber, "memory-bandwidth", "memory-latency", "response", "idle"}

// typed adds results of another program, as a builder would type them in, under stock and the last trim that held.
func typed(ctx context.Context, r *rig) error {
	trims, err := r.trims(ctx)
	if err != nil {
		return err
	}
	held := map[int64][]float64{}
	for _, t := range trims {
		switch {
		case t.Number == 0:
			held[t.Id] = []float64{93.4, 93.1, 93.6}
		case t.Verdict == "held":
			held[t.Id] = []float64{89.9, 90.3, 90.0}
		}
	}
	for id, runs := range held {
		if err := r.call(ctx, "POST", fmt.Sprintf("/api/rigs/%d/scores", r.id),
			api.AddScoresRequest{Trim: id, Yardstick: "Workshop render", Unit: "s", Better: "lower", Values: runs}, nil); err != nil {
			return err
		}
	}
	return nil
}

// swept learns what hangs on each header of a rig.
func swept(ctx context.Context, r *rig) error {
	var headers []api.FanHeader
	if err := r.call(ctx, "GET", fmt.Sprintf("/api/rigs/%d/headers", r.id), nil, &headers); err != nil {
		return err
	}
	for _, h := range headers {
		var t api.Trial
		if err := r.call(ctx, "POST", fmt.Sprintf("/api/rigs/%d/headers/sweep", r.id), api.SweepHeaderJSONBody{Header: h.Key}, &t); err != nil {
			return err
		}
		if _, err := r.over(ctx, &t); err != nil {
			return err
		}
	}
	return nil
}

// inTurn does one thing after the other.
func inTurn(all ...func(context.Context, *rig) error) func(context.Context, *rig) error {
	return func(ctx context.Context, r *rig) error {
		for _, do := range all {
			if err := do(ctx, r); err != nil {
				return err
			}
		}
		return nil
	}
}

// stories of the demo's stand-ins. Petrel comes first.
var stories = append([]story{
	{name: "Petrel", standin: "petrel", then: inTurn(typed, swept),
		note: "Edit desk: as delivered it ran into 95 °C; inside the maker's limits it is more than 10 K cooler at a little less speed, each core as deep as a survey found that it holds.",
		steps: []step{
			{name: "Baseline", legs: []api.LegRequest{leg("heavy", 10*minute), leg("idle", 2*minute)}, scores: true, yardsticks: everyOther,
				want: "held"},
			{name: "memory", reason: "Rated profile first, proven alone, so that memory faults are not blamed on the processor.",
				settings: trim.Settings{"memory.profile": word(trim.ProfileRated)},
				legs:     []api.LegRequest{leg("memory", 12*minute), leg("mixed", 5*minute)}, scores: true, want: "held"},
			{name: "limits", reason: "Back inside the maker's limits; stock ran into its temperature limit.",
				settings: trim.Settings{"limit.ppt": number(142), "limit.tdc": number(125), "limit.edc": number(180), "limit.temperature": number(90)},
				legs:     []api.LegRequest{leg("heavy", 10*minute), leg("light", 8*minute), leg("transition", 5*minute)}, scores: true,
				yardsticks: everyOther, want: "held"},
			{name: "all cores \u221220", reason: "First step of the curve, all cores at once.",
				settings: trim.Settings{"curve.all": number(-20)},
				legs:     []api.LegRequest{leg("heavy", 10*minute), leg("light", 8*minute)}, want: "miscalculated"},
			{name: "core by core", reason: "Core 5 stopped at \u221220 after minutes, the others did not: it stays shallow, and they go as deep.",
				branch: true, settings: petrelCores(), legs: standard(8), scores: true, yardsticks: everyOther, want: "held"},
			{name: "survey", from: 2, surveyMin: 6 * 60, scores: true, yardsticks: everyOther, want: "held", profile: "quiet"},
		}},
	{name: "Gannet", standin: "gannet",
		note: "Render box: passed every heavy test at \u221235 and froze at idle; shallow where cores wake to their top clock, it is deep and sound.",
		steps: []step{
			baseline("held"),
			{name: "memory", reason: "Rated profile.", settings: trim.Settings{"memory.profile": word(trim.ProfileRated)},
				legs: []api.LegRequest{leg("memory", 12*minute), leg("mixed", 5*minute)}, want: "held"},
			{name: "limits", reason: "The maker's limits.", settings: trim.Settings{"limit.ppt": number(200), "limit.tdc": number(160),
				"limit.edc": number(230)},
				legs: []api.LegRequest{leg("heavy", 8*minute)}, scores: true, want: "held"},
			{name: "all cores \u221235", reason: "Every heavy test passes at \u221235.", settings: trim.Settings{"curve.all": number(-35)},
				legs: []api.LegRequest{leg("heavy", 10*minute), leg("light", 8*minute), leg("mixed", 5*minute), leg("idle", 180*minute)},
				want: "froze"},
			{name: "clusters", reason: "It froze at idle. Shallower under the stacked cache, a little deeper on the other cluster.", branch: true,
				settings: trim.Settings{"curve.cluster.0": number(-15), "curve.cluster.1": number(-20)},
				legs:     []api.LegRequest{leg("heavy", 8*minute), leg("light", 8*minute), leg("idle", 40*minute)}, scores: true, want: "held"},
			{name: "bands", reason: "Deeper where all cores work; shallow at the top, which a core reaches at once when it wakes from idle.",
				settings: trim.Settings{"curve.cluster.0": number(-24), "curve.cluster.1": number(-32), "curve.band.5.cold": number(10),
					"curve.band.5.hot": number(10), "curve.band.4.cold": number(4), "curve.band.4.hot": number(4)},
				legs: []api.LegRequest{leg("heavy", 8*minute), leg("light", 8*minute), leg("idle", 40*minute)}, scores: true, want: "held",
				profile: "quiet"},
		}},
	{name: "Skua", standin: "skua",
		note: "Edit desk: its board overrides every limit, and it stopped at 101 °C; one ratio at 1.12 V does as much at a third less power.",
		steps: []step{
			{name: "Baseline", legs: []api.LegRequest{leg("heavy", 10*minute)}, want: "stopped"},
			{name: "inside the maker's limits",
				reason: "As delivered the board goes past every limit, the one of temperature too: the baseline had to end at 101 °C.",
				settings: trim.Settings{"limit.beyondSpec": off, "limit.pl1": number(125), "limit.pl2": number(188), "limit.tau": number(56),
					"limit.iccMax": number(240)},
				legs:   []api.LegRequest{leg("heavy", 8*minute), leg("mixed", 6*minute), leg("light", 6*minute), leg("idle", 16*minute)},
				scores: true, want: "held"},
			{name: "memory", reason: "Rated profile.", settings: trim.Settings{"memory.profile": word(trim.ProfileRated)},
				legs: []api.LegRequest{leg("memory", 12*minute), leg("mixed", 5*minute)}, scores: true, want: "held"},
			{name: "adaptive", reason: "+2 for one and two active cores, +1 for the rest, at an adaptive voltage.",
				settings: trim.Settings{"voltage.core.mode": word(trim.Adaptive), "voltage.core.target": number(1.415), "clock.active.1": number(56),
					"clock.active.2": number(56), "clock.active.3": number(53), "clock.active.4": number(53), "clock.active.5": number(51),
					"clock.active.6": number(51)},
				legs: []api.LegRequest{leg("heavy", 6*minute), leg("light", 8*minute)}, scores: true, want: "held", profile: "fast"},
			{name: "static, too low", branch: true, reason: "Low at once, to see where this clock ends.",
				settings: skuaStatic(1.03), legs: []api.LegRequest{leg("transition", 3*minute), leg("heavy", 3*minute)}, want: "froze"},
			{name: "static, lower", branch: true, reason: "Between what failed and what is delivered.",
				settings: skuaStatic(1.08), legs: []api.LegRequest{leg("transition", 4*minute), leg("heavy", 4*minute)}, want: "held"},
			{name: "static", branch: true,
				reason:   "The clock that all cores used to have, at one voltage that is enough for it, and no power limit in its way.",
				settings: skuaStatic(1.12),
				legs:     []api.LegRequest{leg("heavy", 8*minute), leg("idle", 16*minute)}, scores: true, want: "held", profile: "quiet"},
		}},
	{name: "Dunlin", standin: "dunlin",
		note: "Living room: a locked ratio under a low cooler; 103 MHz for the desk, 45 W beside the television.",
		steps: []step{
			baseline("held"),
			{name: "memory", reason: "Rated profile.", settings: trim.Settings{"memory.profile": word(trim.ProfileRated)},
				legs: []api.LegRequest{leg("memory", 12*minute), leg("mixed", 5*minute)}, want: "held"},
			{name: "reference 103 MHz", reason: "The ratio is locked, the core reference clock is not.",
				settings: trim.Settings{"clock.reference": number(103)},
				legs:     []api.LegRequest{leg("heavy", 6*minute), leg("light", 6*minute)}, scores: true, want: "held", profile: "fast"},
			{name: "living room", reason: "45 W beside the television.",
				settings: trim.Settings{"limit.ppt": number(45), "limit.tdc": number(40), "limit.edc": number(65)},
				legs:     []api.LegRequest{leg("heavy", 8*minute)}, scores: true, want: "held", profile: "quiet"},
		}},
}, terns()...)

// skuaStatic is one ratio for each kind of core at one voltage.
func skuaStatic(volts float64) trim.Settings {
	out := trim.Settings{"voltage.core.mode": word(trim.Fixed), "voltage.core.fixed": number(volts), "clock.ratio.p": number(46),
		"clock.ratio.e": number(36), "voltage.core.target": number(1.2), "limit.pl1": number(253), "limit.pl2": number(253)}
	for n := 1; n <= 6; n++ {
		out[trim.At("clock.active.*", n)] = word(trim.Auto)
	}
	return out
}

// petrelCores are offsets by core: core 5 is the weak one.
func petrelCores() trim.Settings {
	out := trim.Settings{"curve.all": number(0)}
	for core := range 8 {
		depth := -20.0
		if core == 5 {
			depth = -8
		}
		out[trim.At("curve.core.*", core)] = number(depth)
	}
	return out
}

// Of the terns, the one that a pilot tuned through, the one that was proven for its owner, the one that lost its offset, and the one that
// was surveyed: the others begin with what the first and the last of these showed. The cooler of another sits badly.
const (
	tuned      = 0
	handedOver = 1
	loser      = 2
	surveyed   = 3
	unseated   = 4
)

// terns are six like machines, whose chips take offsets of different depth. One is not reached over the network, one has
// lost its offset.
func terns() []story {
	depth := []float64{-75, -110, -90, -125, -70, 0}
	var out []story
	for i, mV := range depth {
		s := story{name: fmt.Sprintf("Tern %d", i+1), standin: fmt.Sprintf("tern-%d", i+1),
			note: fmt.Sprintf("Office tower of the harbour school: a locked part, as deep as its chip goes, %.0f mV.", -mV)}
		switch i {
		case handedOver:
			s.note = "Office tower of the harbour school: a night of its own proved it, and it is ready to be handed over."
		case loser:
			s.note = "Office tower of the harbour school: its board forgot the offset when the supply was pulled."
		case unseated:
			s.note = "Office tower of the harbour school: its cooler sits badly, which shows among its kin."
		}
		if mV == 0 {
			s.note = "Office tower of the harbour school: its board speaks no protocol, and its trim is being entered from a card."
			s.byHand, s.open = true, beginCard
			out = append(out, s)
			continue
		}
		s.steps = []step{
			{name: "Baseline", legs: []api.LegRequest{leg("heavy", 5*minute)}, scores: i == 0, want: "held"},
			{name: "limits", reason: "The maker's limits.", settings: trim.Settings{"limit.beyondSpec": off},
				legs: []api.LegRequest{leg("heavy", 5*minute)}, want: "held"},
			{name: fmt.Sprintf("offset \u2212%.0f mV", -mV), reason: "All that a locked part allows.",
				settings: trim.Settings{"voltage.core.offset": number(mV)},
				legs:     []api.LegRequest{leg("heavy", 6*minute), leg("light", 6*minute)}, scores: i == 0, want: "held"},
		}
		if i == handedOver {
			s.steps[2].legs = handover(6)
		}
		switch i {
		case tuned:
			s.note = "Office tower of the harbour school: a pilot tuned it through, from stock to proven."
			s.steps = append(s.steps, step{name: "tuning", from: 0, surveyMin: 360, goal: "cool", want: "held"})
		case surveyed:
			s.note = "Office tower of the harbour school: a survey found how deep its own chip goes."
			s.steps = append(s.steps, step{name: "survey", from: 1, surveyMin: 150, want: "held"})
		}
		if i == loser {
			s.then = func(ctx context.Context, r *rig) error {
				if err := r.board.unplug(ctx); err != nil {
					return err
				}
				return until(ctx, func() (bool, error) {
					var got api.Rig
					err := r.call(ctx, "GET", fmt.Sprintf("/api/rigs/%d", r.id), nil, &got)
					return got.LostTrim != nil, err
				})
			}
		}
		out = append(out, s)
	}
	return out
}

// beginCard leaves a setting card half entered.
func beginCard(ctx context.Context, r *rig) error {
	trims, err := r.trims(ctx)
	if err != nil {
		return err
	}
	id, err := r.create(ctx, trims[0].Id, step{name: "offset \u221270 mV", reason: "As deep as the shallowest of the five others.",
		settings: trim.Settings{"limit.beyondSpec": off, "voltage.core.offset": number(-70), "fan.response": number(4)}})
	if err != nil {
		return err
	}
	var f api.Fitting
	if err := r.call(ctx, "POST", fmt.Sprintf("/api/rigs/%d/fittings", r.id), api.FitRequest{Trim: id}, &f); err != nil {
		return err
	}
	return r.call(ctx, "PUT", fmt.Sprintf("/api/fittings/%d/ticks", f.Id), map[string]any{"keys": []string{"limit.beyondSpec"}}, nil)
}

// trials is how many trials the history has.
func (s *story) trials() int {
	n := len(s.steps)
	for _, one := range s.steps {
		if one.scores && one.want == "held" {
			n++
		}
	}
	return n
}

// tell makes the history through the API: each step's trim is fitted, proven, and scored when it held. At the end the last
// trim that held is in force.
func (s *story) tell(ctx context.Context, r *rig) error {
	trims, err := r.trims(ctx)
	if err != nil {
		return err
	}
	if err := r.call(ctx, "PATCH", fmt.Sprintf("/api/rigs/%d", r.id), api.UpdateRigRequest{Note: &s.note}, nil); err != nil {
		return err
	}
	last, sound := trims[0].Id, trims[0].Id
	inForce := int64(0)
	var made []int64 // by step
	for i, one := range s.steps {
		one.trim = last
		if i > 0 && one.surveyMin == 0 {
			parent := last
			if one.branch {
				parent = sound
			}
			if one.trim, err = r.create(ctx, parent, one); err != nil {
				return fmt.Errorf("%s: %w", one.name, err)
			}
		}
		var verdict string
		if one.surveyMin > 0 {
			if one.trim, verdict, err = r.survey(ctx, made[one.from], one); err == nil && one.scores {
				verdict, err = r.score(ctx, one)
			}
		} else {
			verdict, err = r.walk(ctx, one)
		}
		if err != nil {
			return fmt.Errorf("%s: %w", one.name, err)
		}
		if verdict != one.want {
			return fmt.Errorf("%s: the trial ended %s, the story wants %s", one.name, verdict, one.want)
		}
		if one.profile != "" {
			profile := api.UpdateTrimRequestProfile(one.profile)
			if err := r.call(ctx, "PATCH", fmt.Sprintf("/api/trims/%d", one.trim), api.UpdateTrimRequest{Profile: &profile}, nil); err != nil {
				return err
			}
		}
		last, inForce = one.trim, one.trim
		made = append(made, one.trim)
		if verdict == "held" {
			sound = one.trim
		}
	}
	if inForce != sound && inForce != 0 {
		if err := r.fit(ctx, sound); err != nil {
			return err
		}
	}
	if s.then != nil {
		return s.then(ctx, r)
	}
	return nil
}
