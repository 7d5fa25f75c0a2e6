package archive

import (
	"bufio"
	"bytes"
	"math"
	"math/rand/v2"
	"strconv"
	"testing"

	"zerokeel/core/channel"
	"zerokeel/core/series"
)

// TestFiguresReadBack: each is written as the shortest text that reads back as it was.
func TestFiguresReadBack(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	figures := []float64{0, math.Copysign(0, -1), 1, -1, 0.001, -0.001, 0.1, 12.5, 1.0005, 1e-9,
		999999999.999, 1e12, -1e12, 123456789012.25, 1e300, 5e-324}
	for range 20000 {
		figures = append(figures, math.Float64frombits(r.Uint64()), float64(r.IntN(1e9))/1000, -float64(r.IntN(1e6))/8)
	}
	for _, v := range figures {
		if math.IsNaN(v) || math.IsInf(v, 0) {
			continue
		}
		text := string(appendFigure(nil, v))
		back, err := strconv.ParseFloat(text, 64)
		if err != nil || math.Float64bits(back) != math.Float64bits(v) || len(text) > len(strconv.FormatFloat(v, 'g', -1, 64)) {
			t.Errorf("%v is written as %s", v, text)
		}
	}
}

// TestSamplesReadBack: channels of different rates, gaps, and two samples at one moment come back as they were, in whatever pieces.
func TestSamplesReadBack(t *testing.T) {
	for seed := range uint64(200) {
		r := rand.New(rand.NewPCG(seed, 5))
		keys, all := []string{"a", "b.1", "c"}, channel.Samples{}
		for _, key := range keys {
			at := int64(1_700_000_000_000)
			for range r.IntN(300) {
				at += r.Int64N(3) * 500
				v := float64(r.IntN(4000)) / 8
				if r.IntN(9) == 0 {
					v = math.NaN()
				}
				all[key] = append(all[key], series.Sample{T: at, V: v})
			}
		}
		var text bytes.Buffer
		out := bufio.NewWriter(&text)
		moments, err := WriteSamples(out, true, keys, all)
		if err != nil || out.Flush() != nil {
			t.Fatal(err)
		}
		back := channel.Samples{}
		err = readSamples(bytes.NewReader(text.Bytes()), "x", keys, 1+r.Int64N(50_000), moments, func(some channel.Samples) error {
			for key, list := range some {
				back[key] = append(back[key], list...)
			}
			return nil
		})
		if err != nil {
			t.Fatal(err)
		}
		for _, key := range keys {
			if len(back[key]) != len(all[key]) {
				t.Fatalf("%d: %d samples of %s, were %d", seed, len(back[key]), key, len(all[key]))
			}
			for i, x := range all[key] {
				if y := back[key][i]; x.T != y.T || math.Float64bits(x.V) != math.Float64bits(y.V) && !(math.IsNaN(x.V) && math.IsNaN(y.V)) {
					t.Fatalf("%d: %v of %s, was %v", seed, y, key, x)
				}
			}
		}
	}
}

// FuzzSamples: whatever stands in a file, it is refused with words or read, and what was read reads back.
func FuzzSamples(f *testing.F) {
	f.Add([]byte("ms,a,b\n1,2,\n1,,3\n2,-,1e3\n"), 3)
	f.Add([]byte("ms,a\n5,1\n4,1\n"), 2)
	f.Add([]byte("ms\n"), 0)
	f.Fuzz(func(t *testing.T, text []byte, want int) {
		got := channel.Samples{}
		err := readSamples(bytes.NewReader(text), "x", []string{"a", "b"}, 10, want, func(some channel.Samples) error {
			for key, list := range some {
				got[key] = append(got[key], list...)
			}
			return nil
		})
		if err != nil {
			return
		}
		var again bytes.Buffer
		out := bufio.NewWriter(&again)
		moments, err := WriteSamples(out, true, []string{"a", "b"}, got)
		if err != nil || out.Flush() != nil {
			t.Fatal(err)
		}
		n := 0
		if err := readSamples(&again, "x", []string{"a", "b"}, 1<<60, moments, func(some channel.Samples) error {
			n += len(some["a"]) + len(some["b"])
			return nil
		}); err != nil || n != len(got["a"])+len(got["b"]) {
			t.Errorf("%d samples and %v read back of %d", n, err, len(got["a"])+len(got["b"]))
		}
	})
}

// FuzzOpen: whatever bytes are handed in, they are refused with words or opened.
func FuzzOpen(f *testing.F) {
	var text bytes.Buffer
	w := NewWriter(&text)
	if to, err := w.Create(LinesOf("rig-1", "rigs")); err != nil {
		f.Fatal(err)
	} else if _, err := to.Write([]byte("{}\n")); err != nil {
		f.Fatal(err)
	}
	if err := w.Close(&Contents{Rigs: []Rig{{Name: "x", Folder: "rig-1", Lines: Counts{"rigs": 1}}}}); err != nil {
		f.Fatal(err)
	}
	f.Add(text.Bytes())
	f.Add(text.Bytes()[:40])
	f.Fuzz(func(t *testing.T, text []byte) {
		r, err := Open(bytes.NewReader(text), int64(len(text)))
		if err != nil {
			return
		}
		for _, one := range r.Rigs {
			for table, n := range one.Lines {
				_ = r.Lines(LinesOf(one.Folder, table), n, func([]byte) error { return nil })
			}
		}
	})
}
