package store_test

import (
	"context"
	"errors"
	"fmt"
	"math"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/jmoiron/sqlx"

	"zerokeel/core/channel"
	"zerokeel/core/part"
	"zerokeel/core/proof"
	"zerokeel/core/trim"
	"zerokeel/core/verdict"
	"zerokeel/link"
	"zerokeel/store"
	"zerokeel/store/storetest"
)

func TestMain(m *testing.M) { os.Exit(storetest.Main(m)) }

func TestMigrationsGoUpDownUp(t *testing.T) {
	s := storetest.Open(t)
	if err := s.Rewind(t.Context()); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Yardsticks(t.Context()); err == nil {
		t.Error("tables are left after every migration was taken back")
	}
	if err := s.Migrate(t.Context()); err != nil {
		t.Fatal(err)
	}
	if list, err := s.Yardsticks(t.Context()); err != nil || len(list) != 0 {
		t.Errorf("yardsticks: %v, %v", list, err)
	}
}

// ordered returns a store with a rig, whose trial has one leg that was ordered as "o1".
func ordered(t testing.TB) (*store.Store, *store.Rig, *store.Trial, store.Leg) {
	t.Helper()
	s := storetest.Open(t)
	r, trial, l := order(t, s)
	return s, r, trial, l
}

func order(t testing.TB, s *store.Store) (*store.Rig, *store.Trial, store.Leg) {
	t.Helper()
	ctx := t.Context()
	r := &store.Rig{Name: "Petrel", TokenHash: make([]byte, 32)}
	if err := s.CreateRig(ctx, r, &store.Trim{Name: "stock", Settings: store.AsJSON(trim.Settings{"curve.all": part.Number(0)})},
		true); err != nil {
		t.Fatal(err)
	}
	trial := &store.Trial{RigID: r.ID, TrimID: r.TrimInForce.Int64, Purpose: store.PurposeProof}
	if err := s.CreateTrial(ctx, trial, []store.Leg{{LegSpec: store.LegSpec{Load: "heavy", Cores: store.AsJSON([]int{0, 1}),
		Seconds: 10}}}); err != nil {
		t.Fatal(err)
	}
	legs, err := s.Legs(ctx, trial.ID)
	if err != nil {
		t.Fatal(err)
	}
	l := legs[0]
	l.State, l.InForce = store.LegOrdered, true
	l.OrderID.String, l.OrderID.Valid = "o1", true
	if err := s.OrderLeg(ctx, nil, trial, &l); err != nil {
		t.Fatal(err)
	}
	if _, _, err := s.Hello(ctx, r.ID, &link.Hello{Stream: "s1", BootID: "b1"}, "me"); err != nil {
		t.Fatal(err)
	}
	return r, trial, l
}

func ptr(x float64) *float64 { return &x }

// second returns the frame of one second of the leg.
func second(seq uint64) link.Frame {
	at := int64(1_700_000_000_000 + seq*1000)
	f := link.Frame{
		Seq:      seq,
		Samples:  &link.Samples{Order: "o1", At: []int64{at}, Channels: []string{"power.package"}, Values: [][]*float64{{ptr(float64(seq) / 8)}}},
		Progress: []link.Progress{{Order: "o1", AtS: float64(seq), Count: []float64{float64(100 * seq), float64(90 * seq)}}},
	}
	if seq == 1 {
		f.Started = &link.Started{Order: "o1", At: at}
	}
	return f
}

