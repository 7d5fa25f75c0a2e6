package cooling

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"zerokeel/core/heat"
	"zerokeel/core/invalid"
	"zerokeel/core/load"
	"zerokeel/core/part"
)

// Asked is a machine whose quietest fan curve is looked for, and what is put up with.
type Asked struct {
	Tables  map[load.Kind]Table   // where each load settles
	Ceiling map[load.Kind]float64 // °C that its hottest core may settle at; a load without one may be as hot as it gets
	Hours   map[load.Kind]float64 // of a day; loads without any count a little all the same
	Noise   func(duty float64) float64
	Start   float64 // least duty, in percent, at which the fan starts
	Stands  bool    // the fan may stand
	FullC   float64 // of the temperature that the fan follows, °C: at the latest there it runs at full speed
	Board   Board

	order []load.Kind // the coolest first
}

// Board is what a board takes for a curve.
type Board struct {
	Points  int
	C, Duty part.BoardSetting
}

// Quiet is a curve, and what comes of it.
type Quiet struct {
	Curve []heat.Point
	Rests []Rest  // by load, the coolest first
	Mean  float64 // noise in dB(A) over the hours of a day
}

const (
	// steepest is by how many percent the duty of a curve rises with each kelvin at most, but for the way to full speed: a core jumps by
	// tens of kelvin as it begins to work, and a steeper curve makes that heard.
	steepest = 4.0

	leastHours = 0.5 // which each load counts at least
)

// Quietest finds the curve under which the machine is quietest over the hours of a day while each load settles at its ceiling or below, the
// upper end of its interval included. The error is an invalid.List that names the ceilings which cannot be kept.
func Quietest(a Asked) (*Quiet, error) {
	if f := a.impossible(); len(f) > 0 {
		return nil, f
	}
	a.order = a.byHeat()
	a.FullC = a.Board.C.Min + a.Board.C.Step*math.Floor((a.FullC-a.Board.C.Min)/a.Board.C.Step)
	aims, ok := a.aims(a.order)
	if !ok {
		return nil, invalid.List{{Field: "ceilings", Problem: "no curve keeps them all: each needs another temperature at nearly the same duty",
			Remedy: "let those of heavier loads be higher"}}
	}
	var best []heat.Point
	least := math.Inf(1)
	for _, from := range a.starts(aims) {
		if curve, cost := a.improve(from); cost < least {
			best, least = curve, cost
		}
	}
	if best == nil {
		return nil, invalid.List{{Field: "ceilings", Problem: fmt.Sprintf("no curve of the board's %d points keeps them", a.Board.Points),
			Remedy: "raise that of the heaviest load"}}
	}
	out := a.Under(best)
	return &out, nil
}

// Under tells what comes of a curve.
func (a *Asked) Under(curve []heat.Point) Quiet {
	out := Quiet{Curve: curve}
	hours := 0.0
	for _, kind := range a.byHeat() {
		held, hunts := a.Tables[kind].Rests(curve, a.Start)
		r := Rest{Load: kind, Held: held, NoiseDB: a.Noise(held.Duty), Hunts: hunts}
		out.Rests = append(out.Rests, r)
		out.Mean += a.hours(kind) * r.NoiseDB
		hours += a.hours(kind)
	}
	out.Mean /= hours
	return out
}

func (a *Asked) hours(kind load.Kind) float64 { return math.Max(leastHours, a.Hours[kind]) }

// over returns by how much a load settles above its ceiling at the worst.
func (a *Asked) over(kind load.Kind, h Held) float64 {
	if most, ok := a.Ceiling[kind]; ok {
		return math.Max(0, h.HottestC+h.HalfC-most)
	}
	return 0
}

// impossible lists the ceilings that even a fan at full speed does not keep.
func (a *Asked) impossible() (f invalid.List) {
	for _, kind := range load.Kinds {
		if t := a.Tables[kind]; t != nil {
			if full := t.At(100); a.over(kind, full) > 0 {
				f.Add("ceilings."+string(kind), fmt.Sprintf("give %.0f °C or more, or let it draw less", math.Ceil(full.HottestC+full.HalfC)),
					"at full speed of the fan it settles at %.1f ± %.1f °C, above %g °C", full.HottestC, full.HalfC, a.Ceiling[kind])
			}
		}
	}
	return f
}

