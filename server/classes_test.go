package server_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"zerokeel/core/channel"
	"zerokeel/core/load"
	"zerokeel/core/verdict"
	"zerokeel/link"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
)

// measuredLeg is a heavy leg of four minutes on four cores as a rig reports it, second by second: temperatures rise and stay,
// work goes on.
type measuredLeg struct {
	f     *servertest.Fake
	o     link.Order
	start int64
	r     *rand.Rand
	until int // the last second that the rig reports

	shape func(second, core int, c float64) float64 // of a core's temperature
	works func(second, core int) bool
	gap   [2]int // seconds without figures
}

const legSeconds = 240

func (m *measuredLeg) send(end *link.Finished, events ...link.Event) {
	m.f.Send(link.Frame{Started: &link.Started{Order: m.o.ID, At: m.start}})
	count := make([]float64, 4)
	for from := 0; from < m.until; from += 60 {
		s := &link.Samples{Order: m.o.ID, Channels: []string{"temperature.package"}, Values: make([][]*float64, 5)}
		for c := range 4 {
			s.Channels = append(s.Channels, fmt.Sprintf("temperature.core.%d", c))
		}
		f := link.Frame{Samples: s}
		for at := from; at < min(m.until, from+60); at++ {
			p := link.Progress{Order: m.o.ID, AtS: float64(at)}
			for c := range count {
				if m.works == nil || m.works(at, c) {
					count[c] += 1000
				}
			}
			p.Count = append(p.Count, count...)
			f.Progress = append(f.Progress, p)
			if at >= m.gap[0] && at < m.gap[1] {
				continue
			}
			s.At = append(s.At, m.start+int64(at)*1000)
			hottest := 0.0
			for c := range 4 {
				t := 40 + 35*(1-math.Exp(-float64(at)/15)) + float64(c) + 0.3*m.r.NormFloat64()
				if m.shape != nil {
					t = m.shape(at, c, t)
				}
				hottest = math.Max(hottest, t)
				s.Values[c+1] = append(s.Values[c+1], &t)
			}
			s.Values[0] = append(s.Values[0], &hottest)
		}
		m.f.Send(f)
	}
	f := link.Frame{Events: events}
	if end != nil {
		end.Order = m.o.ID
		f.Finished = end
	}
	if end != nil || len(events) > 0 {
		m.f.Send(f)
	}
}

func (m *measuredLeg) event(kind verdict.EventKind, at float64, core int, text string) link.Event {
	return link.Event{Order: m.o.ID, Kind: kind, AtS: at, Core: core, Text: text}
}

