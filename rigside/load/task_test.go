package load

import (
	"fmt"
	"math"
	"math/big"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"zerokeel/core/load"
)

// tasksOf returns the task of a kind in every width of this machine.
func tasksOf(t testing.TB, kind load.Kind) map[Width]task {
	t.Helper()
	out := map[Width]task{}
	for _, width := range Widths() {
		one, err := newTask(kind, setting{width: width, memoryBytes: 2 << 20, seed: 3})
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { closeTask(one) })
		out[width] = one
	}
	return out
}

// TestEveryTaskIsRightInEveryWidth: what is known comes from plain Go, from big integers or from the patterns
// themselves, so a right result shows that the kernels compute it too.
func TestEveryTaskIsRightInEveryWidth(t *testing.T) {
	if testing.Short() {
		t.Skip("one goroutine, much reckoning")
	}
	for _, kind := range load.Kinds {
		rounds := 60 // past a comparison of the transform
		if kind == load.TransformLarge {
			rounds = 5
		}
		if kind == load.Transform {
			rounds = 6
		}
		for width, one := range tasksOf(t, kind) {
			for i := range rounds {
				if n, right := one.round(nil); !right || n <= 0 {
					t.Errorf("%s, %s: round %d: right %v after %g operations", kind, width, i, right, n)
					break
				}
			}
		}
	}
}

// found flips a bit in a task's data, and returns how long it took until a result was wrong; not found within limit rounds
// is a failure.
func found(one task, d *disturbance, limit int) (time.Duration, bool) {
	for range 100 {
		d.later = false
		started := time.Now()
		_, right := one.round(d)
		if d.later {
			continue
		}
		for range limit {
			if !right {
				return time.Since(started), true
			}
			_, right = one.round(nil)
		}
		return 0, false
	}
	return 0, false
}

// roundsToFind is the number of rounds within which a flipped bit must show: those between two comparisons, or two sweeps
// of the memory; a medley comes back to the task that was disturbed only some seconds later.
func roundsToFind(kind load.Kind) int {
	switch kind {
	case load.Mixed:
		return 100_000
	case load.Memory:
		return 500
	}
	return 12
}

func TestEveryFlippedBitIsFound(t *testing.T) {
	if testing.Short() {
		t.Skip("one goroutine, much reckoning")
	}
	for _, kind := range load.Kinds {
		t.Run(string(kind), func(t *testing.T) {
			d := &disturbance{random: rand.New(rand.NewPCG(8, 8))}
			flips := 15
			if kind == load.TransformLarge {
				flips = 1
			}
			for width, one := range tasksOf(t, kind) {
				for i := range flips {
					if _, ok := found(one, d, roundsToFind(kind)); !ok {
						t.Fatalf("%s: flip %d was missed", width, i)
					}
				}
				for range 12 { // and what was disturbed is over
					if _, right := one.round(nil); !right {
						t.Fatalf("%s: wrong after the disturbance was over", width)
					}
					if kind == load.TransformLarge {
						break
					}
				}
			}
		})
	}
}

// TestResiduesAreThoseOfBigIntegers: the small sequence as far as it goes, the large one while its terms are short.
func TestResiduesAreThoseOfBigIntegers(t *testing.T) {
	for _, row := range []struct {
		s       *sequence
		through int
	}{{smallSequence(), 100}, {largeSequence(), 15}} {
		modulus := new(big.Int).Sub(new(big.Int).Lsh(big.NewInt(1), uint(row.s.p)), big.NewInt(1))
		x := big.NewInt(4)
		for i := 1; i <= row.through; i++ {
			x.Mul(x, x).Sub(x, big.NewInt(2)).Mod(x, modulus)
			if i%row.s.every == 0 {
				if want := new(big.Int).Mod(x, big.NewInt(1<<61-1)).Uint64(); row.s.known[i/row.s.every-1] != want {
					t.Errorf("2^%d − 1, term %d: %#x is known, %#x is right", row.s.p, i, row.s.known[i/row.s.every-1], want)
				}
			}
		}
	}
}

// TestTransformsAgreeToTheBit takes random numbers there and back in every width, squared and carried, and holds the transform against the
// sum that defines it.
func TestTransformsAgreeToTheBit(t *testing.T) {
	s := smallSequence()
	m := s.side * s.side
	r := rand.New(rand.NewPCG(6, 6))
	want := newLucas(s, Portable)
	for i := range m {
		want.x.re[i], want.x.im[i] = float64(r.IntN(65536)-32768)*s.weight(2*i), float64(r.IntN(65536)-32768)*s.weight(2*i+1)
	}
	start := newLucas(s, Portable)
	copy(start.x.re, want.x.re)
	copy(start.x.im, want.x.im)
	s.t.forward(Portable, want.x, want.y, want.part)
	for range 20 {
		row, column := r.IntN(s.side), r.IntN(s.side)
		k := s.t.frequency(row, column)
		var re, im float64
		for i := range m {
			wr, wi := unit(i*k%m, m)
			a, b := rotate(start.x.re[i], start.x.im[i], wr, wi)
			re, im = re+a, im+b
		}
		at := row*s.side + column
		if off := math.Hypot(want.y.re[at]-re, want.y.im[at]-im); off > 1e-3 {
			t.Errorf("frequency %d is %g off", k, off)
		}
	}
	copy(want.x.re, start.x.re)
	copy(want.x.im, start.x.im)
	off := want.next()
	for _, width := range Widths()[1:] {
		got := newLucas(s, width)
		copy(got.x.re, start.x.re)
		copy(got.x.im, start.x.im)
		if x := got.next(); x != off || !slices.Equal(got.x.re, want.x.re) || !slices.Equal(got.x.im, want.x.im) {
			t.Errorf("%s: other bits than in plain Go, %g and %g off", width, x, off)
		}
	}
}

