package standin

import (
	"math"
	"strings"
	"testing"

	"zerokeel/core/channel"
	"zerokeel/core/fan"
	"zerokeel/core/load"
	"zerokeel/core/part"
	"zerokeel/core/series"
)

// swept sweeps a header and returns what the agent's sensors read meanwhile.
func swept(t *testing.T, r *Rig, header string) (*fan.Learnt, error) {
	t.Helper()
	s := fan.Usual(header, 0)
	o := all("sweep "+header, load.Idle, s.Seconds())
	o.Sweep = &s
	r.agent.order(o)
	if r.agent.leg == nil {
		t.Fatalf("the sweep of %s does not run", header)
	}
	samples := channel.Samples{}
	start := r.nowMS()
	for range int(s.Seconds()) {
		now := r.machine.State()
		for _, c := range r.agent.channels {
			samples[c.Key] = append(samples[c.Key], series.Sample{T: r.nowMS(), V: c.sensor.Read(c.value(&now), r.noise)})
		}
		r.Advance(1)
	}
	r.Advance(2)
	if r.agent.leg != nil {
		t.Fatal("the sweep does not end")
	}
	return s.Learn(start, samples, header)
}

// TestSweepFindsTheFanThatIsThere: not the one of the sheet; what is wired otherwise, or not at all, is seen as such; and the board
// drives its headers again afterwards.
func TestSweepFindsTheFanThatIsThere(t *testing.T) {
	cfg := config(t)
	real := part.Fan{StallDuty: 24, StartDuty: 31, MinRPM: 510, MaxRPM: 1610, MaxNoise: 38}
	cfg.Strays.Fan = &real
	cfg.Headers = []Header{{Number: 2, Duty: 80, Fan: &part.Fan{MinRPM: 1500, MaxRPM: 2800, MaxNoise: 30}},
		{Number: 3, Speed: 4, Duty: 45, Fan: &part.Fan{StallDuty: 15, MinRPM: 300, MaxRPM: 1200, MaxNoise: 33}}, {Number: 5, Duty: 50}}
	r := newRig(t, cfg, Options{})
	r.Advance(600)
	before := r.machine.State()
	own, err := swept(t, r, "duty.fan.1")
	if err != nil || own.Answers[0] != "speed.fan.1" || len(own.Answers) != 1 || own.Stall != 25 || own.Start != 35 || !own.Stops {
		t.Errorf("%+v, %v", own, err)
	} else if top := own.Speeds[len(own.Speeds)-1].RPM; math.Abs(top-real.MaxRPM) > 8 {
		t.Errorf("it turns up to %g rpm, found %g", real.MaxRPM, top)
	}
	if pump, err := swept(t, r, "duty.fan.2"); err != nil || !pump.Pump || pump.Answers[0] != "speed.fan.2" {
		t.Errorf("%+v, %v", pump, err)
	}
	if crossed, err := swept(t, r, "duty.fan.3"); err != nil || crossed.Answers[0] != "speed.fan.4" || crossed.Pump {
		t.Errorf("%+v, %v", crossed, err)
	}
	if empty, err := swept(t, r, "duty.fan.5"); err == nil || !strings.Contains(err.Error(), "no fan answers") {
		t.Errorf("%+v, %v", empty, err)
	}
	r.Advance(600)
	if after := r.machine.State(); math.Abs(after.FanDuty-before.FanDuty) > 1 || math.Abs(after.HottestC-before.HottestC) > 0.5 {
		t.Errorf("the fan runs at %.1f %% at %.1f °C, before at %.1f %% at %.1f °C", after.FanDuty, after.HottestC,
			before.FanDuty, before.HottestC)
	}
	s := fan.Usual("duty.fan.1", 0)
	o := all("lost", load.Idle, s.Seconds())
	o.Sweep = &s
	r.agent.order(o)
	r.Advance(150)
	if r.machine.FanDuty() > 20 {
		t.Fatalf("at %.0f %% in the middle of a sweep", r.machine.FanDuty())
	}
	r.fault(true) // the machine restarts by itself
	r.Advance(60)
	if r.machine.FanDuty() < 20 {
		t.Error("the fan stands after a restart")
	}
	r.machine.SetLoad(load.Heavy, nil, 0)
	r.Advance(60)
	o.ID = "hot"
	pending := r.agent.client.Pending()
	r.agent.order(o)
	if r.agent.leg != nil || r.agent.client.Pending() != pending+1 {
		t.Error("a fan is slowed on a machine that is hot")
	}
}