func TestIngestTakesEveryFrameOnce(t *testing.T) {
	ctx := t.Context()
	s, r, trial, l := ordered(t)
	take := func(want uint64, frames ...link.Frame) {
		t.Helper()
		last, err := s.Ingest(ctx, r.ID, "s1", frames, 0)
		if err != nil || last != want {
			t.Fatalf("last frame %d, %v; want %d", last, err, want)
		}
	}
	take(2, second(1), second(2))
	take(2, second(1), second(2)) // sent again, as after a lost acknowledgement
	if _, err := s.Ingest(ctx, r.ID, "s1", []link.Frame{second(5)}, 0); !errors.Is(err, store.ErrGap) {
		t.Fatalf("a gap: %v, want ErrGap", err)
	}
	bad := second(4)
	bad.Events = []link.Event{{Order: "o1", Kind: "miscalculated", AtS: 4, Core: 1}}
	take(4, second(2), second(3), bad)
	stranger := second(5)
	stranger.Samples.Order, stranger.Progress = "somebody else's", nil
	take(5, stranger)
	check := func(when string) {
		t.Helper()
		got, err := s.Telemetry(ctx, l.ID, store.Span{})
		if err != nil {
			t.Fatal(err)
		}
		power, work := got["power.package"], got[channel.At(channel.Work, 1)]
		if len(power) != 4 || len(work) != 4 {
			t.Fatalf("%s: %d samples of power and %d of work, want 4 of each", when, len(power), len(work))
		}
		for i := range power {
			if power[i].V != float64(i+1)/8 || work[i].V != float64(90*(i+1)) {
				t.Errorf("%s: sample %d: %g W, %g passes", when, i, power[i].V, work[i].V)
			}
		}
	}
	check("unpacked")
	quanta := map[string]float64{"power.package": 0.125}
	for range 2 { // packing again does no harm
		if err := s.Pack(ctx, l.ID, quanta); err != nil {
			t.Fatal(err)
		}
		check("packed")
	}
	events, err := s.Events(ctx, trial.ID)
	if err != nil || len(events) != 1 || events[0].Core != 1 {
		t.Errorf("events: %+v, %v", events, err)
	}
	if last, _, err := s.Hello(ctx, r.ID, &link.Hello{Stream: "s1", BootID: "b1"}, "me"); err != nil || last != 5 {
		t.Errorf("the next hello is told %d, %v; want 5", last, err)
	}
}

// A rig can tell of a leg what an agent ever tells, and fills no disk with more.
func TestARigFillsNoDisk(t *testing.T) {
	ctx := t.Context()
	s, r, trial, l := ordered(t)
	const each, frames, most = 4096, 12, 25 * (900 + 600)
	for seq := uint64(1); seq <= frames; seq++ {
		f := link.Frame{Seq: seq, Samples: &link.Samples{Order: "o1", Channels: []string{"power.package"}, Values: [][]*float64{nil}}}
		for i := range each {
			f.Samples.At = append(f.Samples.At, 1_700_000_000_000+int64(seq)*each+int64(i))
			f.Samples.Values[0] = append(f.Samples.Values[0], ptr(1))
		}
		if _, err := s.Ingest(ctx, r.ID, "s1", []link.Frame{f}, 0); err != nil {
			t.Fatal(err)
		}
	}
	got, err := s.Telemetry(ctx, l.ID, store.Span{})
	if n := len(got["power.package"]); err != nil || n > most || n < most-each {
		t.Errorf("%d moments of %d are kept, %v; want up to %d", n, each*frames, err, most)
	}
	if err := s.FillEvents(ctx, l.ID, verdict.EventCorrected, 9_999); err != nil {
		t.Fatal(err)
	}
	last := link.Frame{Seq: frames + 1, Finished: &link.Finished{Order: "o1", How: link.Faulted, RanS: 9}}
	for range 3 {
		last.Events = append(last.Events, link.Event{Order: "o1", Kind: verdict.EventCorrected, AtS: 8})
	}
	last.Events = append(last.Events, link.Event{Order: "o1", Kind: verdict.EventMiscalculated, AtS: 9, Core: 1})
	if _, err := s.Ingest(ctx, r.ID, "s1", []link.Frame{last}, 0); err != nil {
		t.Fatal(err)
	}
	events, err := s.Events(ctx, trial.ID)
	of := map[verdict.EventKind]int{}
	for _, e := range events {
		of[e.Kind]++
	}
	if err != nil || of[verdict.EventCorrected] != 10_000 || of[verdict.EventMiscalculated] != 1 {
		t.Errorf("events: %v, %v; want the first 10,000 corrections, and the fault after them", of, err)
	}
	legs, err := s.Legs(ctx, trial.ID)
	if err != nil || !legs[0].Finished.Valid {
		t.Errorf("what comes after is not taken: %+v, %v", legs, err)
	}
}

