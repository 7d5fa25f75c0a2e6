package verdict_test

import (
	"testing"

	"zerokeel/core/govern"
	"zerokeel/core/load"
	"zerokeel/core/verdict"
)

// ran returns the evidence of a heavy leg on four cores that ran 60 of 60 s without a fault.
func ran(change func(*verdict.Evidence)) verdict.Evidence {
	e := verdict.Evidence{Load: load.Heavy, Cores: []int{0, 1, 2, 3}, PlannedS: 60, RanS: 60, Ending: verdict.Finished, InForce: true,
		Limiters: map[govern.Limiter]float64{govern.SustainedPower: 45, govern.Ratio: 15}}
	for s := range 60 {
		n := float64(s * 100)
		e.Progress = append(e.Progress, verdict.Progress{AtS: float64(s), Count: []float64{n, n, n, n}})
	}
	change(&e)
	return e
}

func TestJudge(t *testing.T) {
	fault := func(kind verdict.EventKind, at float64, core int) verdict.Event {
		return verdict.Event{Kind: kind, AtS: at, Core: core}
	}
	rows := []struct {
		name   string
		change func(*verdict.Evidence)
		want   verdict.Verdict
		core   int
		at     float64
	}{
		{"clean", func(*verdict.Evidence) {}, verdict.Held, -1, 60},
		{"corrected errors still hold", func(e *verdict.Evidence) { e.Events = append(e.Events, fault(verdict.EventCorrected, 5, 1)) },
			verdict.Held, -1, 60},
		{"wrong result", func(e *verdict.Evidence) {
			e.Events, e.RanS = append(e.Events, fault(verdict.EventMiscalculated, 31, 2)), 31
		}, verdict.Miscalculated, 2, 31},
		{"the earliest fault counts", func(e *verdict.Evidence) {
			e.Events = append(e.Events, fault(verdict.EventMiscalculated, 31, 2), fault(verdict.EventMiscalculated, 12, 3))
		}, verdict.Miscalculated, 3, 12},
		{"a fault outweighs the restart after it", func(e *verdict.Evidence) {
			e.Events, e.Ending = append(e.Events, fault(verdict.EventMiscalculated, 31, 2)), verdict.NewBoot
		}, verdict.Miscalculated, 2, 31},
		{"core stands still", func(e *verdict.Evidence) {
			for i := 20; i < 60; i++ {
				e.Progress[i].Count[1] = e.Progress[19].Count[1]
			}
		}, verdict.CoreDropped, 1, 19},
		{"all cores stand still together, as in a pause of the link", func(e *verdict.Evidence) {
			for i := 20; i < 30; i++ {
				copy(e.Progress[i].Count, e.Progress[19].Count)
			}
		}, verdict.Held, -1, 60},
		{"silent", func(e *verdict.Evidence) { e.Ending, e.RanS = verdict.Silent, 20 }, verdict.Froze, -1, 20},
		{"new boot", func(e *verdict.Evidence) { e.Ending, e.RanS = verdict.NewBoot, 20 }, verdict.Restarted, -1, 20},
		{"silent while one core worked", func(e *verdict.Evidence) {
			e.Ending, e.RanS, e.Load, e.TurnS = verdict.Silent, 50, load.Light, 20
		}, verdict.Froze, 2, 50},
		{"a restart while one core worked", func(e *verdict.Evidence) {
			e.Ending, e.RanS, e.Load, e.TurnS = verdict.NewBoot, 39, load.Light, 20
		}, verdict.Restarted, 1, 39},
		{"dead at start", func(e *verdict.Evidence) { e.Ending, e.RanS = verdict.DeadAtStart, 0 }, verdict.NoPost, -1, 0},
		{"powered off", func(e *verdict.Evidence) { e.Ending, e.RanS = verdict.PoweredOff, 33 }, verdict.Overheated, -1, 33},
		{"trip reported", func(e *verdict.Evidence) { e.Events = append(e.Events, fault(verdict.EventOverheated, 33, 1)) }, verdict.Overheated,
			-1, 33},
		{"stopped by hand", func(e *verdict.Evidence) { e.Ending, e.RanS = verdict.ByHand, 20 }, verdict.Stopped, -1, 20},
		{"shut down, and started again", func(e *verdict.Evidence) {
			e.Ending, e.RanS, e.Events = verdict.NewBoot, 20, []verdict.Event{{Kind: verdict.EventShutDown, AtS: 20, Core: -1}}
		}, verdict.Void, -1, 20},
		{"shut down after a fault", func(e *verdict.Evidence) {
			e.Ending, e.RanS, e.Events = verdict.PoweredOff, 20, []verdict.Event{{Kind: verdict.EventMiscalculated, AtS: 11, Core: 1},
				{Kind: verdict.EventShutDown, AtS: 20, Core: -1}}
		}, verdict.Miscalculated, 1, 11},
		{"agent started anew", func(e *verdict.Evidence) { e.Ending, e.RanS = verdict.AgentStarted, 20 }, verdict.Void, -1, 20},
		{"too short", func(e *verdict.Evidence) { e.RanS = 50 }, verdict.Void, -1, 50},
		{"another trim in force", func(e *verdict.Evidence) { e.InForce = false }, verdict.Void, -1, 60},
		{"refused by the agent", func(e *verdict.Evidence) { e.Events = append(e.Events, fault(verdict.EventRefused, 0, -1)) }, verdict.Void,
			-1, 60},
	}
	for _, row := range rows {
		t.Run(row.name, func(t *testing.T) {
			got := verdict.Judge(ran(row.change))
			if got.Verdict != row.want || got.Core != row.core || got.AtS != row.at || got.Why == "" {
				t.Errorf("got %+v, want %s of core %d at %.0f s", got, row.want, row.core, row.at)
			}
			if got.Limiters[govern.SustainedPower] != 0.75 {
				t.Errorf("limiter shares %v, want three quarters sustained power", got.Limiters)
			}
		})
	}
}

func TestOverall(t *testing.T) {
	held := verdict.Result{Verdict: verdict.Held, Core: -1, AtS: 60}
	void := verdict.Result{Verdict: verdict.Void, Core: -1}
	froze := verdict.Result{Verdict: verdict.Froze, Core: -1}
	rows := []struct {
		name string
		legs []verdict.Result
		want verdict.Verdict
	}{
		{"all held", []verdict.Result{held, held}, verdict.Held},
		{"a void leg proves nothing", []verdict.Result{held, void, held}, verdict.Void},
		{"a failure outweighs a void", []verdict.Result{void, froze}, verdict.Froze},
	}
	for _, row := range rows {
		if got := verdict.Overall(row.legs); got.Verdict != row.want {
			t.Errorf("%s: got %s, want %s", row.name, got.Verdict, row.want)
		}
	}
}
