package compare

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zerokeel/core/channel"
	"zerokeel/core/load"
)

// Words says what is asked for first of two trims, as far as it was compared: heat and power settled under heavy load, and the score of
// the all-core burst's table, nil for none. What was not shown is said not to be, and a burst is said to be one: limits that hold only
// later may make a machine slower that is faster in it.
func Words(settled []SettledRow, burst *Table) string {
	var out []string
	say := func(d *Difference, both bool, what, more, less string, amount, half float64, unit string) {
		switch {
		case !both:
		case !d.Shown:
			out = append(out, "no difference shown in "+what)
		default:
			word := more
			if d.Absolute < 0 {
				word = less
			}
			out = append(out, fmt.Sprintf("%.1f ± %.1f %s %s", math.Abs(amount), half, unit, word))
		}
	}
	for i := range settled {
		r := &settled[i]
		switch {
		case r.Load != load.Heavy:
		case r.Key == channel.AboveAmbient:
			say(&r.Difference, r.Both(), "heat", "warmer", "cooler", r.Absolute, r.Half, "K")
		case r.Key == channel.PackagePower:
			say(&r.Difference, r.Both(), "power", "more", "less", r.Absolute, r.Half, "W")
		}
	}
	if burst != nil {
		if at := slices.IndexFunc(burst.Rows, func(r Row) bool { return r.Key == "score" }); at >= 0 {
			r := &burst.Rows[at]
			more, less := "faster in a burst", "slower in a burst"
			if r.Better == Lower {
				more, less = less, more
			}
			say(&r.Difference, r.Both(), "speed in a burst", more, less, r.Percent, 100*r.Half/math.Abs(r.Base.Mean), "%")
		}
	}
	return strings.Join(out, ", ")
}