func TestGapsInFiguresStayGaps(t *testing.T) {
	ctx := t.Context()
	s, r, _, l := ordered(t)
	f := second(1)
	f.Samples.At = []int64{1_700_000_001_000, 1_700_000_002_000}
	f.Samples.Values = [][]*float64{{ptr(1), nil}}
	if _, err := s.Ingest(ctx, r.ID, "s1", []link.Frame{f}, 0); err != nil {
		t.Fatal(err)
	}
	if err := s.Pack(ctx, l.ID, nil); err != nil {
		t.Fatal(err)
	}
	got, err := s.Telemetry(ctx, l.ID, store.Span{})
	if err != nil || len(got["power.package"]) != 2 || !math.IsNaN(got["power.package"][1].V) {
		t.Errorf("got %v, %v; want a value and a gap", got["power.package"], err)
	}
}

func TestOneThingAtATimeOnARig(t *testing.T) {
	ctx := t.Context()
	s, r, trial, _ := ordered(t)
	if err := s.CreateFitting(ctx, &store.Fitting{RigID: r.ID, TrimID: trial.TrimID}); !errors.Is(err, store.ErrTaken) {
		t.Errorf("a fitting during a trial: %v, want ErrTaken", err)
	}
	if err := s.CreateTrial(ctx, &store.Trial{RigID: r.ID, TrimID: trial.TrimID, Purpose: store.PurposeProof},
		[]store.Leg{{LegSpec: store.LegSpec{Load: "idle", Cores: store.AsJSON([]int{0})}}}); !errors.Is(err, store.ErrTaken) {
		t.Errorf("a trial during a trial: %v, want ErrTaken", err)
	}
	if err := s.CreateRig(ctx, &store.Rig{Name: "Petrel", TokenHash: []byte("another token, 32 bytes long....")},
		&store.Trim{Name: "stock", Settings: store.AsJSON(trim.Settings{})}, false); !errors.Is(err, store.ErrTaken) {
		t.Errorf("a second rig of the same name: %v, want ErrTaken", err)
	}
}

func anyTrim(*store.Trim) error { return nil }

func TestTrimIsFixedOnceFitted(t *testing.T) {
	ctx := t.Context()
	s, r, trial, _ := ordered(t)
	draft := &store.Trim{RigID: r.ID, Name: "draft", Settings: store.AsJSON(trim.Settings{"curve.all": part.Number(-5)})}
	draft.ParentID.Int64, draft.ParentID.Valid = trial.TrimID, true
	if err := s.CreateTrim(ctx, draft); err != nil || draft.Number != 1 {
		t.Fatalf("number %d, %v; want 1", draft.Number, err)
	}
	draft.Name = "changed"
	if err := s.ChangeTrim(ctx, draft, anyTrim); err != nil {
		t.Errorf("a draft does not change: %v", err)
	}
	stock, err := s.Trim(ctx, trial.TrimID)
	if err != nil {
		t.Fatal(err)
	}
	stock.Name = "changed"
	if err := s.ChangeTrim(ctx, stock, anyTrim); !errors.Is(err, store.ErrFixed) {
		t.Errorf("a fitted trim changes: %v, want ErrFixed", err)
	}
	trial.State, trial.Result = store.TrialEnded, store.AsJSON(verdict.Result{Verdict: verdict.Held, Core: -1, AtS: 10})
	stood := proof.Stood{Standing: proof.Held, Verdict: verdict.Held, Core: -1, AtS: 7200, Proof: proof.Proof{Cores: 8, SumS: 7200}}
	if err := s.EndTrial(ctx, nil, trial, func([]proof.Trial, time.Time) (proof.Stood, bool) { return stood, true }); err != nil {
		t.Fatal(err)
	}
	if got, _ := s.Trim(ctx, trial.TrimID); got.Standing != proof.Held || got.Proof.V.SumS != 7200 {
		t.Errorf("after a proof that held it stands %s, %+v", got.Standing, got.Proof)
	}
	if err := s.AddUse(ctx, trial.TrimID, 3600); err != nil {
		t.Fatal(err)
	}
	if got, _ := s.Trim(ctx, trial.TrimID); got.UsedS != 3600 {
		t.Errorf("after an hour of daily use it shows %g s", got.UsedS)
	}
	if err := s.AddIncident(ctx, &store.Incident{RigID: r.ID, TrimID: trial.TrimID, Kind: "froze"}); err != nil {
		t.Fatal(err)
	}
	if got, _ := s.Trim(ctx, trial.TrimID); got.Standing != proof.Fitted || got.Proof.Valid || got.UsedS != 0 {
		t.Errorf("after an incident it stands %s, %+v, want fitted and nothing stood", got.Standing, got.Proof)
	}
}

