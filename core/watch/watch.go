// Package watch decides when a figure has been out of bounds for long enough to tell somebody, and when all is clear.
package watch

import (
	"fmt"
	"math"
	"strings"

	"zerokeel/core/channel"
	"zerokeel/core/invalid"
)

// Risk can be watched like a channel, though no rig tells it: how large the chance of a fault in a day of mixed use of the trim in force
// may be, the upper bound of its 90 % interval by all that the rig's records say, in percent.
var Risk = channel.Channel{Key: "risk.day", Label: "Chance of a fault in a day, at most", Quantity: "chance", Unit: "%", Core: -1}

// Rule is what a watch looks for. The figure must lie beyond the threshold for DelayS before the watch is raised, and
// within it by Margin for as long before the all-clear.
type Rule struct {
	Channel   string  `json:"channel"`
	When      When    `json:"when"`
	Threshold float64 `json:"threshold"` // in the channel's unit
	Margin    float64 `json:"margin"`    // 0 or more
	DelayS    float64 `json:"delayS"`
	Message   string  `json:"message"`
}

// When is on which side of its threshold a figure raises a watch.
type When string

const (
	Above When = "above"
	Below When = "below"
)

// Validate lists what is wrong with a rule.
func (r *Rule) Validate() invalid.List {
	var f invalid.List
	if r.Channel == "" || len(r.Channel) > 100 {
		f.Add("channel", "name one of the rig's channels", "%.20q is no channel", r.Channel)
	}
	if r.When != Above && r.When != Below {
		f.Add("when", "use above or below", "%.20q is neither", r.When)
	}
	if math.IsNaN(r.Threshold) || math.Abs(r.Threshold) > 1e9 {
		f.Add("threshold", "give a figure in the channel's unit", "%g is out of range", r.Threshold)
	}
	if !(r.Margin >= 0 && r.Margin <= 1e9) {
		f.Add("margin", "give 0 or more", "%g is out of range", r.Margin)
	}
	if !(r.DelayS >= 0 && r.DelayS <= 86400) {
		f.Add("delayS", "give 0 to 86400 s", "%g s is out of range", r.DelayS)
	}
	if text := strings.TrimSpace(r.Message); text == "" || len([]rune(text)) > 200 {
		f.Add("message", "say in 1 to 200 characters what it means", "%d characters", len([]rune(text)))
	}
	return f
}

// State is where a watch stands. The zero State is all clear.
type State struct {
	Raised  bool  `json:"raised"`
	Since   int64 `json:"since"`   // when it was raised or cleared, ms
	Pending int64 `json:"pending"` // since when the figures speak for a change, ms; 0 when they do not
}

// Step takes in a figure at a time in ms, and returns whether the watch was raised or cleared by it. A gap (NaN) says
// nothing, and a figure older than those before neither.
func (r *Rule) Step(s State, at int64, x float64) (next State, changed bool) {
	if math.IsNaN(x) || at < s.Pending {
		return s, false
	}
	if r.beyond(s, x) == s.Raised {
		s.Pending = 0
		return s, false
	}
	if s.Pending == 0 {
		s.Pending = max(1, at)
	}
	if float64(at-s.Pending) < r.DelayS*1000 {
		return s, false
	}
	return State{Raised: !s.Raised, Since: at}, true
}

// beyond reports whether a figure speaks for raising, or for leaving raised.
func (r *Rule) beyond(s State, x float64) bool {
	limit := r.Threshold
	if r.When == Below {
		limit, x = -limit, -x
	}
	if s.Raised {
		limit -= r.Margin
	}
	return x > limit
}

// String says what the rule looks for.
func (r *Rule) String() string {
	return fmt.Sprintf("%s %s %g for %g s", r.Channel, r.When, r.Threshold, r.DelayS)
}
