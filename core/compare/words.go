package compare

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zerokeel/core/channel"
	"zerokeel/core/load"
	"zerokeel/core/yardstick"
)

// aspect is one thing by which configurations are told apart in words, with the row that tells of it.
type aspect struct {
	what       string // as in "no difference shown in ..."
	more, less string // as in "3 K warmer", of more and of less of it
	unit       string
	decimals   int
	sides      []bool // which have a figure
	pairs      []Pair
	places     []Place
	share      func(side int) float64 // turns a difference into % of a side's figure; nil where the unit itself is told
}

// amount writes a difference with its interval, against one side.
func (a *aspect) amount(p *Pair, against int) string {
	value, half := p.Absolute, p.Half
	if a.share != nil {
		value, half = value*a.share(against), half*a.share(against)
	}
	if math.IsInf(half, 0) {
		return fmt.Sprintf("%.*f %s", a.decimals, math.Abs(value), a.unit)
	}
	return fmt.Sprintf("%.*f ± %.*f %s", a.decimals, math.Abs(value), a.decimals, half, a.unit)
}

// from says what the second of a pair is against the first, or, turned, the first against the second.
func (a *aspect) from(p *Pair, turned bool) string {
	word, against := a.more, p.Base
	if turned {
		against = p.Other
	}
	if (p.Absolute < 0) != turned {
		word = a.less
	}
	return a.amount(p, against) + " " + word
}

// above says which difference would have been shown; "" where none can be.
func (a *aspect) above(list []Pair) string {
	most := 0.0
	for i := range list {
		if p := &list[i]; p.Both {
			visible := p.Visible
			if a.share != nil {
				visible *= a.share(p.Base)
			}
			most = math.Max(most, visible)
		}
	}
	if most == 0 || math.IsInf(most, 0) || math.IsNaN(most) {
		return ""
	}
	return fmt.Sprintf(" above %.*f %s", a.decimals, most, a.unit)
}

// speed is the aspect of a yardstick's score; nil where its table tells nothing.
func speed(tables []Table, id, what, manner string) *aspect {
	at := slices.IndexFunc(tables, func(t Table) bool { return t.By.ID == id })
	if at < 0 || len(tables[at].Rows) == 0 || tables[at].Rows[0].Key != "score" {
		return nil
	}
	r := &tables[at].Rows[0]
	a := &aspect{what: what, more: strings.TrimSpace("faster " + manner), less: strings.TrimSpace("slower " + manner), unit: "%", decimals: 1,
		pairs: r.Pairs, places: r.Places()}
	if r.Better == Lower {
		a.more, a.less = a.less, a.more
	}
	for i := range r.Sides {
		a.sides = append(a.sides, r.Sides[i].N > 0)
	}
	a.share = func(side int) float64 { return 100 / math.Abs(r.Sides[side].Mean) }
	return a
}

// settledAt is the aspect of a figure that settles under heavy load; nil where no side tells of it.
func settledAt(rows []SettledRow, key, what, more, less string, decimals int) *aspect {
	return settledUnder(load.Heavy, rows, key, what, more, less, decimals)
}

// settledUnder is settledAt under another load.
func settledUnder(kind load.Kind, rows []SettledRow, key, what, more, less string, decimals int) *aspect {
	at := slices.IndexFunc(rows, func(r SettledRow) bool { return r.Load == kind && r.Key == key })
	if at < 0 {
		return nil
	}
	r := &rows[at]
	a := &aspect{what: what, more: more, less: less, unit: r.Unit, decimals: decimals, pairs: r.Pairs, places: r.Places()}
	for i := range r.Sides {
		a.sides = append(a.sides, r.Sides[i].Legs > 0)
	}
	return a
}

// lasting is the aspect of the clock that all cores settle at, which tells how fast they are where no sustained score does.
func lasting(settled []SettledRow) *aspect {
	return settledAt(settled, channel.MeanClock, lastingClock, "faster under lasting load", "slower under lasting load", 0)
}

// aspects lists what is said of configurations, in this order; without those of which nothing is known.
func aspects(settled []SettledRow, tables []Table) []*aspect {
	all := []*aspect{
		settledAt(settled, channel.AboveAmbient, "heat", "warmer", "cooler", 1),
		settledAt(settled, channel.PackagePower, "power", "more", "less", 1),
		settledAt(settled, channel.WallPower, "power at the wall", "more at the wall", "less at the wall", 1),
		settledAt(settled, channel.Noise, "noise", "louder", "quieter", 1),
		settledUnder(load.Idle, settled, channel.Noise, "noise at idle", "louder at idle", "quieter at idle", 1),
		speed(tables, yardstick.Sustained, sustainedSpeed, "sustained"),
		lasting(settled),
		speed(tables, yardstick.Burst, "speed in a burst", "in a burst"),
		speed(tables, "single-core", "single-core speed", "on a single core"),
	}
	return slices.DeleteFunc(all, func(a *aspect) bool { return a == nil })
}

// Phrase is one thing said of a configuration against another.
type Phrase struct {
	Text  string
	Shown bool // the difference is more than noise; else the text says that it is not
	Gain  bool // and for the better
}

const (
	sustainedSpeed = "sustained speed"
	lastingClock   = "clock under lasting load"
)