func TestMissingThingsAreNotFound(t *testing.T) {
	s := storetest.Open(t)
	ctx := context.Background()
	for name, call := range map[string]func() error{
		"rig":     func() error { _, err := s.Rig(ctx, 9); return err },
		"trim":    func() error { _, err := s.Trim(ctx, 9); return err },
		"trial":   func() error { _, err := s.Trial(ctx, 9); return err },
		"fitting": func() error { _, err := s.Fitting(ctx, 9); return err },
		"token":   func() error { _, err := s.RigByToken(ctx, make([]byte, 32)); return err },
	} {
		if err := call(); !errors.Is(err, store.ErrNotFound) {
			t.Errorf("%s: %v, want ErrNotFound", name, err)
		}
	}
}

// twoStores returns two stores on one database, as two processes have it: of a cluster, each on another node.
func twoStores(t *testing.T) (*store.Store, *store.Store) {
	t.Helper()
	s, dsns := storetest.OpenDSN(t)
	other, err := store.Open(t.Context(), slices.Concat(dsns[1:], dsns[:1])...)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = other.Close() })
	return s, other
}

// TestNumbersAreGivenOnce: trims and trials made at the same time by two processes, each on another node where the database
// is a cluster, get numbers without a gap or a repetition, and only one trial wins the rig.
func TestNumbersAreGivenOnce(t *testing.T) {
	ctx := t.Context()
	s, other := twoStores(t)
	by := [2]*store.Store{s, other}
	r := &store.Rig{Name: "Petrel", TokenHash: make([]byte, 32)}
	if err := s.CreateRig(ctx, r, &store.Trim{Name: "stock", Settings: store.AsJSON(trim.Settings{})}, true); err != nil {
		t.Fatal(err)
	}
	const n = 12
	made := make(chan error, n)
	for i := range n {
		go func() {
			made <- by[i%2].CreateTrim(ctx, &store.Trim{RigID: r.ID, Name: fmt.Sprint("trim ", i), Settings: store.AsJSON(trim.Settings{})})
		}()
	}
	for range n {
		if err := <-made; err != nil {
			t.Error(err)
		}
	}
	trims, err := s.Trims(ctx, r.ID)
	if err != nil || len(trims) != n+1 {
		t.Fatalf("%d trims, %v", len(trims), err)
	}
	for i, one := range trims {
		if one.Number != i {
			t.Errorf("number %d at place %d", one.Number, i)
		}
	}
	for i := range n {
		go func() {
			made <- by[i%2].CreateTrial(ctx, &store.Trial{RigID: r.ID, TrimID: trims[0].ID, Purpose: store.PurposeProof},
				[]store.Leg{{LegSpec: store.LegSpec{Load: "idle", Cores: store.AsJSON([]int{0}), Seconds: 1}}})
		}()
	}
	won := 0
	for range n {
		switch err := <-made; {
		case err == nil:
			won++
		case !errors.Is(err, store.ErrTaken):
			t.Error(err)
		}
	}
	if won != 1 {
		t.Errorf("%d trials run on one rig", won)
	}
}

