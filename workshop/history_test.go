package workshop_test

import (
	"log/slog"
	"slices"
	"testing"

	"zerokeel/core/channel"
	"zerokeel/core/part"
	"zerokeel/core/preflight"
	"zerokeel/core/proof"
	"zerokeel/core/trim"
	"zerokeel/core/verdict"
	"zerokeel/keys"
	"zerokeel/store"
	"zerokeel/workshop"
)

// TestOldTrialsCount: what the first trials showed is known after any number of later ones, and every one of them is listed.
func TestOldTrialsCount(t *testing.T) {
	w, s, ctx := shop(t)
	rig := addRig(t, w, ctx, "One", "petrel", nil)
	trims, err := w.Trims(ctx, rig.ID)
	if err != nil {
		t.Fatal(err)
	}
	deep, err := w.MakeTrim(ctx, rig.ID, workshop.NewTrim{Parent: trims[0].ID, Name: "deep",
		Changes: trim.Settings{"curve.all": part.Number(-14)}})
	if err != nil {
		t.Fatal(err)
	}
	run := func(under int64, core int, result verdict.Result, watts float64) {
		t.Helper()
		trial := &store.Trial{RigID: rig.ID, TrimID: under, Purpose: store.PurposeProof}
		if err := s.CreateTrial(ctx, trial, []store.Leg{{LegSpec: store.LegSpec{Load: "heavy", Cores: store.AsJSON([]int{core}),
			Seconds: 60}}}); err != nil {
			t.Fatal(err)
		}
		legs, err := s.Legs(ctx, trial.ID)
		if err != nil {
			t.Fatal(err)
		}
		leg := &legs[0]
		leg.State, leg.Result = store.LegEnded, store.AsJSON(result)
		leg.Figures = store.AsJSON([]channel.Figure{{Key: channel.PackagePower, Label: "Package power", Unit: "W", Mean: watts, Peak: watts}})
		if err := s.EndLeg(ctx, nil, trial, leg); err != nil {
			t.Fatal(err)
		}
		trial.State, trial.Result = store.TrialEnded, store.AsJSON(result)
		if err := s.EndTrial(ctx, nil, trial, proof.Stand); err != nil {
			t.Fatal(err)
		}
	}
	held := verdict.Result{Verdict: verdict.Held, Core: -1}
	run(trims[0].ID, 0, held, 137.5)
	run(deep.Trim.ID, 5, verdict.Result{Verdict: verdict.Miscalculated, Core: 5, AtS: 7}, 130)
	const more = 205
	for range more {
		run(trims[0].ID, 0, held, 90)
	}

	// In a process that kept nothing.
	w = workshop.New(s, slog.New(slog.DiscardHandler), keys.Passing())
	base, err := w.Baseline(ctx, rig)
	if err != nil || len(base.Figures) != 1 || base.Figures[0].Mean != 137.5 {
		t.Errorf("baseline %+v, %v, want the first trial's 137.5 W", base, err)
	}
	checked, err := w.Check(ctx, rig.ID, trims[0].ID, trim.Settings{"curve.all": part.Number(-15)})
	if err != nil {
		t.Fatal(err)
	}
	if !slices.ContainsFunc(checked.Findings, func(f preflight.Finding) bool { return f.Rule == "as-daring-as-failed" }) {
		t.Errorf("the failure of core 5 is forgotten: %s", rules(checked.Findings))
	}
	var numbers []int
	for before := 0; ; before = numbers[len(numbers)-1] {
		page, err := w.Trials(ctx, rig.ID, before)
		if err != nil {
			t.Fatal(err)
		}
		if len(page) == 0 {
			break
		}
		for _, x := range page {
			numbers = append(numbers, x.Number)
		}
	}
	slices.Reverse(numbers)
	for i, n := range numbers {
		if n != i+1 {
			t.Fatalf("trial %d is listed in place %d", n, i+1)
		}
	}
	if len(numbers) != more+2 {
		t.Errorf("%d trials are listed, want %d", len(numbers), more+2)
	}
}
