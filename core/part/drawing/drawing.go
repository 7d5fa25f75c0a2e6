// Package drawing tells what the figures of a part sheet mean, as curves to be drawn: a processor's voltage by clock, a board's load lines,
// a cooler's resistance and noise by duty. It draws what can be drawn of a sheet that has faults still.
package drawing

import (
	"fmt"
	"math"

	"zerokeel/core/heat"
	"zerokeel/core/part"
	"zerokeel/core/volt"
)

// Drawing is some curves over one axis.
type Drawing struct {
	Title string `json:"title"`
	Note  string `json:"note,omitempty"`
	X     Axis   `json:"x"`
	Y     Axis   `json:"y"`
	Lines []Line `json:"lines"`
}

// Axis is what runs along one side.
type Axis struct {
	Label string `json:"label"`
	Unit  string `json:"unit"`
}

// Line is a curve through points, or the points alone.
type Line struct {
	Name   string       `json:"name"`
	Points [][2]float64 `json:"points"`
	Dots   bool         `json:"dots,omitempty"`
}

// Of returns the drawings of a sheet, as part.ParseSheet returns it.
func Of(sheet any) []Drawing {
	switch s := sheet.(type) {
	case *part.Processor:
		return ofProcessor(s)
	case *part.Board:
		return ofBoard(s)
	case *part.Cooler:
		return ofCooler(s)
	}
	return []Drawing{}
}

// steps is the number of stretches that a curve is drawn with.
const steps = 60

func curve(from, to float64, y func(float64) float64) [][2]float64 {
	out := make([][2]float64, 0, steps+1)
	for i := range steps + 1 {
		x := from + (to-from)*float64(i)/steps
		if v := y(x); !math.IsNaN(v) && !math.IsInf(v, 0) {
			out = append(out, [2]float64{x, v})
		}
	}
	return out
}

func ofProcessor(p *part.Processor) []Drawing {
	d := Drawing{Title: "Voltage by clock", X: Axis{"Clock", "MHz"}, Y: Axis{"Voltage", "V"}, Lines: []Line{},
		Note: "as requested of a typical chip, without an offset; beyond its points it goes on straight"}
	add := func(name string, points []part.VFPoint, to float64) {
		c, err := volt.NewCurve(points)
		if err != nil {
			return
		}
		dots := Line{Name: name, Dots: true}
		for _, pt := range points {
			dots.Points = append(dots.Points, [2]float64{pt.MHz, pt.V})
		}
		d.Lines = append(d.Lines, Line{Name: name, Points: curve(points[0].MHz, max(to, points[len(points)-1].MHz), c.At)}, dots)
	}
	top := 0.0
	for _, b := range p.Boost {
		top = max(top, b.MHz)
	}
	add("typical", p.VF, top)
	for _, c := range p.Clusters {
		if len(c.VF) > 0 {
			own := 0.0
			for _, b := range c.Boost {
				own = max(own, b.MHz)
			}
			add(c.Name, c.VF, own)
		}
	}
	if len(d.Lines) == 0 {
		return []Drawing{}
	}
	from, to := d.Lines[0].Points[0][0], 0.0
	for _, l := range d.Lines {
		from, to = min(from, l.Points[0][0]), max(to, l.Points[len(l.Points)-1][0])
	}
	d.Lines = append(d.Lines, Line{Name: "highest voltage", Points: [][2]float64{{from, p.VoltageMaxV}, {to, p.VoltageMaxV}}})
	return []Drawing{d}
}

func ofBoard(b *part.Board) []Drawing {
	const most = 200.0 // A
	d := Drawing{Title: "Load lines", X: Axis{"Current", "A"}, Y: Axis{"Below what is requested", "mV"}, Lines: []Line{},
		Note: "by how much the voltage falls as the cores draw more, by level"}
	for _, l := range b.LoadLine {
		d.Lines = append(d.Lines, Line{Name: fmt.Sprintf("level %d", l.Level), Points: [][2]float64{{0, 0}, {most, -most * l.MilliOhm}}})
	}
	loss := Drawing{Title: "Loss of the regulator", X: Axis{"Current", "A"}, Y: Axis{"Loss", "W"}, Lines: []Line{{Name: "loss",
		Points: curve(0, most, func(a float64) float64 { return b.VRM.IdleW + b.VRM.OhmicMOhm*a*a/1000 })}}}
	if len(d.Lines) == 0 {
		return []Drawing{loss}
	}
	return []Drawing{d, loss}
}

func ofCooler(c *part.Cooler) []Drawing {
	if !(c.Fan.MaxRPM > 0 && c.AirKPerW > 0) {
		return []Drawing{}
	}
	path := heat.NewPath(&part.Processor{}, c, 1)
	from := max(c.Fan.StallDuty, 1)
	resistance := Drawing{Title: "Resistance by duty", X: Axis{"Duty", "%"}, Y: Axis{"Base above the air", "K/W"},
		Note: "a hundred watts stand so many times a hundred kelvin above the room", Lines: []Line{{Name: "base to air",
			Points: curve(from, 100, func(duty float64) float64 { return c.BaseKPerW + path.AirR(duty) })}}}
	noise := Drawing{Title: "Noise by duty", X: Axis{"Duty", "%"}, Y: Axis{"Noise", "dB(A)"}, Lines: []Line{{Name: "fan",
		Points: curve(from, 100, func(duty float64) float64 { return heat.Noise(c.Fan, heat.Speed(c.Fan, duty)) })}}}
	return []Drawing{resistance, noise}
}