// classes are the ways in which a leg ends, each drawn at random in its details: what the rig does, and the verdict and core
// that follow.
var classes = []struct {
	name string
	play func(m *measuredLeg) (want string, core int)
}{
	{"clean", func(m *measuredLeg) (string, int) {
		m.send(&link.Finished{How: link.Done, RanS: legSeconds})
		return "held", -1
	}},
	{"clean, with corrected errors and a pause of the link", func(m *measuredLeg) (string, int) {
		m.gap = [2]int{100, 110}
		m.send(&link.Finished{How: link.Done, RanS: legSeconds, Others: 0.2}, m.event(verdict.EventCorrected, 50, m.r.IntN(4), "bank 4"),
			m.event(verdict.EventThrottled, 240, -1, ""))
		return "held", -1
	}},
	{"wrong result", func(m *measuredLeg) (string, int) {
		core := m.r.IntN(4)
		m.until = 1 + m.r.IntN(200)
		m.send(&link.Finished{How: link.Faulted, RanS: float64(m.until)}, m.event(verdict.EventMiscalculated, float64(m.until), core, ""))
		return "miscalculated", core
	}},
	{"error that the hardware could not mend", func(m *measuredLeg) (string, int) {
		core := m.r.IntN(4)
		m.send(&link.Finished{How: link.Done, RanS: legSeconds}, m.event(verdict.EventUncorrected, 100, core, "bank 0"))
		return "miscalculated", core
	}},
	{"core stands still, told by the rig", func(m *measuredLeg) (string, int) {
		core := m.r.IntN(4)
		m.until = 30 + m.r.IntN(100)
		m.send(&link.Finished{How: link.Faulted, RanS: float64(m.until)}, m.event(verdict.EventStalled, float64(m.until-5), core, ""))
		return "core dropped", core
	}},
	{"core stands still, not told", func(m *measuredLeg) (string, int) {
		core, at := m.r.IntN(4), 20+m.r.IntN(150)
		m.works = func(second, c int) bool { return c != core || second < at }
		m.send(&link.Finished{How: link.Done, RanS: legSeconds})
		return "core dropped", core
	}},
	{"core cools down, its counter goes on", func(m *measuredLeg) (string, int) {
		core, at := m.r.IntN(4), 60+m.r.IntN(120)
		m.shape = func(second, c int, t float64) float64 {
			if c != core || second < at {
				return t
			}
			return 42 + (t-42)*math.Exp(-float64(second-at)/2)
		}
		m.send(&link.Finished{How: link.Done, RanS: legSeconds})
		return "core dropped", core
	}},
	{"restart", func(m *measuredLeg) (string, int) {
		m.until = 1 + m.r.IntN(200)
		m.send(nil)
		m.reboot(40, "")
		return "restarted", -1
	}},
	{"stop screen", func(m *measuredLeg) (string, int) {
		m.until = 1 + m.r.IntN(200)
		m.send(nil)
		m.reboot(40, "Kernel panic - not syncing")
		return "restarted", -1
	}},
	{"freeze, and a reset by hand much later", func(m *measuredLeg) (string, int) {
		m.until = 1 + m.r.IntN(200)
		m.send(nil)
		m.reboot(3000, "")
		return "froze", -1
	}},
	{"too hot", func(m *measuredLeg) (string, int) {
		m.until = 1 + m.r.IntN(200)
		m.send(&link.Finished{How: link.Aborted, RanS: float64(m.until)},
			m.event(verdict.EventOverheated, float64(m.until), -1, "101 °C reached"))
		return "overheated", -1
	}},
	{"temperature lost", func(m *measuredLeg) (string, int) {
		m.until = 1 + m.r.IntN(200)
		m.send(&link.Finished{How: link.Aborted, RanS: float64(m.until)},
			m.event(verdict.EventSensorLost, float64(m.until), -1, "no temperature"))
		return "void", -1
	}},
	{"refused", func(m *measuredLeg) (string, int) {
		m.until = 0
		m.send(&link.Finished{How: link.Refused}, m.event(verdict.EventRefused, 0, -1, "busy"))
		return "void", -1
	}},
	{"no figures for a minute", func(m *measuredLeg) (string, int) {
		from := 20 + m.r.IntN(100)
		m.gap = [2]int{from, from + 60}
		m.send(&link.Finished{How: link.Done, RanS: legSeconds})
		return "void", -1
	}},
	{"stuck sensor", func(m *measuredLeg) (string, int) {
		m.shape = func(int, int, float64) float64 { return 45 }
		m.send(&link.Finished{How: link.Done, RanS: legSeconds})
		return "void", -1
	}},
	{"machine used by others", func(m *measuredLeg) (string, int) {
		m.send(&link.Finished{How: link.Done, RanS: legSeconds, Others: 0.55 + 0.4*m.r.Float64()})
		return "void", -1
	}},
	{"too short", func(m *measuredLeg) (string, int) {
		m.until = 100
		m.send(&link.Finished{How: link.Done, RanS: 100})
		return "void", -1
	}},
}

// reboot starts the rig anew some seconds after its last sign of life.
func (m *measuredLeg) reboot(after float64, words string) {
	before := m.f.BootID()
	m.f.Pass(float64(m.until) + after - 600)
	m.f.Boot(fmt.Sprintf("boot-%d", m.r.Uint64()), &link.Crash{BootID: before, SeenAt: m.start + int64(m.until)*1000, Words: words})
}

// TestEveryClassOfFaultIsToldApart plays trials over the link, each with one fault of every class, its details at random.
func TestEveryClassOfFaultIsToldApart(t *testing.T) { playClasses(t, 1, 1) }

