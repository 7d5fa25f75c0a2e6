package load

import (
	"bufio"
	"fmt"
	"io"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"testing"
	"time"

	"golang.org/x/sys/unix"
)

// alone keeps a benchmark on one processor, with a program of testdata that measures the baseline there by turns. It returns how fast
// that is, in GFLOP/s.
func alone(b *testing.B, source string, compile []string, args ...string) (baseline func() float64) {
	b.Helper()
	runtime.LockOSThread()
	b.Cleanup(runtime.UnlockOSThread)
	var before unix.CPUSet
	if err := unix.SchedGetaffinity(0, &before); err != nil {
		b.Fatal(err)
	}
	var one unix.CPUSet
	one.Set(runtime.NumCPU() - 1)
	if err := unix.SchedSetaffinity(0, &one); err != nil {
		b.Fatal(err)
	}
	b.Cleanup(func() { _ = unix.SchedSetaffinity(0, &before) })
	program := filepath.Join(b.TempDir(), "baseline")
	with := append([]string{"-O3", "-march=native", "-o", program, "testdata/" + source}, compile...)
	if out, err := exec.Command("cc", with...).CombinedOutput(); err != nil {
		b.Fatalf("compile the baseline: %v\n%s", err, out)
	}
	cmd := exec.Command(program, args...) // it runs where this thread runs
	in, err := cmd.StdinPipe()
	if err != nil {
		b.Fatal(err)
	}
	out, err := cmd.StdoutPipe()
	if err != nil {
		b.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		b.Fatal(err)
	}
	b.Cleanup(func() { _ = in.Close(); _ = cmd.Wait() })
	lines := bufio.NewReader(out)
	return func() float64 {
		var rate, sum float64
		if _, err := io.WriteString(in, "go\n"); err != nil {
			b.Fatal(err)
		}
		line, err := lines.ReadString('\n')
		if err != nil {
			b.Fatal(err)
		}
		if _, err := fmt.Sscan(line, &rate, &sum); err != nil {
			b.Fatal(err)
		}
		return rate
	}
}

// byTurns measures a task, verification on, against a baseline, by turns on the same processor. The figure is the median of the turns'
// ratios.
func byTurns(b *testing.B, baseline func() float64, rounds int, round func() (work float64, right bool)) {
	b.Helper()
	baseline()
	round() // its tables are made
	var ratios, ourRates, theirs []float64
	for b.Loop() {
		c := baseline()
		work, started := 0.0, time.Now()
		for range rounds {
			n, right := round()
			if !right {
				b.Fatal("a wrong result")
			}
			work += n
		}
		our := work / time.Since(started).Seconds() / 1e9
		ratios, ourRates, theirs = append(ratios, our/c), append(ourRates, our), append(theirs, c)
	}
	b.ReportMetric(median(ratios), "of-baseline")
	b.ReportMetric(median(ourRates), "GFLOP/s")
	b.ReportMetric(median(theirs), "baseline-GFLOP/s")
}

// BenchmarkHeavyAgainstC measures the heavy load against the kernel of testdata/kernel.c, which verifies nothing.
func BenchmarkHeavyAgainstC(b *testing.B) {
	if Widest() != Bits512 {
		b.Skip("this machine has no vectors of 512 bits")
	}
	w := newHeavy(Bits512, vectorPasses)
	byTurns(b, alone(b, "kernel.c", nil), 40, func() (float64, bool) { return w.round(nil) })
}

// BenchmarkTransformAgainstLibrary measures the transform loads, squaring, carrying and verification included, against transforms alone of
// a general library, of as many numbers.
func BenchmarkTransformAgainstLibrary(b *testing.B) {
	for _, row := range []struct {
		name          string
		s             *sequence
		rounds, times int
	}{{"cached", smallSequence(), 200, 2000}, {"large", largeSequence(), 5, 10}} {
		b.Run(row.name, func(b *testing.B) {
			l := newLucas(row.s, Widest())
			baseline := alone(b, "transform.c", []string{"-lfftw3", "-lm"}, fmt.Sprint(row.s.n), fmt.Sprint(row.times))
			byTurns(b, baseline, row.rounds, func() (float64, bool) { return l.round(nil) })
		})
	}
}

func median(list []float64) float64 {
	slices.Sort(list)
	return list[len(list)/2]
}