// byHeat lists the loads by the temperature that the fan follows, at half its duty.
func (a *Asked) byHeat() []load.Kind {
	var out []load.Kind
	for _, kind := range load.Kinds {
		if len(a.Tables[kind]) > 0 {
			out = append(out, kind)
		}
	}
	slices.SortStableFunc(out, func(p, q load.Kind) int {
		return cmp.Compare(a.Tables[p].At(50).ControlC, a.Tables[q].At(50).ControlC)
	})
	return out
}

// duties lists those that may be aimed at.
func (a *Asked) duties() []float64 {
	var out []float64
	step := a.Board.Duty.Step
	if a.Stands && a.Board.Duty.Min <= 0 {
		out = append(out, 0)
	}
	for d := math.Max(a.Board.Duty.Min, step*math.Ceil(a.Start/step)); d < 100; d += step {
		out = append(out, d)
	}
	return append(out, 100)
}

// aims finds where the loads should settle, the coolest first, so that a curve no steeper than is allowed leads through them all, and none
// is too hot: by dynamic programming over loads and duties, which leaves out no choice.
func (a *Asked) aims(loads []load.Kind) ([]heat.Point, bool) {
	duties := a.duties()
	n, inf := len(duties), math.Inf(1)
	cost, from := make([][]float64, len(loads)), make([][]int, len(loads))
	at := make([][]Held, len(loads))
	for i, kind := range loads {
		cost[i], from[i], at[i] = make([]float64, n), make([]int, n), make([]Held, n)
		for j, d := range duties {
			h := a.Tables[kind].At(d)
			at[i][j], cost[i][j] = h, inf
			if a.over(kind, h) > 0 || h.ControlC >= a.FullC && d < 100 {
				continue
			}
			own := a.hours(kind) * a.Noise(d)
			if i == 0 {
				cost[i][j] = own
				continue
			}
			for k := 0; k <= j; k++ {
				if c := cost[i-1][k] + own; c < cost[i][j] && a.leads(at[i-1][k], h) {
					cost[i][j], from[i][j] = c, k
				}
			}
		}
	}
	last := len(loads) - 1
	end := 0
	for j := range duties {
		if cost[last][j] < cost[last][end] {
			end = j
		}
	}
	if math.IsInf(cost[last][end], 1) {
		return nil, false
	}
	out := make([]heat.Point, len(loads))
	for i := last; i >= 0; i-- {
		out[i] = heat.Point{C: at[i][end].ControlC, Duty: duties[end]}
		end = from[i][end]
	}
	return out, true
}

// leads reports whether a curve may lead from where one load settles to where a hotter one does.
func (a *Asked) leads(from, to Held) bool {
	return to.Duty == from.Duty || to.ControlC > from.ControlC && to.Duty-from.Duty <= steepest*(to.ControlC-from.ControlC)
}

// starts lists curves of the board's points to begin with: through the aims, as many as there is room for beside the last point.
func (a *Asked) starts(aims []heat.Point) [][]heat.Point {
	room := a.Board.Points - 1
	var out [][]heat.Point
	for set := 1; set < 1<<len(aims); set++ {
		var curve []heat.Point
		for i, p := range aims {
			if set>>i&1 == 1 && (len(curve) == 0 || p.C > curve[len(curve)-1].C+a.Board.C.Step) {
				curve = append(curve, p)
			}
		}
		if len(curve) > room {
			continue
		}
		top := heat.Point{C: a.FullC, Duty: 100}
		for len(curve) < room { // points that are over lie halfway on the longest stretch
			all := append(slices.Clone(curve), top)
			widest := 0
			for i := 1; i+1 < len(all); i++ {
				if all[i+1].C-all[i].C > all[widest+1].C-all[widest].C {
					widest = i
				}
			}
			p, q := all[widest], all[widest+1]
			c := (p.C + q.C) / 2
			curve = slices.Insert(curve, widest+1, heat.Point{C: c, Duty: math.Min((p.Duty+q.Duty)/2, p.Duty+steepest*(c-p.C))})
		}
		out = append(out, a.lift(a.onBoard(append(curve, top))))
	}
	slices.SortFunc(out, func(p, q []heat.Point) int { return cmp.Compare(a.costOf(p), a.costOf(q)) })
	return out[:min(len(out), improved)]
}

