package load

import (
	"context"
	"errors"
	"runtime"
	"sync"
	"time"

	"golang.org/x/sys/unix"
)

// ErrWrong reports small work between waits whose result was wrong.
var ErrWrong = errors.New("small work beside the load returned a wrong result")

// Waits lets each processor, beside whatever it is busy with, do a little work every so often, and returns by how many
// seconds each time it was done later than it was due.
func Waits(ctx context.Context, cpus []int, every time.Duration, times int) ([]float64, error) {
	// A thread that wakes takes one of the runtime's places; the workers of the load hold as many as there are processors.
	defer runtime.GOMAXPROCS(runtime.GOMAXPROCS(runtime.GOMAXPROCS(0) + len(cpus) + 1))
	var mu sync.Mutex
	var all []float64
	var failed error
	var group sync.WaitGroup
	for _, cpu := range cpus {
		group.Go(func() {
			late, err := waits(ctx, cpu, every, times)
			mu.Lock()
			defer mu.Unlock()
			all, failed = append(all, late...), errors.Join(failed, err)
		})
	}
	group.Wait()
	return all, errors.Join(failed, ctx.Err())
}

func waits(ctx context.Context, cpu int, every time.Duration, times int) ([]float64, error) {
	runtime.LockOSThread()
	var set unix.CPUSet
	set.Set(cpu)
	_ = unix.SchedSetaffinity(0, &set)
	work := newHeavy(Portable, 1)
	late := make([]float64, 0, times)
	due := time.Now()
	for range times {
		due = due.Add(every)
		if rest := time.Until(due); rest > 0 {
			t := unix.NsecToTimespec(int64(rest))
			_ = unix.Nanosleep(&t, nil) // cut short, the work is done early and counts as in time
		}
		if ctx.Err() != nil {
			return late, nil
		}
		if _, right := work.round(nil); !right {
			return late, ErrWrong
		}
		late = append(late, max(0, time.Since(due).Seconds()))
	}
	return late, nil
}
