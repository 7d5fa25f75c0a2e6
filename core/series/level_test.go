package series_test

import (
	"errors"
	"math"
	"testing"

	"zerokeel/core/series"
)

// TestLevelSaysWhatTheSamplesSay: the buckets of a level, merged, are those of the samples themselves.
func TestLevelSaysWhatTheSamplesSay(t *testing.T) {
	gappy := walk(4000, 0.125)
	for i := 1000; i < 1200; i++ {
		gappy[i].V = math.NaN()
	}
	for _, row := range []struct {
		name    string
		samples []series.Sample
		quantum float64
	}{
		{"none", nil, 0.1}, {"one", walk(1, 0.1), 0.1}, {"regular", walk(4000, 0.125), 0.125}, {"gaps", gappy, 0.125},
		{"no quantum", walk(500, 0.1), 0},
		{"before 1970", []series.Sample{{T: -61_000, V: 1}, {T: -1, V: 2}, {T: 1, V: 3}}, 1},
		{"too large for its quantum", []series.Sample{{T: 0, V: 1e300}, {T: 1, V: -1e300}}, 1e-3},
	} {
		t.Run(row.name, func(t *testing.T) {
			got, err := series.DecodeLevel(series.EncodeLevel(row.samples, row.quantum))
			if err != nil {
				t.Fatal(err)
			}
			if len(row.samples) == 0 {
				if len(got) != 0 {
					t.Errorf("got %v", got)
				}
				return
			}
			from := int64(math.Floor(float64(row.samples[0].T)/300_000)) * 300_000
			count := int((row.samples[len(row.samples)-1].T-from)/300_000) + 1
			to := from + int64(count)*300_000
			want := series.Downsample(row.samples, from, to, count)
			merged := series.Merge(got, from, to, count)
			if len(merged) != len(want) {
				t.Fatalf("%d buckets, want %d", len(merged), len(want))
			}
			for i, w := range want {
				m := merged[i]
				if m.T != w.T || m.Min != w.Min || m.Max != w.Max || m.N != w.N ||
					math.Abs(m.Mean-w.Mean) > max(row.quantum/4, 1e-9*math.Abs(w.Max-w.Min)) {
					t.Errorf("bucket %d: %+v, want %+v", i, m, w)
				}
			}
		})
	}
}

func FuzzDecodeLevel(f *testing.F) {
	f.Add(series.EncodeLevel(walk(100, 0.1), 0.1))
	f.Add(series.EncodeLevel(walk(100, 0.1), 0))
	f.Fuzz(func(t *testing.T, level []byte) {
		buckets, err := series.DecodeLevel(level)
		if err != nil && !errors.Is(err, series.ErrCorrupt) {
			t.Errorf("%v does not wrap ErrCorrupt", err)
		}
		if len(buckets) > len(level) {
			t.Errorf("%d buckets from %d bytes", len(buckets), len(level))
		}
	})
}
