package compare

import (
	"math"

	"zerokeel/core/stat"
)

// Pair is what two sides of a row differ by: Other less Base, which are their places. Where one has no figure the difference is zero,
// and nothing is shown. The interval holds for all pairs of a row together: of all rows of equals one in twenty has any whose interval
// leaves zero out (Bonferroni).
type Pair struct {
	Base, Other int
	Both        bool // both sides have a figure, so that the difference means something
	Difference
	Visible float64 // a difference of this size would be shown four times of five; +Inf where none can be
	Judged  bool    // whether Shown says anything
	Gain    bool    // the difference is shown, and for the better
	level   float64 // the share of equals of which this pair may show a difference, if it were judged alone
	sd      float64 // of the difference, where it has no other freedom than a normal one
}

// Means says in a word or two what the difference means, for a figure of which one kind is better; nothing where there is none.
func (p *Pair) Means(better Better) string {
	switch {
	case !p.Both:
		return ""
	case !p.Judged:
		return "not judged"
	case !p.Shown:
		return "no difference shown"
	case better.Word() == string(Neither):
		return "differs"
	case p.Gain:
		return "better"
	}
	return "worse"
}

// PairsOf lists the pairs of so many sides by their places: the first against each other one, the second against those after it, and
// so on.
func PairsOf(sides int) (out [][2]int) {
	for i := range sides {
		for j := i + 1; j < sides; j++ {
			out = append(out, [2]int{i, j})
		}
	}
	return out
}

// pairs makes those of a row, of whose sides some have a figure.
func pairs(sides int, has func(int) bool) (out []Pair) {
	for _, p := range PairsOf(sides) {
		one := Pair{Base: p[0], Other: p[1], Both: has(p[0]) && has(p[1]), Visible: math.Inf(1), level: 1 - stat.Confidence}
		one.Percent, one.P, one.Half = math.NaN(), 1, math.Inf(1)
		out = append(out, one)
	}
	return out
}

// together tells for each pair how many of its row are told together with it.
func together(list []Pair) []int {
	n := 0
	for i := range list {
		if list[i].Both {
			n++
		}
	}
	out := make([]int, len(list))
	for i := range out {
		out[i] = max(1, n)
	}
	return out
}

// stepDown judges the pairs of one row together.
func stepDown(list []Pair) {
	all := make([]*Pair, len(list))
	for i := range list {
		all[i] = &list[i]
	}
	stepDownAll(all)
}

// stepDownAll judges pairs together, by Holm's step-down (Scandinavian Journal of Statistics 6, 1979), each at its own level; what is
// not judged shows nothing, nor does what has an interval that holds zero: a step down asks less of the last, and would say otherwise.
func stepDownAll(list []*Pair) {
	const whole = 1 - stat.Confidence
	var judged []*Pair
	var p []float64
	for _, one := range list {
		if one.Shown = false; one.Judged {
			judged, p = append(judged, one), append(p, one.P*whole/one.level)
		}
	}
	for i, shown := range stat.StepDown(p, whole) {
		judged[i].Shown = shown && math.Abs(judged[i].Absolute) > judged[i].Half
	}
}

// Place is how a side stands among those of its row.
type Place string

const (
	NoPlace Place = ""
	Best    Place = "best"           // it is shown to be better than every other
	Leading Place = "among the best" // none is shown to be better, and it is shown to be better than some
)

// places tells how each of the sides of a row stands. Of a row with nothing to gain, and where no difference is shown, none has a place.
func places(sides int, better Better, list []Pair) []Place {
	out := make([]Place, sides)
	if better != Higher && better != Lower {
		return out
	}
	beats, loses, told := make([]int, sides), make([]int, sides), make([]int, sides)
	for i := range list {
		p := &list[i]
		if !p.Both {
			continue
		}
		told[p.Base]++
		told[p.Other]++
		switch {
		case !p.Shown:
		case p.Gain:
			beats[p.Other]++
			loses[p.Base]++
		default:
			beats[p.Base]++
			loses[p.Other]++
		}
	}
	for i := range out {
		switch {
		case beats[i] == 0 || loses[i] > 0:
		case beats[i] == told[i] && told[i] > 0:
			out[i] = Best
		default:
			out[i] = Leading
		}
	}
	return out
}

// Places tells how each side stands.
func (r *Row) Places() []Place { return places(len(r.Sides), r.Better, r.Pairs) }

// Places tells how each side stands.
func (r *SettledRow) Places() []Place { return places(len(r.Sides), r.Better, r.Pairs) }
