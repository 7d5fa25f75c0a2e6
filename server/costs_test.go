package server_test

import (
	"fmt"
	"math"
	"testing"
	"time"

	"zerokeel/core/sounding"
	"zerokeel/core/tuning"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
)

// TestCostsAreMeasured: a plan reckons with what restarts take on this rig, once it has been fitted a few times.
func TestCostsAreMeasured(t *testing.T) {
	const speed, fits = 50, 3
	rig := servertest.Start(t).AddRig(petrel(t, nil), speed)
	stock := rig.Trims()[0].Id
	restart := func() float64 {
		var drawn api.Tuning
		rig.Call("GET", fmt.Sprintf("/api/rigs/%d/tuning?goal=cool&trim=%d&minutes=480", rig.ID, stock), nil, 200, &drawn)
		for _, s := range drawn.Steps {
			if s.Kind != "memory" {
				continue
			}
			for _, l := range tuning.Memory.Trial() {
				s.Minutes -= l.Seconds / 60
			}
			return s.Minutes
		}
		t.Fatalf("the plan has no step that restarts the machine: %+v", drawn.Steps)
		return 0
	}
	if got := restart(); got != sounding.Costs.RestartMin {
		t.Errorf("before anything was fitted a restart takes %g min", got)
	}
	began := time.Now()
	for range fits {
		rig.Fit(stock)
	}
	each := speed * time.Since(began).Minutes() / fits
	if got := restart(); math.Abs(got-each) > 0.5*each || got == sounding.Costs.RestartMin {
		t.Errorf("a restart is reckoned with %.2f min, and took %.2f", got, each)
	}
}
