package forecast_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"zerokeel/core/forecast"
	"zerokeel/core/machine"
	"zerokeel/core/part/parttest"
	"zerokeel/core/trim"
)

// nature is what a rig really is in what rigs of its kind differ in.
func (u *unlike) nature(t testing.TB) map[string]float64 {
	t.Helper()
	tuning, err := machine.Tune(u.made, nil)
	if err != nil {
		t.Fatal(err)
	}
	m, err := machine.NewAdjustedModel(u.made, tuning, u.chip, u.adjust)
	if err != nil {
		t.Fatal(err)
	}
	out := map[string]float64{}
	n := float64(u.made.Processor.Clusters[0].Cores)
	for core := range u.made.Processor.Clusters[0].Cores {
		out[forecast.TraitVolts] += 1000 * m.FusedV(core, forecast.TraitMHz(u.sheets.Processor)) / n
		out[forecast.TraitLeakage] += 100 * u.chip.Leak[core] / n
	}
	d, c := u.sheets.Processor.Heat.DieKPerW, u.sheets.Cooler
	const wall = 1.2 // W at the wall for each of the package, about: what comes in again of warm air is part of how a cooler is mounted
	out[forecast.TraitMount] = 100 * (d*math.Exp(u.adjust.DieR) + (c.BaseKPerW+c.AirKPerW)*math.Exp(u.adjust.CoolerR) + wall*u.recirculates) /
		(d + c.BaseKPerW + c.AirKPerW)
	return out
}

// TestTraits: what is told of a rig's nature holds in as many cases as its interval says, on rigs that are made otherwise than the models
// take them to be, and nothing is told where nothing was run.
func TestTraits(t *testing.T) {
	inside, told := map[string]int{}, map[string]int{}
	for i := range 30 {
		r := rand.New(rand.NewPCG(9, uint64(i)))
		name := parttest.Rigs[i%len(parttest.Rigs)]
		u := drawUnlike(t, name, r)
		if none := forecast.Prior(u.sheets).Traits(); len(none) > 0 {
			t.Errorf("%s: %v by its sheets alone", name, none)
		}
		var records []forecast.Record
		for _, s := range []trim.Settings{{}} {
			records = append(records, u.ladder(t, s, 20+5*r.Float64(), true)...)
		}
		fit, err := forecast.FitRecords(u.sheets, records)
		if err != nil {
			t.Fatal(err)
		}
		truth := u.nature(t)
		for _, x := range fit.Traits() {
			told[x.What]++
			if math.Abs(x.Value-truth[x.What]) <= x.Half {
				inside[x.What]++
			}
			t.Logf("%s %s: %.1f ± %.1f %s, is %.1f", name, x.What, x.Value, x.Half, x.Unit, truth[x.What])
		}
	}
	t.Log(inside, told)
	for what, n := range told {
		if n < 10 || float64(inside[what]) < 0.75*float64(n) {
			t.Errorf("%s is told of %d rigs, and is inside its interval in %d", what, n, inside[what])
		}
	}
}
