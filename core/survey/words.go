package survey

import (
	"fmt"
	"math"
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
	switch alone, fails := len(c.alone) > 0, s.Fails(&c.order); {
	case alone && fails > surely:
		what = fmt.Sprintf("%s, so deep that a fault comes soon: how soon tells how steeply they rise. The others are spared", who)
	case alone:
		what = fmt.Sprintf("%s, which may fail or hold: nothing else tells as much for its time", who)
	case fails > surely:
		what = who + " so deep that one fails soon: which, and how soon, tells of the weakest"
	case fails < hardly:
		what = who + " where a fault is unlikely: what holds here holds for all of them at once"
	default:
		what = who + " where one may fail, or none: which it is tells of the weakest, and holding of all"
	}
	return fmt.Sprintf("%s (%s; about %d min)", what, under, int(takes.Minutes()))
}

// Minutes is what the order that is out is expected to take; 0 while none is.
func (s *Survey) Minutes() float64 {
	if s.last == nil {
		return 0
	}
	return s.last.minutes()
}

// From which chance a fault is as good as certain, and below which it is unlikely.
const (
	surely = 0.9
	hardly = 0.3
)

// RiskInWords says the chance of a fault in a day as a builder does: "1 in 80 a day".
func RiskInWords(risk float64) string {
	switch {
	case risk >= 0.95:
		return "fails within a day"
	case risk >= 0.4:
		return fmt.Sprintf("%.0f in 10 a day", 10*risk)
	case risk < 0.0001:
		return "less than 1 in 10,000 a day"
	}
	in := 1 / risk
	switch step := math.Pow(10, math.Floor(math.Log10(in))-1); { // two figures
	case in >= 1000:
		return fmt.Sprintf("1 in %d,%03d a day", int(math.Round(in/step)*step)/1000, int(math.Round(in/step)*step)%1000)
	case in >= 10:
		return fmt.Sprintf("1 in %.0f a day", math.Round(in/step)*step)
	}
	return fmt.Sprintf("1 in %.0f a day", in)
}

// FailsInWords says the same of settings, as what follows them in a sentence: "fails with a chance of 1 in 80 a day".
func FailsInWords(risk float64) string {
	words := RiskInWords(risk)
	if strings.HasPrefix(words, "fails") {
		return words
	}
	return "fails with a chance of " + words
}
