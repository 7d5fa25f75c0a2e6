package store_test

import (
	"database/sql"
	"errors"
	"fmt"
	"testing"
	"time"

	"zerokeel/core/part"
	"zerokeel/core/trim"
	"zerokeel/link"
	"zerokeel/store"
	"zerokeel/store/storetest"
)

// rigWithTrims returns a store with a rig and three trims, the second in force.
func rigWithTrims(t *testing.T) (*store.Store, *store.Rig, []*store.Trim) {
	t.Helper()
	s, ctx := storetest.Open(t), t.Context()
	r := &store.Rig{Name: "R", AmbientC: 22, TokenHash: make([]byte, 32)}
	trims := []*store.Trim{{Name: "stock", Settings: store.AsJSON(trim.Settings{})}}
	if err := s.CreateRig(ctx, r, trims[0], false); err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{"one", "two"} {
		one := &store.Trim{RigID: r.ID, Name: name, Settings: store.AsJSON(trim.Settings{"curve.all": part.Number(-5)})}
		if err := s.CreateTrim(ctx, one); err != nil {
			t.Fatal(err)
		}
		trims = append(trims, one)
	}
	if err := s.SetInForce(ctx, r.ID, sql.NullInt64{Int64: trims[1].ID, Valid: true}); err != nil {
		t.Fatal(err)
	}
	r, err := s.Rig(ctx, r.ID)
	if err != nil {
		t.Fatal(err)
	}
	return s, r, trims
}

// TestLossStaysAnnouncedUntilItsTrimIsBack walks a rig through a loss, another start with the same settings, and the trim
// found in force again.
func TestLossStaysAnnouncedUntilItsTrimIsBack(t *testing.T) {
	s, r, trims := rigWithTrims(t)
	ctx := t.Context()
	due := func() int {
		t.Helper()
		list, err := s.DueChecks(ctx)
		if err != nil {
			t.Fatal(err)
		}
		return len(list)
	}
	hello := func(boot string) {
		t.Helper()
		if _, _, err := s.Hello(ctx, r.ID, &link.Hello{Stream: "s", BootID: boot}, "me"); err != nil {
			t.Fatal(err)
		}
	}
	hello("b1")
	if due() != 1 {
		t.Error("a new start is not due for a check")
	}
	drift := []trim.Difference{{Key: "curve.all", Wanted: part.Number(-5), Found: part.Number(0)}}
	id := func(i int) sql.NullInt64 { return sql.NullInt64{Int64: trims[i].ID, Valid: true} }
	if err := s.Checked(ctx, nil, r, "1.0", drift, id(0)); err != nil {
		t.Fatal(err)
	}
	state := func() *store.Rig {
		t.Helper()
		got, err := s.Rig(ctx, r.ID)
		if err != nil {
			t.Fatal(err)
		}
		return got
	}
	lost := state()
	if due() != 0 || lost.LostTrim != id(1) || lost.TrimInForce != id(0) || len(lost.Drift.V) != 1 || lost.FirmwareVersion != "1.0" {
		t.Fatalf("after the loss: %+v", lost)
	}
	hello("b1")
	if due() != 0 {
		t.Error("the same start is due again")
	}
	hello("b2")
	if err := s.Checked(ctx, nil, lost, "1.0", nil, id(0)); err != nil {
		t.Fatal(err)
	}
	if again := state(); again.LostTrim != id(1) || len(again.Drift.V) != 1 {
		t.Errorf("a second start with the same settings takes the announcement back: %+v", again)
	}
	// A check that began before another trim came into force changes nothing.
	stale := *lost
	if err := s.SetInForce(ctx, r.ID, id(2)); err != nil {
		t.Fatal(err)
	}
	if err := s.Checked(ctx, nil, &stale, "1.0", drift, sql.NullInt64{}); err != nil {
		t.Fatal(err)
	}
	if now := state(); now.TrimInForce != id(2) {
		t.Errorf("a stale check changed what is in force to %v", now.TrimInForce)
	}
	if err := s.Checked(ctx, nil, state(), "1.1", nil, id(1)); err != nil {
		t.Fatal(err)
	}
	if back := state(); back.LostTrim.Valid || back.Drift.Valid || back.TrimInForce != id(1) {
		t.Errorf("after the trim was found again: %+v", back)
	}
}

func anyPart(*store.Part) error { return nil }

// TestOneTrimForEachProfile: a profile moves to the trim that gets it, and notes change at any time.
func TestOneTrimForEachProfile(t *testing.T) {
	s, r, trims := rigWithTrims(t)
	ctx := t.Context()
	for _, step := range []struct {
		trim    int
		profile store.Profile
	}{{0, store.ProfileQuiet}, {1, store.ProfileFast}, {2, store.ProfileQuiet}, {1, store.ProfileNone}} {
		one := *trims[step.trim]
		one.Profile, one.Notes = step.profile, "noted"
		if err := s.ChangeTrim(ctx, &one, func(now *store.Trim) error { one.Settings = now.Settings; return nil }); err != nil {
			t.Fatal(err)
		}
	}
	list, err := s.Trims(ctx, r.ID)
	if err != nil {
		t.Fatal(err)
	}
	for i, want := range []store.Profile{store.ProfileNone, store.ProfileNone, store.ProfileQuiet} {
		if list[i].Profile != want || list[i].Notes != "noted" {
			t.Errorf("trim %d: kept as %q, notes %q; want %q", i, list[i].Profile, list[i].Notes, want)
		}
	}
}

