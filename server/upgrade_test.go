package server_test

import (
	"compress/gzip"
	"context"
	"fmt"
	"io"
	"maps"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/jmoiron/sqlx"

	"zerokeel/core/channel"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
	"zerokeel/store"
	"zerokeel/store/storetest"
)

// TestRecordsOfEarlierVersions takes records that earlier versions wrote through all migrations, and reads everything: no trial has
// lost its verdict, the samples of a leg still reach the temperature that the version of then noted, and no page fails.
func TestRecordsOfEarlierVersions(t *testing.T) {
	files, err := filepath.Glob("testdata/records/*.sql.gz")
	if err != nil || len(files) < 8 {
		t.Fatalf("%d records, %v", len(files), err)
	}
	for _, file := range files {
		t.Run(strings.TrimSuffix(filepath.Base(file), ".sql.gz"), func(t *testing.T) {
			t.Parallel()
			dsns := storetest.Empty(t)
			db := sqlx.MustConnect("mysql", dsns[0]+"&multiStatements=true")
			defer func() { _ = db.Close() }()
			fill(t, db, file)
			want := verdicts(t, db)
			s, err := store.Open(t.Context(), dsns...)
			if err != nil {
				t.Fatal(err)
			}
			defer func() { _ = s.Close() }()
			if err := s.Migrate(t.Context()); err != nil {
				t.Fatal(err)
			}
			if len(want) == 0 {
				t.Error("there are no trials in it")
			}
			if err := s.Migrate(t.Context()); err != nil {
				t.Errorf("once more: %v", err)
			}
			readAll(t, servertest.Pages(t, s), want)
		})
	}
}

// fill executes the statements of a file.
func fill(t *testing.T, db *sqlx.DB, file string) {
	t.Helper()
	f, err := os.Open(file)
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = f.Close() }()
	plain, err := gzip.NewReader(f)
	if err != nil {
		t.Fatal(err)
	}
	text, err := io.ReadAll(plain)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := db.Exec("SET foreign_key_checks = 0; " + string(text)); err != nil {
		t.Fatal(err)
	}
}

// verdicts are those of the trials, by id, as they lie in the records.
func verdicts(t *testing.T, db *sqlx.DB) map[int64]string {
	t.Helper()
	var rows []struct {
		ID      int64  `db:"id"`
		Verdict string `db:"verdict"`
	}
	if err := db.SelectContext(context.Background(), &rows,
		`SELECT id, JSON_VALUE(result, '$.verdict') AS verdict FROM trials WHERE state = 'ended'`); err != nil {
		t.Fatal(err)
	}
	out := map[int64]string{}
	for _, r := range rows {
		out[r.ID] = r.Verdict
	}
	return out
}

// readAll reads what the API offers of every rig.
func readAll(t *testing.T, bench *servertest.Bench, want map[int64]string) {
	t.Helper()
	get := func(path string, out any) { bench.Call("GET", path, nil, 200, out) }
	for _, path := range []string{"parts", "loads", "ladders", "channels", "yardsticks", "goals"} {
		get("/api/"+path, nil)
	}
	var rigs []api.Rig
	get("/api/rigs", &rigs)
	got, legs := map[int64]string{}, 0
	for i, r := range rigs {
		at := fmt.Sprintf("/api/rigs/%d", r.Id)
		reckoned := i == 0 // what is inferred from all records takes its time: one rig stands for the others
		if reckoned {
			get(at+"/soundings", nil)
			get(at+"/headers", nil)
			get(at+"/cooling", nil)
			get(at+"/surveyable", nil)
		}
		for _, path := range []string{"", "/fittings", "/sessions", "/pilots", "/channels", "/watchable", "/corrections", "/watches", "/log",
			"/scores", "/incidents", "/removal"} {
			get(at+path, nil)
		}
		var trims []api.Trim
		get(at+"/trims", &trims)
		for _, trim := range trims {
			for _, path := range []string{"", "/file", "/outcome"} {
				if path == "/file" && r.Parts == nil {
					continue // the settings of a rig whose parts are not known are not either
				}
				get(fmt.Sprintf("/api/trims/%d%s", trim.Id, path), nil)
			}
			if r.Parts != nil && trim.Number == 0 && reckoned {
				get(fmt.Sprintf("%s/tuning?goal=quiet&minutes=600&trim=%d", at, trim.Id), nil)
			}
			get(fmt.Sprintf("%s/difference?from=%d&to=%d", at, trims[0].Id, trim.Id), nil)
			if trim.Id != trims[0].Id {
				get(fmt.Sprintf("/api/comparison?trim=%d,%d", trims[0].Id, trim.Id), nil)
			}
		}
		var trials []api.Trial
		get(at+"/trials", &trials)
		for _, short := range trials {
			var trial api.Trial
			get(fmt.Sprintf("/api/trials/%d", short.Id), &trial)
			if trial.Ended {
				got[trial.Id] = trial.Verdict
			}
			get(fmt.Sprintf("/api/trials/%d/logs", trial.Id), nil)
			get(fmt.Sprintf("/api/trials/%d/telemetry?buckets=200", trial.Id), nil)
			legs += readFigures(t, bench, &trial)
		}
	}
	if !maps.Equal(got, want) {
		t.Errorf("verdicts %v, want %v", got, want)
	}
	if legs == 0 {
		t.Error("no leg has samples")
	}
}

// readFigures reads every sample of a trial, and holds the highest temperature of each leg against the one that was noted when it ended.
// It returns how many legs have samples.
func readFigures(t *testing.T, bench *servertest.Bench, trial *api.Trial) (legs int) {
	t.Helper()
	status, text := bench.Raw("GET", fmt.Sprintf("/api/trials/%d/telemetry.csv?shape=long", trial.Id), nil)
	if status != 200 {
		t.Errorf("trial %d: %d %s", trial.Id, status, text)
	}
	for _, l := range trial.Legs {
		samples, err := bench.Store.Telemetry(t.Context(), l.Id, store.Span{Keys: []string{channel.Temperature}})
		if err != nil {
			t.Errorf("leg %d: %v", l.Id, err)
		}
		list := samples[channel.Temperature]
		if len(list) == 0 {
			continue
		}
		legs++
		if lines := strings.Count(string(text), "\n"); lines <= len(list) {
			t.Errorf("trial %d: %d lines of CSV of more than %d samples", trial.Id, lines, len(list))
		}
		peak := math.Inf(-1)
		for _, x := range list {
			peak = max(peak, x.V)
		}
		for _, f := range l.Figures {
			if f.Key == channel.Temperature && f.Peak != peak {
				t.Errorf("leg %d: %g °C at most, noted as %g", l.Id, peak, f.Peak)
			}
		}
	}
	return legs
}
