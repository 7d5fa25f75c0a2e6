package survey

import (
	"fmt"
	"strings"
	"time"
)

// Why says in a sentence why the order that is out was chosen, and what it is expected to take; empty while none is.
func (s *Survey) Why() string {
	if s.last == nil {
		return ""
	}
	c := s.last
	var loads []string
	for _, l := range c.order.Legs {
		loads = append(loads, string(l.Load))
	}
	under := strings.Join(loads, ", ")
	takes := time.Duration(c.minutes() * float64(time.Minute)).Round(time.Minute)
	who := "All cores"
	switch {
	case len(c.alone) == 1:
		who = fmt.Sprintf("Core %d alone", c.alone[0])
	case len(c.alone) > 1:
		who = fmt.Sprintf("Cluster %d alone", s.setup.Cores[c.alone[0]].Cluster)
	}
	var what string
	switch alone := len(c.alone) > 0; {
	case alone && c.faults > soonFaults:
		what = fmt.Sprintf("%s, so deep that a fault comes soon: how soon tells how steeply they rise. The others are spared", who)
	case alone:
		what = fmt.Sprintf("%s, about as likely to fail as to hold: nothing else tells as much for its time", who)
	case c.faults > soonFaults:
		what = who + " so deep that one fails soon: which, and how soon, tells of the weakest"
	case c.faults < rareFaults:
		what = who + " where a fault is unlikely: what holds here holds for all of them at once"
	default:
		what = who + " where one is about as likely to fail as none: which it is tells of the weakest, and holding of all"
	}
	return fmt.Sprintf("%s (%s; about %d min)", what, under, int(takes.Minutes()))
}

// From how many expected faults on one comes soon, and below how many hardly at all.
const (
	soonFaults = 4.0
	rareFaults = 0.5
)
