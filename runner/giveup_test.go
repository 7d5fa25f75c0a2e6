package runner_test

import (
	"net/http"
	"testing"
	"time"

	"zerokeel/core/verdict"
	"zerokeel/link"
	"zerokeel/store"
	"zerokeel/workshop"
)

// TestGivenUpAtOnce: whatever a fitting or a trial waits for, a person ends it there and then, and the rig is free for the next.
func TestGivenUpAtOnce(t *testing.T) {
	b := start(t, true)
	a := b.agent("boot-1", "stream-1")
	ctx := workshop.As(t.Context(), workshop.Owner)
	hangs, asked := make(chan bool), make(chan bool, 100)
	t.Cleanup(func() { close(hangs) })
	hang := func(_ http.ResponseWriter, q *http.Request) {
		asked <- true
		select {
		case <-hangs:
		case <-q.Context().Done():
		}
	}
	b.board.set("GET "+systemPath, hang)
	f := &store.Fitting{RigID: b.rig.ID, TrimID: b.stock, BootBefore: "boot-1", RigClock: time.Now()}
	if err := b.store.CreateFitting(ctx, f); err != nil {
		t.Fatal(err)
	}
	<-asked
	got, err := b.shop.GiveUpFitting(ctx, f.ID)
	if err != nil || got.State != store.FitFailed || got.Problem == "" {
		t.Errorf("a fitting whose board hangs: %+v, %v", got, err)
	}
	trial := &store.Trial{RigID: b.rig.ID, TrimID: b.stock, Purpose: store.PurposeProof}
	leg := store.LegSpec{Load: "heavy", Cores: store.AsJSON([]int{0, 1}), Seconds: 10}
	if err := b.store.CreateTrial(ctx, trial, []store.Leg{{LegSpec: leg}, {LegSpec: leg}}); err != nil {
		t.Fatal(err)
	}
	first := <-a.orders
	a.Send(link.Frame{Started: &link.Started{Order: first.ID, At: 1000}})
	a.Send(link.Frame{Finished: &link.Finished{Order: first.ID, How: link.Done, RanS: 10}})
	second := <-a.orders
	given, err := b.shop.GiveUpTrial(ctx, trial.ID)
	if err != nil || given.State != store.TrialEnded || given.Result.V.Verdict != verdict.Void {
		t.Fatalf("a trial whose rig says no more: %+v, %v", given, err)
	}
	if legs := given.Legs; legs[0].Result.V.Verdict != verdict.Held || legs[1].Result.V.Verdict != verdict.Void {
		t.Errorf("its legs: %+v", legs)
	}
	if stop := <-a.orders; stop.Do != link.Stop || stop.ID != second.ID {
		t.Errorf("the rig was told %+v", stop)
	}
	if _, err := b.shop.GiveUpTrial(ctx, trial.ID); err == nil {
		t.Error("it is given up once more")
	}
	if err := b.store.CreateFitting(ctx, &store.Fitting{RigID: b.rig.ID, TrimID: b.stock, RigClock: time.Now()}); err != nil {
		t.Errorf("the rig is not free: %v", err)
	}
}
