package workshop

import (
	"context"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"zerokeel/store"
)

// committing is an outbox in which numbers are given out before they are committed, in another order, or not at all.
type committing struct {
	outbox
	list []int64
}

func (c *committing) Outbox(_ context.Context, after int64, missing []int64) ([]store.News, error) {
	var out []store.News
	for _, id := range slices.Sorted(slices.Values(c.list)) {
		if id > after || slices.Contains(missing, id) {
			out = append(out, store.News{ID: id})
		}
	}
	return out, nil
}

// TestEachPieceOfNewsIsReadOnce: whatever the order in which transactions commit, and whether the numbers are those of one
// server or every third one as in a cluster of three, each piece of news is read once; and what was rolled back is not
// looked for forever.
func TestEachPieceOfNewsIsReadOnce(t *testing.T) {
	for seed := range uint64(50) {
		random := rand.New(rand.NewPCG(seed, 1))
		box := &committing{}
		reader := newsReader{from: box, missing: map[int64]time.Time{}}
		now, read := time.Unix(0, 0), map[int64]int{}
		var pending []int64
		number := int64(0)
		for range 400 {
			number += 1 + int64(seed%3)
			if random.IntN(10) > 0 { // or its transaction is rolled back
				pending = append(pending, number)
			}
			for len(pending) > 0 && random.IntN(3) > 0 {
				i := random.IntN(len(pending))
				box.list = append(box.list, pending[i])
				pending = slices.Delete(pending, i, i+1)
			}
			now = now.Add(time.Duration(random.IntN(20)) * time.Millisecond)
			list, err := reader.next(t.Context(), now)
			if err != nil {
				t.Fatal(err)
			}
			for _, n := range list {
				read[n.ID]++
			}
		}
		for _, id := range box.list {
			if read[id] != 1 {
				t.Fatalf("seed %d: news %d were read %d times", seed, id, read[id])
			}
		}
		if _, err := reader.next(t.Context(), now.Add(time.Hour)); err != nil || len(reader.missing) > 0 {
			t.Fatalf("seed %d: after an hour %d numbers are still looked for, error %v", seed, len(reader.missing), err)
		}
	}
}
