package runner_test

import (
	"database/sql"
	"fmt"
	"net/http"
	"strings"
	"testing"
	"time"

	_ "github.com/go-sql-driver/mysql"

	"zerokeel/core/verdict"
	"zerokeel/link"
	"zerokeel/store"
)

// shift moves stored moments, as if the clocks had been set by so much since.
func (b *bench) shift(table, column string, by time.Duration) {
	b.t.Helper()
	db, err := sql.Open("mysql", b.dsn)
	if err != nil {
		b.t.Fatal(err)
	}
	defer func() { _ = db.Close() }()
	query := fmt.Sprintf("UPDATE %s SET %s = %s - INTERVAL ? SECOND WHERE ended_at IS NULL", table, column, column)
	if table == "legs" {
		query = "UPDATE legs SET ordered_at = ordered_at - INTERVAL ? SECOND WHERE state <> 'ended'"
	}
	if _, err := db.ExecContext(b.t.Context(), query, int(by.Seconds())); err != nil {
		b.t.Fatal(err)
	}
}

// TestSteppedClockChangesNoVerdict: whether the server's clock is set forward or back while a leg runs, while a machine is frozen,
// being restarted or coming up, each ends as it would have; and a board is cleared only where its machine really does not come up.
func TestSteppedClockChangesNoVerdict(t *testing.T) {
	for _, by := range []time.Duration{-24 * time.Hour, -10 * time.Minute, 10 * time.Minute, 24 * time.Hour} {
		t.Run(by.String(), func(t *testing.T) {
			t.Parallel()
			b := start(t, true)
			a := b.agent("boot-1", "stream-1")
			held := b.trial(func(o link.Order) {
				a.Send(link.Frame{Started: &link.Started{Order: o.ID, At: 1000}})
				b.shift("legs", "ordered_at", by)
				a.Send(link.Frame{Finished: &link.Finished{Order: o.ID, How: link.Done, RanS: 10}})
			}, a.orders)
			if held.Result.V.Verdict != verdict.Held {
				t.Errorf("a healthy leg: %s, %s", held.Result.V.Verdict, held.Result.V.Why)
			}
			restarts := 0
			b.board.set("GET "+systemPath, system("On", "OSRunning", "OK"))
			b.board.set("POST "+systemPath+"/Actions/ComputerSystem.Reset", func(w http.ResponseWriter, _ *http.Request) {
				w.WriteHeader(204)
				b.shift("trials", "acted_at", by)
				if restarts++; restarts == 1 {
					a.end()
					go b.agent("boot-2", "stream-2")
				}
			})
			froze := b.trial(func(link.Order) {
				b.shift("legs", "ordered_at", by)
				a.Mute()
			}, a.orders)
			if froze.Result.V.Verdict != verdict.Froze {
				t.Errorf("a frozen machine: %s, %s", froze.Result.V.Verdict, froze.Result.V.Why)
			}
			if restarts != 1 {
				t.Errorf("the frozen machine was restarted %d times", restarts)
			}
			b.slowStart(by)
		})
	}
}

// slowStart fits a machine that trains its memory for long, while the clock is set, and then comes up.
func (b *bench) slowStart(by time.Duration) {
	b.t.Helper()
	restarted := make(chan bool, 2)
	b.board.set("POST "+systemPath+"/Actions/ComputerSystem.Reset", func(w http.ResponseWriter, _ *http.Request) {
		b.board.set("GET "+systemPath, system("On", "MemoryInitializationStarted", "OK"))
		w.WriteHeader(204)
		restarted <- true
	})
	f := &store.Fitting{RigID: b.rig.ID, TrimID: b.stock, BootBefore: "boot-2", RigClock: time.Now()}
	if err := b.store.CreateFitting(b.t.Context(), f); err != nil {
		b.t.Fatal(err)
	}
	<-restarted
	state := func(id int64) store.FittingState {
		now, err := b.store.Fitting(b.t.Context(), id)
		if err != nil {
			b.t.Fatal(err)
		}
		return now.State
	}
	b.until("the machine is waited for", func() bool { return state(f.ID) == store.FitWaiting })
	b.shift("fittings", "acted_at", by)
	// What another rig's fitting goes through takes several looks, at this one too.
	other := *b.rig
	other.ID, other.Name, other.TokenHash = 0, "other", append([]byte{1}, other.TokenHash[1:]...)
	stock, err := b.store.Trim(b.t.Context(), b.stock)
	if err != nil {
		b.t.Fatal(err)
	}
	first := &store.Trim{Name: "stock", Settings: stock.Settings}
	if err := b.store.CreateRig(b.t.Context(), &other, first, true); err != nil {
		b.t.Fatal(err)
	}
	next := &store.Fitting{RigID: other.ID, TrimID: first.ID, RigClock: time.Now()}
	if err := b.store.CreateFitting(b.t.Context(), next); err != nil {
		b.t.Fatal(err)
	}
	b.until("the other machine is waited for", func() bool { return state(next.ID) == store.FitWaiting })
	b.agent("boot-3", "stream-3")
	b.until("the fitting ends", func() bool { return state(f.ID).Ended() })
	if got := state(f.ID); got != store.FitInForce && got != store.FitDiffers {
		b.t.Errorf("a machine that came up slowly: %s", got)
	}
	if did := b.board.did(); strings.Contains(did, "ResetBios") {
		b.t.Errorf("a healthy board was cleared: %s", did)
	}
}
