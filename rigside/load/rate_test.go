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

// BenchmarkHeavyAgainstC measures the heavy load, verification on, against the kernel of testdata/kernel.c without any,
// by turns on the same processor. The figure is the median of the turns' ratios.
func BenchmarkHeavyAgainstC(b *testing.B) {
	if Widest() != Bits512 {
		b.Skip("this machine has no vectors of 512 bits")
	}
	runtime.LockOSThread()
	defer runtime.UnlockOSThread()
	var before unix.CPUSet
	if err := unix.SchedGetaffinity(0, &before); err != nil {
		b.Fatal(err)
	}
	var one unix.CPUSet
	one.Set(runtime.NumCPU() - 1)
	if err := unix.SchedSetaffinity(0, &one); err != nil {
		b.Fatal(err)
	}
	defer func() { _ = unix.SchedSetaffinity(0, &before) }()
	program := filepath.Join(b.TempDir(), "kernel")
	if out, err := exec.Command("cc", "-O3", "-march=native", "-o", program, "testdata/kernel.c").CombinedOutput(); err != nil {
		b.Fatalf("compile the baseline: %v\n%s", err, out)
	}
	cmd := exec.Command(program) // it runs where this thread runs
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
	defer func() { _ = in.Close(); _ = cmd.Wait() }()
	lines := bufio.NewReader(out)
	baseline := func() float64 {
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
	w := newHeavy(Bits512, vectorPasses)
	baseline()
	var ratios, ourRates, theirs []float64
	for b.Loop() {
		c := baseline()
		work, started := 0.0, time.Now()
		for range 40 {
			n, right := w.round(nil)
			if !right {
				b.Fatal("a wrong result")
			}
			work += n
		}
		our := work / time.Since(started).Seconds() / 1e9
		ratios, ourRates, theirs = append(ratios, our/c), append(ourRates, our), append(theirs, c)
	}
	b.ReportMetric(median(ratios), "of-C")
	b.ReportMetric(median(ourRates), "GFLOP/s")
	b.ReportMetric(median(theirs), "C-GFLOP/s")
}

func median(list []float64) float64 {
	slices.Sort(list)
	return list[len(list)/2]
}
