package heat_test

import (
	"math"
	"testing"

	"gonum.org/v1/gonum/mat"

	"zerokeel/core/heat"
	"zerokeel/core/part"
)

var (
	processor = &part.Processor{Heat: part.DieHeat{CoreKPerW: 0.75, DieKPerW: 0.17, DieJPerK: 7, BaseJPerK: 110}}
	cooler    = &part.Cooler{BaseKPerW: 0.055, AirKPerW: 0.085, AirExponent: 0.72, CoolantJPerK: 1450,
		Fan: part.Fan{StallDuty: 18, MinRPM: 420, MaxRPM: 1900, MaxNoise: 41}}
)

// exact advances the nodes by the matrix exponential of the same network: an independent solution.
func exact(n heat.Nodes, watts, ambient, airR, seconds float64) heat.Nodes {
	const dieR, baseR, dieC, baseC, coolC = 0.17, 0.055, 7.0, 110.0, 1450.0
	// Fourth state: a constant 1 that carries the sources.
	a := mat.NewDense(4, 4, []float64{
		-1 / (dieR * dieC), 1 / (dieR * dieC), 0, watts / dieC,
		1 / (dieR * baseC), -(1/dieR + 1/baseR) / baseC, 1 / (baseR * baseC), 0,
		0, 1 / (baseR * coolC), -(1/baseR + 1/airR) / coolC, ambient / (airR * coolC),
		0, 0, 0, 0,
	})
	a.Scale(seconds, a)
	var e mat.Dense
	e.Exp(a)
	var out mat.VecDense
	out.MulVec(&e, mat.NewVecDense(4, []float64{n.Die, n.Base, n.Coolant, 1}))
	return heat.Nodes{Die: out.AtVec(0), Base: out.AtVec(1), Coolant: out.AtVec(2)}
}

func TestStepperAgainstMatrixExponential(t *testing.T) {
	path := heat.NewPath(processor, cooler, 1)
	airR := path.AirR(60)
	n := heat.At(24)
	s := heat.NewStepper(path, airR, 0.01)
	for i := 1; i <= 30000; i++ {
		n = s.Step(n, 150, 24)
		if i%1000 != 0 {
			continue
		}
		want := exact(heat.At(24), 150, 24, airR, float64(i)*0.01)
		if math.Abs(n.Die-want.Die) > 0.05 || math.Abs(n.Base-want.Base) > 0.05 || math.Abs(n.Coolant-want.Coolant) > 0.05 {
			t.Fatalf("after %d s: got %+v, want %+v", i/100, n, want)
		}
	}
}

func TestSteadyIsWhereSteppingEnds(t *testing.T) {
	path := heat.NewPath(processor, cooler, 1)
	for _, dt := range []float64{0.01, 0.5, 5} {
		s := heat.NewStepper(path, path.AirR(100), dt)
		n := heat.At(50)
		for range int(8000 / dt) {
			n = s.Step(n, 180, 22)
		}
		want := path.Steady(180, path.AirR(100), 22)
		if math.Abs(n.Die-want.Die) > 1e-3 || math.Abs(n.Coolant-want.Coolant) > 1e-3 {
			t.Errorf("steps of %g s: got %+v, want %+v", dt, n, want)
		}
	}
}

func TestFan(t *testing.T) {
	curve := []heat.Point{{C: 20, Duty: 30}, {C: 60, Duty: 50}, {C: 90, Duty: 100}}
	for _, row := range []struct{ c, want float64 }{{0, 30}, {20, 30}, {40, 40}, {60, 50}, {75, 75}, {120, 100}} {
		if got := heat.Duty(curve, row.c); math.Abs(got-row.want) > 1e-9 {
			t.Errorf("duty at %g °C: got %g, want %g", row.c, got, row.want)
		}
	}
	if heat.Duty(nil, 50) != 100 {
		t.Error("a fan without a curve does not run at full speed")
	}
	if got := heat.Speed(cooler.Fan, 17); got != 0 {
		t.Errorf("below its stall duty the fan turns at %g rpm", got)
	}
	if low, high := heat.Speed(cooler.Fan, 18), heat.Speed(cooler.Fan, 100); low != 420 || high != 1900 {
		t.Errorf("speeds %g and %g, want 420 and 1900", low, high)
	}
	if d := heat.Noise(cooler.Fan, 1900) - heat.Noise(cooler.Fan, 950); math.Abs(d-15.05) > 0.01 {
		t.Errorf("half the speed is %.2f dB quieter, want 15.05 (50·log10 2)", d)
	}
	path := heat.NewPath(processor, cooler, 1)
	for duty := 20.0; duty < 100; duty += 5 {
		if path.AirR(duty+5) >= path.AirR(duty) {
			t.Errorf("a faster fan does not cool better at %g %%", duty)
		}
	}
}
