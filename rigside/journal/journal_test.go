package journal_test

import (
	"os"
	"path/filepath"
	"testing"

	"zerokeel/link"
	"zerokeel/rigside/journal"
)

func TestWhatWasRunningSurvives(t *testing.T) {
	dir := t.TempDir()
	open := func() *journal.Journal {
		t.Helper()
		j, err := journal.Open(dir)
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { _ = j.Close() })
		return j
	}
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	j := open()
	if len(j.Before()) != 0 {
		t.Fatalf("a new journal tells of %v", j.Before())
	}
	must(j.Begin(link.Unending{Order: "a", BootID: "b1", At: 5}))
	if got := open().Before(); len(got) != 1 || got[0].Order != "a" || got[0].BootID != "b1" {
		t.Errorf("after a crash: %v, want order a", got)
	}
	must(j.End("a"))
	if got := open().Before(); len(got) != 0 {
		t.Errorf("after the end: %v", got)
	}
	must(j.Begin(link.Unending{Order: "b", BootID: "b1"}))
	file := filepath.Join(dir, "journal.jsonl")
	text, err := os.ReadFile(file)
	must(err)
	must(os.WriteFile(file, append(text, []byte(`{"end":"b`)...), 0o600))
	j = open()
	if got := j.Before(); len(got) != 1 || got[0].Order != "b" {
		t.Errorf("after a crash in the middle of a line: %v, want order b", got)
	}
	must(j.End("b"))
	if got := open().Before(); len(got) != 0 {
		t.Errorf("an end after a cut line is lost: %v", got)
	}
}

// TestFolderTakenAway: in the middle of an order the journal's folder goes, as a stick does that is pulled out; what it tells begins anew.
func TestFolderTakenAway(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "a", "b")
	j, err := journal.Open(dir)
	if err != nil {
		t.Fatal(err)
	}
	gone := func() {
		t.Helper()
		if err := os.RemoveAll(filepath.Dir(dir)); err != nil {
			t.Fatal(err)
		}
	}
	told := func() []link.Unending {
		t.Helper()
		again, err := journal.Open(dir)
		if err != nil {
			t.Fatal(err)
		}
		defer func() { _ = again.Close() }()
		if crash, err := again.Booted("b1"); crash != nil || err != nil {
			t.Errorf("another start: %v, %v", crash, err)
		}
		return again.Before()
	}
	for _, do := range []func() error{
		func() error { _, err := j.Booted("b1"); return err },
		func() error { gone(); return j.Begin(link.Unending{Order: "a", BootID: "b1"}) },
	} {
		if err := do(); err != nil {
			t.Fatal(err)
		}
	}
	if got := told(); len(got) != 1 || got[0].Order != "a" {
		t.Errorf("in the middle of order a: %v", got)
	}
	if gone(); j.End("a") != nil || len(told()) != 0 {
		t.Errorf("after its end: %v", told())
	}
}

// TestCrashIsTold: a start of the machine that did not end by a shutdown is told at the next start, once.
func TestCrashIsTold(t *testing.T) {
	dir := t.TempDir()
	boot := func(id string) *link.Crash {
		t.Helper()
		j, err := journal.Open(dir)
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { _ = j.Close() })
		crash, err := j.Booted(id)
		if err != nil {
			t.Fatal(err)
		}
		if id == "b2" { // this one runs a leg, and is shut down
			for _, err := range []error{j.Begin(link.Unending{Order: "a", BootID: id}), j.End("a"), j.Shut()} {
				if err != nil {
					t.Fatal(err)
				}
			}
		}
		return crash
	}
	for i, step := range []struct{ boot, crashed string }{{"b1", ""}, {"b1", ""}, {"b2", "b1"}, {"b3", ""}, {"b4", "b3"}, {"b4", ""}} {
		crash := boot(step.boot)
		if (crash != nil) != (step.crashed != "") || crash != nil && crash.BootID != step.crashed {
			t.Errorf("start %d of %s tells of %+v, want %q", i, step.boot, crash, step.crashed)
		}
	}
}