// Words says how the second of a pair compares with the first, as far as it was compared: heat, power and noise settled under heavy
// load, noise at idle, and scores; first what was shown. What was not is said not to be, and a burst is said to be one: limits that
// hold only later may make a machine slower that is faster in it.
func Words(settled []SettledRow, tables []Table, base, other int) []Phrase {
	var shown []Phrase
	var not []string
	sustained := false
	for _, a := range aspects(settled, tables) {
		at := slices.IndexFunc(a.pairs, func(p Pair) bool { return p.Base == base && p.Other == other })
		if at < 0 || !a.pairs[at].Judged || sustained && a.unit == "MHz" {
			continue
		}
		sustained = sustained || a.what == sustainedSpeed
		if p := &a.pairs[at]; p.Shown {
			shown = append(shown, Phrase{a.from(p, false), true, p.Gain})
		} else {
			not = append(not, a.what+a.above(a.pairs[at:at+1]))
		}
	}
	if len(not) == 0 {
		return shown
	}
	return append(shown, Phrase{Text: "no difference shown in " + list(not)})
}

// Gain is what a configuration differs by from another in one thing, in figures.
type Gain struct {
	What        string  // heat, power, noise or speed
	Value, Half float64 // Half of the 95 % interval; 0 where nothing can be said
	Unit        string
	Shown, Good bool // the difference is more than noise, and for the better
}

// Gains tells what the second of a pair differs by from the first in heat, power at the package, noise, and speed: the sustained
// score, or, where there is none, the clock under lasting load, in %. What was not compared is left out.
func Gains(settled []SettledRow, tables []Table, base, other int) []Gain {
	var out []Gain
	for _, a := range aspects(settled, tables) {
		what := map[string]string{"heat": "heat", "power": "power", "noise": "noise", sustainedSpeed: "speed", lastingClock: "speed"}[a.what]
		at := slices.IndexFunc(a.pairs, func(p Pair) bool { return p.Base == base && p.Other == other })
		if what == "" || at < 0 || !a.pairs[at].Judged || slices.ContainsFunc(out, func(g Gain) bool { return g.What == what }) {
			continue
		}
		p := &a.pairs[at]
		g := Gain{What: what, Value: p.Absolute, Half: p.Half, Unit: a.unit, Shown: p.Shown, Good: p.Gain}
		if what == "speed" {
			g.Half *= math.Abs(p.Percent / p.Absolute) // NaN where nothing at all differs
			g.Value, g.Unit = p.Percent, "%"
		}
		if math.IsNaN(g.Half) || math.IsInf(g.Half, 0) {
			g.Half = 0
		}
		out = append(out, g)
	}
	return out
}

// Join makes a sentence of phrases.
func Join(phrases []Phrase) string {
	out := ""
	for i, p := range phrases {
		switch {
		case i > 0 && p.Shown:
			out += ", "
		case i > 0:
			out += "; "
		}
		out += p.Text
	}
	return out
}

// Verdict is which of several configurations serves a goal best, in words.
type Verdict struct {
	Goal, Text string
	Places     []Place
}

// Verdicts says for each goal which configurations serve it best; names are theirs. A goal of which fewer than two tell anything has
// none.
func Verdicts(names []string, settled []SettledRow, tables []Table) []Verdict {
	var out []Verdict
	say := func(goal string, of ...*aspect) {
		for _, a := range of {
			if a != nil && slices.ContainsFunc(a.pairs, func(p Pair) bool { return p.Judged }) {
				out = append(out, Verdict{Goal: goal, Text: a.verdict(names), Places: a.places})
				return
			}
		}
	}
	say("fast on all cores", speed(tables, yardstick.Sustained, "", ""), lasting(settled))
	say("fast in a burst", speed(tables, yardstick.Burst, "", "in a burst"))
	say("fast on few cores", speed(tables, "single-core", "", ""))
	say("cool", settledAt(settled, channel.AboveAmbient, "", "warmer", "cooler", 1))
	say("quiet", settledAt(settled, channel.Noise, "", "louder", "quieter", 1))
	say("quiet at idle", settledUnder(load.Idle, settled, channel.Noise, "", "louder", "quieter", 1))
	say("frugal", settledAt(settled, channel.WallPower, "", "more", "less", 1),
		settledAt(settled, channel.PackagePower, "", "more", "less", 1))
	return out
}

// verdict says which of the sides leads, and by how much from which others.
func (a *aspect) verdict(names []string) string {
	var leads, missing, wins []string
	for i, place := range a.places {
		if !a.sides[i] {
			missing = append(missing, names[i])
		}
		if place == NoPlace {
			continue
		}
		leads = append(leads, names[i])
		var own []string
		for k := range a.pairs {
			p := &a.pairs[k]
			against := p.Base + p.Other - i
			switch {
			case !p.Both || p.Base != i && p.Other != i:
			case p.Shown:
				own = append(own, a.from(p, p.Base == i)+" than "+names[against])
			case p.Judged && a.places[against] == NoPlace:
				own = append(own, "no difference shown from "+names[against])
			}
		}
		wins = append(wins, list(own))
	}
	text := ""
	switch {
	case len(leads) == 0:
		text = "no difference shown" + a.above(a.pairs)
	case len(leads) == 1:
		text = leads[0] + ": " + wins[0]
	default:
		text = list(leads) + ", with no difference shown between them: "
		for i := range wins {
			wins[i] = leads[i] + " " + wins[i]
		}
		text += strings.Join(wins, ", ")
	}
	if len(missing) > 0 {
		text += "; " + list(missing) + " not measured"
	}
	return text
}

// list joins words with commas and an "and".
func list(words []string) string {
	if len(words) < 2 {
		return strings.Join(words, "")
	}
	return strings.Join(words[:len(words)-1], ", ") + " and " + words[len(words)-1]
}