// improved is how many curves to begin with are improved, the quietest of them.
const improved = 3

// onBoard rounds a curve to what the board takes: temperatures, and duties up.
func (a *Asked) onBoard(curve []heat.Point) []heat.Point {
	for i := range curve {
		p := &curve[i]
		p.C = a.Board.C.Nearest(p.C)
		if d := a.Board.Duty.Nearest(p.Duty); d < p.Duty-1e-9 {
			p.Duty = a.Board.Duty.Nearest(d + a.Board.Duty.Step)
		} else {
			p.Duty = d
		}
		if i > 0 && p.C <= curve[i-1].C {
			p.C = a.Board.C.Nearest(curve[i-1].C + a.Board.C.Step)
		}
	}
	return curve
}

// allowed reports whether a curve rises, is nowhere steeper than it may be but on the way to full speed, and ends there.
func (a *Asked) allowed(curve []heat.Point) bool {
	last := curve[len(curve)-1]
	if last.Duty < 100 || last.C > a.FullC {
		return false
	}
	for i := 1; i < len(curve); i++ {
		p, q := curve[i-1], curve[i]
		most := steepest * (q.C - p.C)
		if q.C <= p.C || q.Duty < p.Duty || i+1 < len(curve) && q.Duty-p.Duty > most+1e-9 {
			return false
		}
	}
	for _, p := range curve {
		if p.Duty < a.Start && !(a.Stands && p.Duty == 0) {
			return false
		}
	}
	return true
}

// costOf is the noise over the day, infinite where a ceiling is not kept or the fan hunts.
func (a *Asked) costOf(curve []heat.Point) float64 {
	if !a.allowed(curve) {
		return math.Inf(1)
	}
	sum, hours := 0.0, 0.0
	for _, kind := range a.order {
		held, hunts := a.Tables[kind].Rests(curve, a.Start)
		if hunts || a.over(kind, held) > 0 {
			return math.Inf(1)
		}
		sum, hours = sum+a.hours(kind)*a.Noise(held.Duty), hours+a.hours(kind)
	}
	return sum / hours
}

// lift raises a curve step by step until it keeps every ceiling, or is as high as it goes.
func (a *Asked) lift(curve []heat.Point) []heat.Point {
	for range 100 {
		if !math.IsInf(a.costOf(curve), 1) {
			return curve
		}
		next := slices.Clone(curve)
		for i := range next[:len(next)-1] {
			next[i].Duty = a.Board.Duty.Nearest(next[i].Duty + a.Board.Duty.Step)
		}
		if slices.Equal(next, curve) {
			break
		}
		curve = next
	}
	return curve
}

// improve moves the points of a curve, one or two next to each other at a time, as long as that makes it quieter.
func (a *Asked) improve(curve []heat.Point) ([]heat.Point, float64) {
	least := a.costOf(curve)
	if math.IsInf(least, 1) {
		return nil, least
	}
	steps := []float64{-8, -4, -2, -1, 1, 2, 4, 8}
	for moved := true; moved; {
		moved = false
		for i := range curve {
			for _, wide := range []int{1, 2} {
				for _, dc := range append(steps, 0) {
					for _, dd := range append(steps, 0) {
						next := slices.Clone(curve)
						for k := i; k < min(i+wide, len(next)); k++ {
							next[k].C = a.Board.C.Nearest(next[k].C + dc*a.Board.C.Step)
							next[k].Duty = a.Board.Duty.Nearest(next[k].Duty + dd*a.Board.Duty.Step)
						}
						if c := a.costOf(next); c < least-1e-9 {
							curve, least, moved = next, c, true
						}
					}
				}
			}
		}
	}
	return curve, least
}
