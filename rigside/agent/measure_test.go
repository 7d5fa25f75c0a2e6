package agent

import (
	"log/slog"
	"os"
	"testing"

	"zerokeel/core/yardstick"
	"zerokeel/link"
	"zerokeel/rigside/sensors"
)

// TestEveryYardstickIsTaken runs each for real, with a little of its work; at rest there is nothing to measure here.
func TestEveryYardstickIsTaken(t *testing.T) {
	allowed, err := sensors.Allowed()
	if err != nil {
		t.Fatal(err)
	}
	a := &agent{cfg: Config{Root: os.DirFS("/"), Log: slog.Default()}}
	a.cores = sensors.Cores(a.cfg.Root, allowed)
	run := func(o link.Order) ([]link.Event, *link.Finished) {
		var cpus [][]int
		for i, c := range a.cores {
			o.Cores, cpus = append(o.Cores, i), append(cpus, c.CPUs)
		}
		l, err := a.newLeg(t.Context(), o, cpus)
		if err != nil {
			t.Fatal(err)
		}
		return l.run()
	}
	for _, y := range yardstick.List() {
		o := link.Order{ID: y.ID, Do: link.Run, Load: y.Load, Yardstick: y.ID, Seconds: 3600, Work: y.Work / 4000, WarmS: 0.05, MemoryMB: 8,
			WindowS: min(y.WindowS, 1)}
		if y.Measure == yardstick.Waits {
			o.Work = 10
		}
		if y.Measure == yardstick.Rest {
			o.Work, o.Seconds = 0, 0.3
		}
		events, f := run(o)
		for f != nil && f.Score != nil && *f.Score == 0 && o.WindowS > 0 && o.WindowS < 32 {
			o.WindowS *= 2 // a busy machine may get no piece of work done in a second
			events, f = run(o)
		}
		if f == nil || f.How != link.Done || len(events) > 0 || (f.Score == nil) != (y.Measure == yardstick.Rest) {
			t.Errorf("%s: %+v, %+v", y.ID, f, events)
		} else if f.Score != nil && !(*f.Score > 0) {
			t.Errorf("%s scores %g", y.ID, *f.Score)
		} else if s := f.Scored; f.Score != nil && (s == nil || s.FromS < 0.05 || s.ToS <= s.FromS || s.ToS > f.RanS ||
			(s.Core >= 0) != (y.Measure == yardstick.BestRate && len(a.cores) > 1)) {
			t.Errorf("%s ran %g s, and is scored over %+v", y.ID, f.RanS, s)
		}
	}
	events, f := run(link.Order{ID: "slow", Load: "heavy", Yardstick: yardstick.Burst, Seconds: 0.2, Work: 1e18})
	if f.How != link.Aborted || f.Score != nil || len(events) != 1 {
		t.Errorf("work without end: %+v, %+v", f, events)
	}
	for _, o := range []link.Order{{Load: "heavy", Yardstick: "none", Work: 1}, {Load: "heavy", Yardstick: yardstick.Burst}} {
		if _, err := a.newLeg(t.Context(), o, nil); err == nil {
			t.Errorf("%+v is taken", o)
		}
	}
}
