// Package channel is the one registry of what a rig can tell: each channel's quantity, unit, label and scope, whether its
// values are figures or categories, and how it is summed up. Agent, stand-in, store, verdicts, metrics, export and pages all
// take it from here, so that a channel is added in one place.
//
// A channel is known by its key, such as "temperature.core.3": words with dots between, a core's or fan's number last. A
// rig may tell channels that the registry does not name, since every board has inputs of its own; they take what the
// registry says of their quantity.
package channel

import (
	"fmt"
	"strconv"
	"strings"
)

// Channel is one series of figures that a rig can report.
type Channel struct {
	Key      string  `json:"key"`      // such as "temperature.core.3"
	Quantity string  `json:"quantity"` // the name of one of Quantities
	Label    string  `json:"label"`
	Unit     string  `json:"unit"`    // empty for counts and categories
	Quantum  float64 `json:"quantum"` // the smallest step that it shows, in its unit; 0 if unknown
	Core     int     `json:"core"`    // whose figure it is; -1 for none
}

// Of returns a channel of the registry by its key, with the smallest step that its sensor shows. It panics on a key that
// the registry does not name: those are put together by hand.
func Of(key string, quantum float64) Channel {
	def, number, ok := Find(key)
	if !ok {
		panic("channel: the registry does not name " + key)
	}
	return def.channel(key, number, quantum)
}

// OfCore returns the channel of a core by a pattern of the registry, such as CoreTemperature.
func OfCore(pattern string, core int, quantum float64) Channel { return Of(At(pattern, core), quantum) }

// At puts a number in the place of a pattern's star.
func At(pattern string, number int) string {
	return strings.Replace(pattern, "*", strconv.Itoa(number), 1)
}

// channel makes a channel of a definition; number is what stands for the pattern's star, -1 for none.
func (d Def) channel(key string, number int, quantum float64) Channel {
	c := Channel{Key: key, Quantity: d.Quantity, Label: d.Label, Unit: d.Unit, Quantum: quantum, Core: -1}
	if number >= 0 {
		c.Label = fmt.Sprintf(d.Label, number)
	}
	if d.Scope == ScopeCore {
		c.Core = number
	}
	return c
}

// Find returns what the registry says of a key, and the number in it, -1 for none.
func Find(key string) (def Def, number int, ok bool) {
	if at, known := byPattern[key]; known && !strings.Contains(key, "*") {
		return Registry[at], -1, true
	}
	stem, last, cut := cutLast(key)
	if !cut {
		return Def{}, -1, false
	}
	number, err := strconv.Atoi(last)
	if err != nil || number < 0 || strconv.Itoa(number) != last {
		return Def{}, -1, false
	}
	at, known := byPattern[stem+".*"]
	if !known {
		return Def{}, -1, false
	}
	return Registry[at], number, true
}

func cutLast(key string) (stem, last string, ok bool) {
	at := strings.LastIndexByte(key, '.')
	if at < 0 {
		return "", "", false
	}
	return key[:at], key[at+1:], true
}

// Matches reports whether a key fits a pattern, whose star may stand for any number.
func Matches(pattern, key string) bool {
	stem, open := strings.CutSuffix(pattern, "*")
	if !open {
		return pattern == key
	}
	rest, ok := strings.CutPrefix(key, stem)
	if !ok || rest == "" {
		return false
	}
	_, err := strconv.Atoi(rest)
	return err == nil
}

// Define returns what is known of a channel: the registry's definition, or one made of its quantity.
func (c Channel) Define() Def {
	if def, _, ok := Find(c.Key); ok {
		return def
	}
	return Def{Pattern: c.Key, Quantity: c.Quantity, Unit: c.Unit, Label: c.Label, Scope: scopeOf(c), Sum: QuantityOf(c.Quantity).sum}
}

func scopeOf(c Channel) Scope {
	if c.Core >= 0 {
		return ScopeCore
	}
	return ScopeMachine
}

// Categories returns the names of a categorical channel's values, by value; nil for a channel of figures.
func (c Channel) Categories() []string { return c.Define().Categories }

// Category returns the name of a categorical channel's value; "" where it has none.
func (c Channel) Category(value float64) string {
	names := c.Categories()
	if at := int(value); value >= 0 && at < len(names) && float64(at) == value {
		return names[at]
	}
	return ""
}
