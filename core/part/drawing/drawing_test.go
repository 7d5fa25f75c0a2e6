package drawing_test

import (
	"math"
	"os"
	"testing"

	"zerokeel/core/part"
	"zerokeel/core/part/drawing"
)

// TestDrawings: a curve goes through the points of its sheet, a load line falls by its slope, a cooler at full speed is as its sheet says,
// and a sheet that is hardly begun draws what it can.
func TestDrawings(t *testing.T) {
	text, err := os.ReadFile("../../../docs/examples/skua.parts.json")
	if err != nil {
		t.Fatal(err)
	}
	set, err := part.ParseSet(text)
	if err != nil {
		t.Fatal(err)
	}
	at := func(l drawing.Line, x float64) float64 {
		for i := 1; i < len(l.Points); i++ {
			if a, b := l.Points[i-1], l.Points[i]; a[0] <= x && x <= b[0] {
				return a[1] + (b[1]-a[1])*(x-a[0])/(b[0]-a[0])
			}
		}
		return math.NaN()
	}
	curves := drawing.Of(set.Processor)[0]
	for i, l := range curves.Lines {
		if !l.Dots {
			continue
		}
		for _, p := range l.Points {
			if got := at(curves.Lines[i-1], p[0]); !(math.Abs(got-p[1]) < 0.002) {
				t.Errorf("%s at %g MHz is drawn at %g V, its sheet says %g", l.Name, p[0], got, p[1])
			}
		}
	}
	for i, l := range drawing.Of(set.Board)[0].Lines {
		if got := at(l, 100); math.Abs(got+100*set.Board.LoadLine[i].MilliOhm) > 1e-9 {
			t.Errorf("%s at 100 A falls by %g mV", l.Name, got)
		}
	}
	c := set.Cooler
	if got := at(drawing.Of(c)[0].Lines[0], 100); math.Abs(got-c.BaseKPerW-c.AirKPerW) > 1e-9 {
		t.Errorf("at full speed %g K/W, the sheet says %g", got, c.BaseKPerW+c.AirKPerW)
	}
	if got := at(drawing.Of(c)[1].Lines[0], 100); math.Abs(got-c.Fan.MaxNoise) > 1e-9 {
		t.Errorf("at full speed %g dB(A)", got)
	}
	for _, sheet := range []any{&part.Processor{}, &part.Processor{VF: []part.VFPoint{{MHz: 5, V: 1}, {MHz: 4}, {}}}, &part.Board{},
		&part.Cooler{}, &part.Memory{}, &part.Cooler{AirKPerW: 1, AirExponent: 9, Fan: part.Fan{MaxRPM: 1}}} {
		for _, d := range drawing.Of(sheet) {
			for _, l := range d.Lines {
				for _, p := range l.Points {
					if math.IsNaN(p[0]+p[1]) || math.IsInf(p[0]+p[1], 0) {
						t.Errorf("%T: %s holds %v", sheet, l.Name, p)
					}
				}
			}
		}
	}
}
