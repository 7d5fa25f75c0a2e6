package workshop_test

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"strings"
	"testing"

	"zerokeel/core/part"
	"zerokeel/core/part/parttest"
	"zerokeel/core/preflight"
	"zerokeel/core/proof"
	"zerokeel/core/trim"
	"zerokeel/core/verdict"
	"zerokeel/keys"
	"zerokeel/store"
	"zerokeel/store/storetest"
	"zerokeel/workshop"
)

// shop is a workshop on a database of its own, with the owner acting.
func shop(t testing.TB) (*workshop.Workshop, *store.Store, context.Context) {
	t.Helper()
	s := storetest.Open(t)
	return workshop.New(s, slog.New(slog.DiscardHandler), keys.Passing()), s, workshop.As(t.Context(), workshop.Owner)
}

// addRig adds a rig made of example parts, of which the test may change a copy.
func addRig(t testing.TB, w *workshop.Workshop, ctx context.Context, name, parts string, change func(*part.Set)) *workshop.Rig {
	t.Helper()
	set := *parttest.Rig(t, parts)
	if change != nil {
		change(&set)
	}
	ids := workshop.PartIDs{Processor: set.Processor.ID, Board: set.Board.ID, Cooler: set.Cooler.ID, Memory: set.Memory.ID}
	for kind, sheet := range map[string]any{"processor": set.Processor, "board": set.Board, "cooler": set.Cooler, "memory": set.Memory} {
		text, err := json.Marshal(sheet)
		if err != nil {
			t.Fatal(err)
		}
		id := map[string]string{"processor": ids.Processor, "board": ids.Board, "cooler": ids.Cooler, "memory": ids.Memory}[kind]
		if _, err := w.SavePart(ctx, kind, id, text); err != nil {
			t.Fatal(err)
		}
	}
	r, _, err := w.MakeRig(ctx, workshop.NewRig{Name: name, Parts: &ids})
	if err != nil {
		t.Fatal(err)
	}
	return r
}

func rules(list []preflight.Finding) string {
	out := []string{}
	for _, f := range list {
		out = append(out, fmt.Sprintf("%s %s %v %s", f.Rule, f.Level, f.Fields, f.Reason))
	}
	text, _ := json.MarshalIndent(out, "", " ")
	return string(text)
}

