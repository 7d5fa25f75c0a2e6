package store_test

import (
	"context"
	"errors"
	"fmt"
	"runtime"
	"strings"
	"sync"
	"testing"
	"time"

	"zerokeel/core/trim"
	"zerokeel/core/verdict"
	"zerokeel/link"
	"zerokeel/store"
)

// Rigs whose frames wait for each other are stored with the first that somebody waits for; what is wrong with one's frames harms
// no other's.
func TestFramesOfSeveralRigs(t *testing.T) {
	s, urgent, _, _ := ordered(t)
	const quiet = 4
	frame := second(1)
	frame.Started, frame.Progress, frame.Samples.Order = nil, nil, ""
	gap := frame
	gap.Seq = 5
	rows := []struct {
		stream string
		frame  link.Frame
		last   uint64
		err    error
	}{{"s1", frame, 1, nil}, {"s1", gap, 0, store.ErrGap}, {"never announced", frame, 0, store.ErrNotFound}, {"s1", frame, 1, nil}}
	rigs := make([]*store.Rig, quiet)
	hello := func(ctx context.Context, i int) (uint64, error) {
		last, _, err := s.Hello(ctx, rigs[i].ID, &link.Hello{Stream: "s1", BootID: "b1"}, "me")
		return last, err
	}
	for i := range rigs {
		rigs[i] = &store.Rig{Name: fmt.Sprint("Quiet ", i), TokenHash: append(make([]byte, 31), byte(i+1))}
		if err := s.CreateRig(t.Context(), rigs[i], &store.Trim{Name: "stock", Settings: store.AsJSON(trim.Settings{})}, true); err != nil {
			t.Fatal(err)
		}
		if _, err := hello(t.Context(), i); err != nil {
			t.Fatal(err)
		}
	}
	var all sync.WaitGroup
	for i, row := range rows {
		all.Go(func() {
			last, err := s.Ingest(t.Context(), rigs[i].ID, row.stream, []link.Frame{row.frame}, time.Hour)
			if last != row.last || !errors.Is(err, row.err) {
				t.Errorf("row %d: %d, %v; want %d, %v", i, last, err, row.last, row.err)
			}
		})
	}
	for s.Waiting() < quiet {
		runtime.Gosched()
	}
	if last, err := hello(t.Context(), 0); err != nil || last != 0 {
		t.Errorf("stored before its time: %d, %v", last, err)
	}
	poison := second(1)
	poison.Events = []link.Event{{Order: "o1", Kind: verdict.EventKind(strings.Repeat("no column holds this ", 9))}}
	if last, err := s.Ingest(t.Context(), urgent.ID, "s1", []link.Frame{poison}, time.Hour); err == nil {
		t.Errorf("frames that cannot be stored: held up to %d", last)
	}
	all.Wait()
	if last, err := s.Ingest(t.Context(), urgent.ID, "s1", []link.Frame{second(1)}, time.Hour); err != nil || last != 1 {
		t.Errorf("the same without what was wrong: %d, %v", last, err)
	}
}
