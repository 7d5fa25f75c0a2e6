package agent

import (
	"fmt"
	"time"

	"zerokeel/core/channel"
	"zerokeel/core/load"
	"zerokeel/link"
)

// Now is how things stand on the machine, for a screen of its own.
type Now struct {
	Rig     string // as the server calls it; empty before it was linked
	Linked  bool
	Unsent  int  // reports that the server does not hold yet
	Leg     *Leg // nil at rest
	Hottest *OfCore
	Lowest  *OfCore // clock, in GHz
	PowerW  *float64
	Fault   string // what last went wrong, with its time
}

// Leg is the one that runs.
type Leg struct {
	Trim       string
	Step, Of   int // zero where the server does not tell
	Load       load.Kind
	Yardstick  string
	RanS, AllS float64
}

// OfCore is a figure and whose it is; -1 for the processor as a whole.
type OfCore struct {
	Core  int
	Value float64
}

// stands tells how things stand by the newest readings.
func (a *agent) stands() Now {
	var n Now
	n.Rig, n.Linked = a.client.Rig()
	n.Unsent = a.client.Pending()
	for i, s := range a.sensors {
		if i >= len(a.read.Values) || len(a.read.Values[i]) == 0 {
			continue
		}
		v := a.read.Values[i][len(a.read.Values[i])-1]
		if v == nil {
			continue
		}
		switch {
		case s.Key == channel.PackagePower:
			n.PowerW = v
		case s.Quantity == "temperature" && (s.Core >= 0 || s.Key == channel.Temperature):
			if n.Hottest == nil || *v > n.Hottest.Value || *v == n.Hottest.Value && n.Hottest.Core < 0 {
				n.Hottest = &OfCore{s.Core, *v}
			}
		case s.Core >= 0 && s.Key == channel.OfCore(channel.EffectiveClock, s.Core, 0).Key:
			if n.Lowest == nil || *v < n.Lowest.Value {
				n.Lowest = &OfCore{s.Core, *v}
			}
		}
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	n.Fault = a.last
	if l := a.leg; l != nil {
		n.Leg = &Leg{Trim: l.order.Trim, Step: l.order.Step, Of: l.order.Of, Load: l.order.Load, Yardstick: l.yardstick.Name,
			RanS: time.Since(l.started).Seconds(), AllS: l.order.Seconds}
	}
	return n
}

// note keeps what last went wrong. The caller holds the lock.
func (a *agent) note(l *leg, events []link.Event) {
	for _, e := range events {
		text := string(e.Kind)
		if e.Core >= 0 {
			text = fmt.Sprintf("core %d %s", e.Core, e.Kind)
		}
		if e.Text != "" {
			text += ": " + e.Text
		}
		a.last = fmt.Sprintf("%s UTC, %s under %s", l.started.Add(time.Duration(e.AtS*float64(time.Second))).UTC().Format("15:04:05"), text, l.order.Load)
		if l.order.Trim != "" {
			a.last += ", " + l.order.Trim
		}
	}
}