// TestSameFindingsThroughEveryDoor: a trim gets the same findings while it is typed, when it is made, when it is looked at,
// copied, brought in from a file, and fitted. Its rig knows things that only the database tells: a core that failed before, a
// parent that is not proven, and what stands on a rig of its kind.
func TestSameFindingsThroughEveryDoor(t *testing.T) {
	w, s, ctx := shop(t)
	rig := addRig(t, w, ctx, "One", "petrel", nil)
	like := addRig(t, w, ctx, "Like it", "petrel", nil)
	trims, err := w.Trims(ctx, rig.ID)
	if err != nil {
		t.Fatal(err)
	}
	stock := trims[0].ID
	make := func(rig, parent int64, changes trim.Settings) *workshop.Made {
		t.Helper()
		m, err := w.MakeTrim(ctx, rig, workshop.NewTrim{Parent: parent, Name: "x", Changes: changes})
		if err != nil {
			t.Fatal(err)
		}
		return m
	}
	// Core 5 failed at -14, and the one like it stands at +3.
	failed := make(rig.ID, stock, trim.Settings{"curve.all": part.Number(-14)}).Trim
	trial := &store.Trial{RigID: rig.ID, TrimID: failed.ID, Purpose: store.PurposeProof}
	if err := s.CreateTrial(ctx, trial, []store.Leg{{LegSpec: store.LegSpec{Load: "heavy", Cores: store.AsJSON([]int{5}),
		Seconds: 60}}}); err != nil {
		t.Fatal(err)
	}
	trial.State, trial.Result = store.TrialEnded, store.AsJSON(verdict.Result{Verdict: verdict.Miscalculated, Core: 5, AtS: 7})
	if err := s.EndTrial(ctx, nil, trial, proof.Stand); err != nil {
		t.Fatal(err)
	}
	theirs, err := w.Trims(ctx, like.ID)
	if err != nil {
		t.Fatal(err)
	}
	other := make(like.ID, theirs[0].ID, trim.Settings{"curve.all": part.Number(3)}).Trim
	if err := s.SetInForce(ctx, like.ID, sql.NullInt64{Int64: other.ID, Valid: true}); err != nil {
		t.Fatal(err)
	}
	parent := make(rig.ID, stock, trim.Settings{"limit.ppt": part.Number(142)}).Trim
	if err := s.SetInForce(ctx, rig.ID, sql.NullInt64{Int64: parent.ID, Valid: true}); err != nil {
		t.Fatal(err)
	}
	changes := trim.Settings{"curve.all": part.Number(-13), "limit.ppt": part.Number(160)}

	typed, err := w.Check(ctx, rig.ID, parent.ID, changes)
	if err != nil {
		t.Fatal(err)
	}
	want := rules(typed.Findings)
	for _, rule := range []string{"deeper-than-failure", "parent-unproven", "several-groups"} {
		found := false
		for _, f := range typed.Findings {
			found = found || f.Rule == rule
		}
		if !found {
			t.Fatalf("nothing is found by %s, so that this test would prove little:\n%s", rule, want)
		}
	}
	made := make(rig.ID, parent.ID, changes)
	looked, err := w.CheckTrim(ctx, made.Trim.ID)
	if err != nil {
		t.Fatal(err)
	}
	text, _, err := w.ExportTrim(ctx, made.Trim.ID)
	if err != nil {
		t.Fatal(err)
	}
	imported, err := w.ImportTrim(ctx, rig.ID, text)
	if err != nil {
		t.Fatal(err)
	}
	copied, err := w.CopyTrim(ctx, made.Trim.ID, rig.ID, "copy")
	if err != nil {
		t.Fatal(err)
	}
	for door, got := range map[string][]preflight.Finding{"made": made.Findings, "looked at": looked.Findings,
		"from a file": imported.Findings, "copied": copied.Findings} {
		if rules(got) != want {
			t.Errorf("%s:\n%s\nwhile it was typed:\n%s", door, rules(got), want)
		}
	}
	// A trim that preflight stops is stopped by a fitting too, with the same words, whoever begins it.
	hot := make(rig.ID, parent.ID, trim.Settings{"limit.temperatureOn": part.Switch(false)})
	if hot.Findings[0].Level != preflight.Stop {
		t.Fatalf("without a temperature limit nothing stops: %s", rules(hot.Findings))
	}
	for _, who := range []workshop.Actor{workshop.Owner, {Kind: workshop.Runner}, {Kind: workshop.Pilot}} {
		_, err = w.Fit(workshop.As(ctx, who), rig.ID, hot.Trim.ID, "")
		var stopped *workshop.Conflict
		if !errors.As(err, &stopped) || !strings.HasPrefix(stopped.Error(), "preflight stops this trim: "+hot.Findings[0].Reason) {
			t.Errorf("%s fits it: %v", who.Kind, err)
		}
	}
}

// TestKnowledgeFollowsTheRecords: whatever changes what a forecast rests on changes it at once, in a process that has kept
// what it knew as in one that is new.
func TestKnowledgeFollowsTheRecords(t *testing.T) {
	w, s, ctx := shop(t)
	rig := addRig(t, w, ctx, "One", "petrel", nil)
	trims, err := w.Trims(ctx, rig.ID)
	if err != nil {
		t.Fatal(err)
	}
	power := func(w *workshop.Workshop) float64 {
		t.Helper()
		c, err := w.Check(ctx, rig.ID, trims[0].ID, trim.Settings{"limit.ppt": part.Number(120)})
		if err != nil {
			t.Fatal(err)
		}
		heavy, _ := c.Forecast.Load("heavy")
		return heavy.HottestC
	}
	before := power(w)
	ambient := rig.AmbientC + 9
	for _, step := range []struct {
		what   string
		change func() error
	}{
		{"a warmer room", func() error {
			_, err := w.ChangeRig(ctx, rig.ID, workshop.RigChange{AmbientC: &ambient})
			return err
		}},
		{"a cooler with twice the resistance", func() error {
			set := parttest.Rig(t, "petrel")
			cooler := *set.Cooler
			cooler.AirKPerW *= 2
			text, err := json.Marshal(&cooler)
			if err == nil {
				_, err = w.SavePart(ctx, "cooler", cooler.ID, text)
			}
			return err
		}},
	} {
		if err := step.change(); err != nil {
			t.Fatal(err)
		}
		now := power(w)
		if now == before {
			t.Errorf("%s changes nothing: %g °C", step.what, now)
		}
		if fresh := power(workshop.New(s, slog.New(slog.DiscardHandler), keys.Passing())); fresh != now {
			t.Errorf("%s: %g °C in this process, %g °C in a new one", step.what, now, fresh)
		}
		before = now
	}
}