// TestScoresCarryTheirFigures: a leg that ends with points leaves one score, however often its end is stored.
func TestScoresCarryTheirFigures(t *testing.T) {
	ctx := t.Context()
	s, r, trial, l := ordered(t)
	l.State, l.Yardstick = store.LegEnded, "burst"
	l.Result = store.AsJSON(verdict.Result{Verdict: verdict.Held, Core: -1})
	l.Figures = store.AsJSON([]channel.Figure{{Key: "power.package", Unit: "W", Mean: 141.5, Peak: 160}})
	l.Score.Float64, l.Score.Valid = 11700, true
	l.StartedMS.Int64, l.StartedMS.Valid = 1_700_000_000_000, true
	if err := s.EndLeg(ctx, nil, trial, &l); err != nil {
		t.Fatal(err)
	}
	if err := s.EndLeg(ctx, nil, trial, &l); !errors.Is(err, store.ErrMoved) {
		t.Fatalf("a leg ends twice: %v", err)
	}
	legs, err := s.Legs(ctx, trial.ID)
	if err != nil || legs[0].State != store.LegEnded || legs[0].Result.V.Verdict != verdict.Held || legs[0].Score.Float64 != 11700 {
		t.Errorf("legs: %+v, %v", legs, err)
	}
	scores, err := s.Scores(ctx, r.ID)
	if err != nil || len(scores) != 1 {
		t.Fatalf("scores: %+v, %v", scores, err)
	}
	if x := scores[0]; x.Value != 11700 || x.TrialID.Int64 != trial.ID || x.RigClock.UnixMilli() != 1_700_000_000_000 ||
		x.Figures.V[0].Mean != 141.5 {
		t.Errorf("score: %+v", x)
	}
}

// TestWordsForAFullDisk: whatever MariaDB says of a disk without room is told as that, and nothing else is.
func TestWordsForAFullDisk(t *testing.T) {
	for _, row := range []struct {
		number  uint16
		message string
		full    bool
	}{{1021, "Disk full (/tmp/x); waiting for someone to free some space", true}, {1114, "The table 'telemetry_tail' is full", true},
		{1030, `Got error 28 "No space left on device" from storage engine InnoDB`, true},
		{1026, `Error writing file 'x' (Errcode: 28 "No space left on device")`, true},
		{1030, `Got error 128 "Out of memory in engine" from storage engine`, false}, {1062, "Duplicate entry", false}} {
		err := store.Known(fmt.Errorf("insert: %w", &mysql.MySQLError{Number: row.number, Message: row.message}))
		if errors.Is(err, store.ErrFull) != row.full || errors.Is(err, store.ErrAway) {
			t.Errorf("%d %s: %v", row.number, row.message, err)
		}
	}
}

// TestANewerDatabaseIsLeftAlone: a program that does not know a schema says so, and changes nothing.
func TestANewerDatabaseIsLeftAlone(t *testing.T) {
	s, dsns := storetest.OpenDSN(t)
	raw := sqlx.MustConnect("mysql", dsns[0])
	defer func() { _ = raw.Close() }()
	raw.MustExec(`INSERT INTO goose_db_version (version_id, is_applied) VALUES (99999, TRUE)`)
	if err := s.Migrate(t.Context()); err == nil || !strings.Contains(err.Error(), "newer version") {
		t.Errorf("a newer schema: %v", err)
	}
	raw.MustExec(`DELETE FROM goose_db_version WHERE version_id = 99999`)
	if err := s.Migrate(t.Context()); err != nil {
		t.Errorf("its own schema: %v", err)
	}
}

// TestEveryTableLeavesOrStays: what belongs to a rig leaves with it, and nothing is forgotten.
func TestEveryTableLeavesOrStays(t *testing.T) { store.ArchivedTables(t, storetest.Open(t)) }