// TestPackingLosesNothing: random and repetitive texts come back as they were, and keys come sorted.
func TestPackingLosesNothing(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	w := newInteger()
	for range 50 {
		w.text = w.text[:0]
		for letters := 1 + r.IntN(255); len(w.text) < 2000; {
			w.text = append(w.text, byte(r.IntN(letters)))
		}
		w.pack()
		w.unpack()
		if !slices.Equal(w.plain, w.text) {
			t.Fatal("a text came back changed")
		}
		keys := make([]uint64, 1+r.IntN(3000))
		for i := range keys {
			keys[i] = r.Uint64N(uint64(len(keys)))
		}
		want := slices.Sorted(slices.Values(keys))
		sortKeys(keys)
		if !slices.Equal(keys, want) {
			t.Fatal("the keys are not sorted")
		}
	}
}

func FuzzUnpack(f *testing.F) {
	f.Add([]byte{0, 'a', 4, 1, 0})
	f.Add([]byte{9, 9, 9})
	f.Fuzz(func(t *testing.T, packed []byte) {
		w := newInteger()
		w.packed = packed
		w.unpack()
		if len(w.plain) > longest*len(packed) {
			t.Error("it unpacks to more than it can hold")
		}
	})
}

func TestMemoryCoverage(t *testing.T) {
	m, err := newMemory(3 << 20)
	if err != nil {
		t.Fatal(err)
	}
	defer m.close()
	rounds, last := 0, 0.0
	for ; m.coverage() < 1; rounds++ {
		if _, right := m.round(nil); !right {
			t.Fatalf("wrong at %.0f %%", 100*m.coverage())
		}
		if m.coverage() <= last {
			t.Fatal("coverage does not grow")
		}
		last = m.coverage()
	}
	if want := (len(sweeps) + 1) * len(m.words) / blockWords; rounds != want {
		t.Errorf("covered after %d rounds, want %d", rounds, want)
	}
}

func TestLoadsTellWhatTheyNeed(t *testing.T) {
	for _, kind := range load.Kinds {
		one, many := NeedsMB(kind, 1), NeedsMB(kind, 32)
		if one < 1 || many < one || kind == load.TransformLarge && (one < 32 || many-one < 31*32) || kind == load.Mixed && many-one < 31*8 {
			t.Errorf("%s: %d MB on one worker, %d on 32", kind, one, many)
		}
	}
}

func TestWidthsAreRead(t *testing.T) {
	for _, w := range Widths() {
		if got, err := ParseWidth(w.name()); err != nil || got != w {
			t.Errorf("%s reads as %v, %v", w.name(), got, err)
		}
	}
	if got, err := ParseWidth(""); err != nil || got != Widest() {
		t.Errorf("nothing reads as %v, %v", got, err)
	}
	if _, err := ParseWidth("1024"); err == nil {
		t.Error("1024 bits are taken")
	}
}

// BenchmarkFound flips one bit after another in each load's data: the share found, and the median time to it.
func BenchmarkFound(b *testing.B) {
	for _, kind := range load.Kinds {
		b.Run(string(kind), func(b *testing.B) {
			one := tasksOf(b, kind)[Widest()]
			d := &disturbance{random: rand.New(rand.NewPCG(9, 9))}
			var times []time.Duration
			tried := 0
			for b.Loop() {
				tried++
				if after, ok := found(one, d, roundsToFind(kind)); ok {
					times = append(times, after)
				}
			}
			slices.Sort(times)
			b.ReportMetric(100*float64(len(times))/float64(tried), "%found")
			if len(times) > 0 {
				b.ReportMetric(float64(times[len(times)/2].Microseconds())/1000, "ms-median")
			}
		})
	}
}

func BenchmarkWidth(b *testing.B) {
	for _, kind := range []load.Kind{load.Heavy, load.Transform} {
		for width, one := range tasksOf(b, kind) {
			b.Run(fmt.Sprint(kind, "/", width), func(b *testing.B) {
				work := 0.0
				for b.Loop() {
					n, _ := one.round(nil)
					work += n
				}
				b.ReportMetric(work/b.Elapsed().Seconds()/1e9, "GFLOP/s")
			})
		}
	}
}