// TestCardInTheStore: a fitting by hand waits for a person, keeps its ticks, and blocks others until it ends.
func TestCardInTheStore(t *testing.T) {
	s, r, trims := rigWithTrims(t)
	ctx := t.Context()
	f := &store.Fitting{RigID: r.ID, TrimID: trims[2].ID, Card: store.AsJSON([]trim.Line{{Key: "curve.all", Label: "Shift",
		Enter: "\u22125"}}), Ticked: store.AsJSON([]string{})}
	if err := s.CreateFitting(ctx, f); err != nil {
		t.Fatal(err)
	}
	if err := s.CreateFitting(ctx, &store.Fitting{RigID: r.ID, TrimID: trims[1].ID}); !errors.Is(err, store.ErrTaken) {
		t.Errorf("a second fitting: %v", err)
	}
	if err := s.TickCard(ctx, f, []string{"curve.all"}); err != nil {
		t.Fatal(err)
	}
	got, err := s.Fitting(ctx, f.ID)
	if err != nil || got.State != store.FitEntering || !got.ByHand() || len(got.Ticked.V) != 1 || got.Card.V[0].Label != "Shift" {
		t.Fatalf("%+v, %v", got, err)
	}
	got.State = store.FitInForce
	if err := s.SaveFitting(ctx, nil, got, sql.NullInt64{Int64: trims[2].ID, Valid: true}, nil); err != nil {
		t.Fatal(err)
	}
	if err := s.TickCard(ctx, f, nil); err != nil {
		t.Fatal(err)
	}
	if got, err = s.Fitting(ctx, f.ID); err != nil || len(got.Ticked.V) != 1 {
		t.Errorf("a card that was entered still changes: %+v, %v", got.Ticked.V, err)
	}
	if now, err := s.Rig(ctx, r.ID); err != nil || now.TrimInForce.Int64 != trims[2].ID {
		t.Errorf("in force: %v, %v", now.TrimInForce, err)
	}
}

func TestPartSheetsGoOnlyUnused(t *testing.T) {
	s, ctx := storetest.Open(t), t.Context()
	for _, kind := range []string{"processor", "board"} {
		if err := s.PutPart(ctx, store.Part{Kind: kind, ID: "x1", Name: "X1", Sheet: []byte(`{"id":"x1"}`)}, anyPart); err != nil {
			t.Fatal(err)
		}
	}
	r := &store.Rig{Name: "R", AmbientC: 22, TokenHash: make([]byte, 32), Board: sql.NullString{String: "x1", Valid: true}}
	if err := s.CreateRig(ctx, r, &store.Trim{Name: "stock", Settings: store.AsJSON(trim.Settings{})}, false); err != nil {
		t.Fatal(err)
	}
	if err := s.DeletePart(ctx, "board", "x1"); !errors.Is(err, store.ErrTaken) {
		t.Errorf("a board that a rig uses: %v", err)
	}
	if err := s.DeletePart(ctx, "processor", "x1"); err != nil {
		t.Errorf("a processor of the same id that none uses: %v", err)
	}
	if _, err := s.Part(ctx, "processor", "x1"); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("it is still there: %v", err)
	}
	if p, err := s.Part(ctx, "board", "x1"); err != nil || p.Name != "X1" {
		t.Errorf("%+v, %v", p, err)
	}
}

// TestNoRigLosesItsSheet: a sheet is removed by one process while another makes a rig that uses it. Either the rig is refused,
// or the sheet stays.
func TestNoRigLosesItsSheet(t *testing.T) {
	s, other := twoStores(t)
	ctx := t.Context()
	for i := range 100 {
		id := fmt.Sprint("x", i)
		if err := s.PutPart(ctx, store.Part{Kind: "cooler", ID: id, Name: id, Sheet: []byte(`{}`)}, anyPart); err != nil {
			t.Fatal(err)
		}
		r := &store.Rig{Name: id, TokenHash: fmt.Appendf(nil, "%032d", i), Cooler: sql.NullString{String: id, Valid: true}}
		removed := make(chan error, 1)
		go func() { removed <- other.DeletePart(ctx, "cooler", id) }()
		made := s.CreateRig(ctx, r, &store.Trim{Name: "stock", Settings: store.AsJSON(trim.Settings{})}, false)
		gone := <-removed
		refused, kept := errors.Is(made, store.ErrNotFound), errors.Is(gone, store.ErrTaken)
		if !(refused && gone == nil) && !(made == nil && kept) {
			t.Errorf("making the rig: %v; removing its sheet: %v", made, gone)
		}
	}
}

// TestIncidentsAreListedPageByPage: every incident is told once, however many there are.
func TestIncidentsAreListedPageByPage(t *testing.T) {
	s, r, _, _ := ordered(t)
	ctx := t.Context()
	const n = 205
	for i := range n {
		if err := s.AddIncident(ctx, &store.Incident{RigID: r.ID, TrimID: r.TrimInForce.Int64, Kind: "restarted", Note: fmt.Sprint(i),
			CreatedAt: time.Unix(int64(i), 0)}); err != nil {
			t.Fatal(err)
		}
	}
	told, before := map[string]int{}, int64(0)
	for pages := 1; ; pages++ {
		list, err := s.Incidents(ctx, r.ID, before)
		if err != nil {
			t.Fatal(err)
		}
		if len(list) == 0 {
			if pages < 3 {
				t.Errorf("%d pages", pages-1)
			}
			break
		}
		for _, one := range list {
			told[one.Note]++
		}
		before = list[len(list)-1].ID
	}
	for i := range n {
		if told[fmt.Sprint(i)] != 1 {
			t.Errorf("incident %d was told %d times", i, told[fmt.Sprint(i)])
		}
	}
}
