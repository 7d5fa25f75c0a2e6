package series_test

import (
	"errors"
	"math"
	"math/rand/v2"
	"testing"

	"zerokeel/core/series"
)

func same(a, b []series.Sample) bool {
	if len(a) != len(b) {
		return false
	}
	for i := range a {
		if a[i].T != b[i].T || math.Float64bits(a[i].V) != math.Float64bits(b[i].V) && !(math.IsNaN(a[i].V) && math.IsNaN(b[i].V)) {
			return false
		}
	}
	return true
}

// walk makes n samples, a second apart, of a quantised random walk.
func walk(n int, quantum float64) []series.Sample {
	r := rand.New(rand.NewPCG(1, 2))
	out := make([]series.Sample, n)
	k := 400.0
	for i := range out {
		k += math.Round(r.NormFloat64() * 2)
		out[i] = series.Sample{T: 1_700_000_000_000 + int64(i)*1000, V: k * quantum}
	}
	return out
}

func TestRoundTrip(t *testing.T) {
	gappy := walk(100, 0.125)
	for _, i := range []int{0, 1, 50, 99} {
		gappy[i].V = math.NaN()
	}
	jittery := walk(100, 0.25)
	for i := range jittery {
		jittery[i].T += int64(i * i % 7)
	}
	rows := []struct {
		name    string
		samples []series.Sample
		quantum float64
	}{
		{"none", nil, 0.1},
		{"one", walk(1, 0.1), 0.1},
		{"regular", walk(1000, 0.1), 0.1},
		{"gaps", gappy, 0.125},
		{"uneven times", jittery, 0.25},
		{"no quantum", walk(100, 0.1), 0},
		{"quantum that does not fit", walk(100, 0.1), 0.7},
		{"specials", []series.Sample{{T: 0, V: math.Inf(1)}, {T: 1, V: math.Copysign(0, -1)}, {T: 1, V: 5e-324}, {T: 2, V: -1e308}}, 1},
		{"negative zero", []series.Sample{{T: 0, V: 1}, {T: 1, V: math.Copysign(0, -1)}, {T: 2, V: math.NaN()}}, 1},
		{"wide jumps", []series.Sample{{T: 0, V: 1 << 52}, {T: 1, V: -(1 << 52)}, {T: 2, V: 0}}, 1},
	}
	for _, row := range rows {
		t.Run(row.name, func(t *testing.T) {
			block, err := series.Encode(row.samples, row.quantum)
			if err != nil {
				t.Fatal(err)
			}
			got, err := series.Decode(block)
			if err != nil {
				t.Fatal(err)
			}
			if !same(got, row.samples) {
				t.Errorf("got %v, want %v", got, row.samples)
			}
			for cut := range block {
				if _, err := series.Decode(block[:cut]); err == nil && cut < len(block)-1 {
					if short, _ := series.Decode(block[:cut]); same(short, row.samples) {
						continue // the bytes cut off carried only padding
					}
					t.Fatalf("a block cut to %d of %d bytes decodes", cut, len(block))
				} else if err != nil && !errors.Is(err, series.ErrCorrupt) {
					t.Fatalf("cut to %d: %v does not wrap ErrCorrupt", cut, err)
				}
			}
		})
	}
	if _, err := series.Encode([]series.Sample{{T: 2}, {T: 1}}, 1); err == nil {
		t.Error("samples out of order were taken")
	}
}

func TestSensorDataTakesUnderTwoBytes(t *testing.T) {
	samples := walk(300, 0.125)
	block, err := series.Encode(samples, 0.125)
	if err != nil {
		t.Fatal(err)
	}
	if perSample := float64(len(block)) / 300; perSample > 1 {
		t.Errorf("%.2f bytes a sample, want at most 1 for a quiet sensor", perSample)
	}
}

func TestDownsampleKeepsExtremes(t *testing.T) {
	samples := walk(1000, 1)
	samples[500].V = 5000
	samples[501].V = math.NaN()
	from := samples[0].T
	got := series.Downsample(samples, from, from+1_000_000, 10)
	if len(got) != 10 {
		t.Fatalf("%d buckets, want 10", len(got))
	}
	n := 0
	for i, b := range got {
		n += b.N
		if b.Min > b.Mean || b.Mean > b.Max || b.T != from+int64(i)*100_000 {
			t.Errorf("bucket %d: %+v", i, b)
		}
	}
	if got[5].Max != 5000 || n != 999 {
		t.Errorf("peak %g, %d samples; want 5000 and 999", got[5].Max, n)
	}
}

func TestAcrossLeavesGapsOut(t *testing.T) {
	a := []series.Sample{{T: 1, V: 2}, {T: 2, V: math.NaN()}, {T: 3, V: math.NaN()}}
	b := []series.Sample{{T: 1, V: 4}, {T: 2, V: 6}, {T: 3, V: math.NaN()}}
	sum := func(v []float64) float64 {
		total := 0.0
		for _, x := range v {
			total += x
		}
		return total
	}
	want := []series.Sample{{T: 1, V: 6}, {T: 2, V: 6}, {T: 3, V: math.NaN()}}
	if got := series.Across([][]series.Sample{a, b, b[:1]}, sum); !same(got, want) {
		t.Errorf("got %v, want %v", got, want)
	}
	if series.Across(nil, sum) != nil {
		t.Error("nothing folds into something")
	}
}

func FuzzDecode(f *testing.F) {
	for _, q := range []float64{0, 0.125} {
		block, _ := series.Encode(walk(70, 0.125), q)
		f.Add(block)
	}
	f.Fuzz(func(t *testing.T, block []byte) {
		samples, err := series.Decode(block)
		if err != nil {
			return
		}
		for i := 1; i < len(samples); i++ {
			if samples[i].T < samples[i-1].T {
				return // such a block was never written by Encode
			}
		}
		again, err := series.Encode(samples, 0)
		if err != nil {
			t.Fatal(err)
		}
		if back, err := series.Decode(again); err != nil || !same(back, samples) {
			t.Errorf("round trip of %d samples failed: %v", len(samples), err)
		}
	})
}
