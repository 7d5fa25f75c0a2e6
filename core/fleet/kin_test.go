package fleet_test

import (
	"math/rand/v2"
	"testing"

	"zerokeel/core/fleet"
)

// TestStrays: of machines that differ as those of a kind do few are said to stand out, of few machines none, and one whose cooler
// sits badly is found among them, however its own doubt is.
func TestStrays(t *testing.T) {
	r := rand.New(rand.NewPCG(6, 6))
	wrong, looked, found := 0, 0, 0
	const rounds = 2000
	for range rounds {
		n := 4 + r.IntN(9)
		values, halves := make([]float64, n), make([]float64, n)
		for i := range values {
			sd := 1 + 2*r.Float64()
			values[i], halves[i] = 100+4*r.NormFloat64()+sd*r.NormFloat64(), 1.645*sd
		}
		for _, strays := range fleet.Strays(values, halves) {
			looked++
			if strays {
				wrong++
			}
		}
		bad := r.IntN(n)
		values[bad] += 45
		if fleet.Strays(values, halves)[bad] {
			found++
		}
		for _, strays := range fleet.Strays(values[:3], halves[:3]) {
			if strays {
				t.Fatal("one of three is said to stand out")
			}
		}
	}
	if share := float64(wrong) / float64(looked); share > 0.04 {
		t.Errorf("%.1f %% of machines like the others are said to stand out", 100*share)
	}
	if share := float64(found) / rounds; share < 0.85 {
		t.Errorf("%.0f %% of those that do are found", 100*share)
	}
}
