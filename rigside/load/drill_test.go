package load_test

import (
	"runtime"
	"testing"
	"time"

	"golang.org/x/sys/unix"

	core "zerokeel/core/load"
	"zerokeel/rigside/load"
)

// cpus returns the processors that this test may use, one per core of a leg.
func cpus(t *testing.T) [][]int {
	t.Helper()
	var set unix.CPUSet
	if err := unix.SchedGetaffinity(0, &set); err != nil {
		t.Fatal(err)
	}
	var out [][]int
	for cpu := range runtime.NumCPU() * 8 {
		if set.IsSet(cpu) {
			out = append(out, []int{cpu})
		}
	}
	return out
}

// until polls a condition; a worker's first round may take a moment on a busy machine.
func until(t *testing.T, what string, holds func() bool) {
	t.Helper()
	tick := time.NewTicker(2 * time.Millisecond)
	defer tick.Stop()
	end := time.After(30 * time.Second)
	for !holds() {
		select {
		case <-tick.C:
		case <-end:
			t.Fatalf("waited in vain until %s", what)
		}
	}
}

// TestEveryLoadWorksOnItsCores runs each kind of load until every core it visits has done something.
func TestEveryLoadWorksOnItsCores(t *testing.T) {
	places := cpus(t)
	for _, kind := range core.Kinds {
		t.Run(string(kind), func(t *testing.T) {
			d := load.Start(t.Context(), load.Spec{Kind: kind, CPUs: places, Width: load.Widest(), MemoryMB: 4})
			for place := range places {
				d.Turn(place)
				until(t, "the core has worked", func() bool { return d.Work()[place] > 0 })
			}
			if !d.Stop(10 * time.Second) {
				t.Error("a worker did not stop")
			}
			select {
			case f := <-d.Faults():
				t.Errorf("a fault without cause: %+v", f)
			default:
			}
			after := d.Work()
			if again := d.Work(); again[0] != after[0] {
				t.Error("work goes on after the stop")
			}
		})
	}
}

// TestInjectedFaultIsNamed flips a bit on each core in turn, and looks for it by its place.
func TestInjectedFaultIsNamed(t *testing.T) {
	places := cpus(t)
	for _, kind := range core.Kinds {
		for place := range places {
			d := load.Start(t.Context(), load.Spec{Kind: kind, CPUs: places, Width: load.Widest(), MemoryMB: 4,
				Inject: &load.Inject{Place: place, Seed: 5}})
			d.Turn(place)
			if f := <-d.Faults(); f.Place != place || !f.Injected {
				t.Errorf("%s: injected at %d, found %+v", kind, place, f)
			}
			d.Stop(10 * time.Second)
			if len(d.Faults()) > 0 {
				t.Errorf("%s: one flipped bit was found more than once", kind)
			}
		}
	}
}

// TestLightLoadStaysOnItsTurn: only the core whose turn it is works.
func TestLightLoadStaysOnItsTurn(t *testing.T) {
	places := cpus(t)
	if len(places) < 2 {
		t.Skip("this machine has one processor")
	}
	d := load.Start(t.Context(), load.Spec{Kind: core.Light, CPUs: places})
	defer d.Stop(10 * time.Second)
	until(t, "the first core has worked", func() bool { return d.Work()[0] > 0 })
	if n := d.Work()[1]; n != 0 {
		t.Errorf("the second core did %d passes in the first one's turn", n)
	}
	d.Turn(1)
	until(t, "the second core has worked", func() bool { return d.Work()[1] > 0 })
}
