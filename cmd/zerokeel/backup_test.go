package main

import (
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"zerokeel/demo/rigs"
	"zerokeel/mariadb"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
	"zerokeel/standin"
)

// program runs the program with arguments, and returns what it says.
func program(t *testing.T, args ...string) string {
	t.Helper()
	cmd := exec.Command(os.Args[0], args...)
	cmd.Env = append(os.Environ(), asProgram+"=1")
	out, err := cmd.CombinedOutput()
	if err != nil {
		t.Fatalf("zerokeel %s: %v: %s", strings.Join(args, " "), err, out)
	}
	return string(out)
}

// TestATrialOutlivesItsDisk: the records are backed up while a trial runs, in full and then what came since; the data folder is
// destroyed, and restored into another. What was backed up is there to the letter, what came after the last backup is not, and the
// trial goes on to its end: the leg that was under way is run anew on the rig, which knows frames that the records do not.
func TestATrialOutlivesItsDisk(t *testing.T) {
	dir := t.TempDir()
	start := func() *mariadb.Server {
		t.Helper()
		db, err := mariadb.Start(t.Context(), mariadb.Config{Dir: filepath.Join(dir, "db")})
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { _ = db.Stop() })
		return db
	}
	db := start()
	if err := db.Create(t.Context(), "zerokeel"); err != nil {
		t.Fatal(err)
	}
	first := serve(t, db.DSN("zerokeel"))
	bench := servertest.At(t, "http://"+first.address)
	text, err := rigs.Standin("petrel")
	if err != nil {
		t.Fatal(err)
	}
	cfg, err := standin.ParseConfig(text)
	if err != nil {
		t.Fatal(err)
	}
	rig := bench.AddRig(cfg, 40)
	rig.Fit(rig.Trims()[0].Id)
	trial := rig.Start(api.StartTrialRequest{Legs: []api.LegRequest{servertest.Leg("heavy", 80), servertest.Leg("light", 240),
		servertest.Leg("mixed", 80)}})
	look := func() api.Trial {
		t.Helper()
		var now api.Trial
		rig.Call("GET", fmt.Sprintf("/api/trials/%d", trial.Id), nil, 200, &now)
		return now
	}
	make := func(name string) {
		t.Helper()
		rig.Call("POST", fmt.Sprintf("/api/rigs/%d/trims", rig.ID),
			fmt.Sprintf(`{"parent":%d,"name":%q,"settings":{"curve.all":-5}}`, rig.Trims()[0].Id, name), 201, nil)
	}
	backups := filepath.Join(dir, "backups")
	backUp := func() string { return program(t, "backup", "--dsn", db.DSN("zerokeel"), "--to", backups) }
	if said := backUp(); !strings.Contains(said, "in full") {
		t.Errorf("the first backup says %q", said)
	}
	make("kept")
	rig.Until("the second leg runs", func() bool { return look().Legs[1].State == "running" })
	if said := backUp(); !strings.Contains(said, "what came since") {
		t.Errorf("the second backup says %q", said)
	}
	held := look().Legs[0]
	make("lost")
	first.kill()
	if err := db.Stop(); err != nil {
		t.Fatal(err)
	}
	if err := os.RemoveAll(filepath.Join(dir, "db", "data")); err != nil {
		t.Fatal(err)
	}

	said := program(t, "restore", "--from", backups, "--data", filepath.Join(dir, "db"))
	if !strings.Contains(said, "1 rigs, 2 trims, 1 trials") {
		t.Errorf("restored: %s", said)
	}
	db = start()
	serveAt(t, first.address, db.DSN("zerokeel"))
	rig.Until("the trial ends", func() bool { return look().Ended })
	after := look()
	if after.Verdict != "held" || len(after.Legs) != 3 {
		t.Errorf("the trial ended %s: %+v", after.Verdict, after.Legs)
	}
	was, _ := json.Marshal(held)
	is, _ := json.Marshal(after.Legs[0])
	if string(was) != string(is) {
		t.Errorf("a leg that had ended was\n%s\nand is\n%s", was, is)
	}
	if names := rig.Trims(); len(names) != 2 || names[1].Name != "kept" {
		t.Errorf("%d trims, the last %s", len(names), names[len(names)-1].Name)
	}
	if again := exec.Command(os.Args[0], "restore", "--from", backups, "--data", filepath.Join(dir, "db")); again != nil {
		again.Env = append(os.Environ(), asProgram+"=1")
		if out, err := again.CombinedOutput(); err == nil || !strings.Contains(string(out), "there is data") {
			t.Errorf("restored over data: %s", out)
		}
	}
}