// BenchmarkClasses plays more of them: the share of trials that were judged rightly.
func BenchmarkClasses(b *testing.B) {
	for n := uint64(0); b.Loop(); n++ {
		playClasses(b, 13, 100+n)
	}
	b.ReportMetric(float64(13*len(classes)), "trials/op")
}

func playClasses(t testing.TB, times int, seed uint64) {
	t.Helper()
	var channels []channel.Channel
	for _, key := range []string{"temperature.package", "temperature.core.0", "temperature.core.1", "temperature.core.2",
		"temperature.core.3"} {
		channels = append(channels, channel.Channel{Key: key, Quantity: "temperature", Label: key, Unit: "°C", Core: -1})
	}
	f := servertest.Start(t).AddFake("Fake", channels)
	r := rand.New(rand.NewPCG(seed, 17))
	for range times {
		for _, class := range classes {
			var want string
			var core int
			trial := f.Run(legSeconds, func(o link.Order) {
				m := &measuredLeg{f: f, o: o, start: f.Now(), r: r, until: legSeconds}
				want, core = class.play(m)
			})
			if trial.Verdict != want || trial.Core != core {
				t.Errorf("%s: %s of core %d, want %s of core %d: %s", class.name, trial.Verdict, trial.Core, want, core, trial.Why)
			}
			f.Pass(1000)
			f.Relink()
		}
	}
	var incidents []api.Incident
	f.Call("GET", fmt.Sprintf("/api/rigs/%d/incidents", f.ID), nil, 200, &incidents)
	if len(incidents) > 0 {
		t.Errorf("faults of trials count as incidents too: %+v", incidents)
	}
}

// BenchmarkClean runs trials of a sound machine, loads, times and cores at random: the share that raised a false alarm.
func BenchmarkClean(b *testing.B) {
	rig := servertest.Start(b).AddRig(petrel(b, nil), 1200)
	rig.Fit(rig.Trims()[0].Id)
	r := rand.New(rand.NewPCG(3, 200))
	alarms := 0
	for b.Loop() {
		var legs []api.LegRequest
		for range 1 + r.IntN(3) {
			leg := servertest.Leg(string(load.Kinds[r.IntN(len(load.Kinds))]), 30+270*r.Float64())
			if cores := r.Perm(rig.Config.Parts.Processor.Cores())[:1+r.IntN(8)]; r.IntN(3) == 0 {
				leg.Cores = &cores
			}
			if r.IntN(4) == 0 {
				leg.TargetC = ptr(60 + 20*r.Float64())
			}
			legs = append(legs, leg)
		}
		if t := rig.Ended(rig.Start(api.StartTrialRequest{Legs: legs}).Id); t.Verdict != "held" {
			alarms++
			b.Errorf("%s: %s, of %+v", t.Verdict, t.Why, t.Legs[len(t.Legs)-1])
		}
	}
	b.ReportMetric(100*float64(alarms)/float64(b.N), "%alarms")
}

// BenchmarkInjected orders one flipped bit in each trial of a stand-in, load, core and time at random: the share that was
// pinned on the right core at the right time.
func BenchmarkInjected(b *testing.B) {
	rig := servertest.Start(b).AddRig(petrel(b, nil), 1200)
	rig.Fit(rig.Trims()[0].Id)
	r := rand.New(rand.NewPCG(8, 200))
	right := 0
	for b.Loop() {
		leg := servertest.Leg(string(load.Kinds[r.IntN(len(load.Kinds))]), 300)
		core, at := r.IntN(rig.Config.Parts.Processor.Cores()), 10+250*r.Float64()
		leg.Inject = &api.Inject{Core: core, AfterS: at}
		t := rig.Ended(rig.Start(api.StartTrialRequest{Legs: []api.LegRequest{leg}}).Id)
		if t.Verdict == "miscalculated" && t.Core == core && t.Injected && math.Abs(t.AtS-at) < 2 {
			right++
		} else {
			b.Errorf("%s, core %d at %.0f s: %s of core %d: %s", *leg.Load, core, at, t.Verdict, t.Core, t.Why)
		}
	}
	b.ReportMetric(100*float64(right)/float64(b.N), "%right")
}
