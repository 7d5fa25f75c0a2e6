package store_test

import (
	"context"
	"fmt"
	"io/fs"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/jmoiron/sqlx"

	"zerokeel/store/storetest"
)

// TestABrokenOffMigrationGoesOn: whatever part of a migration was done when the process was killed, the whole of it or its first
// statement alone, the next start goes on from there, and the schema is in the end what an unbroken one makes.
func TestABrokenOffMigrationGoesOn(t *testing.T) {
	_, reference := storetest.OpenDSN(t)
	want := schema(t, reference[0])
	files, err := fs.Glob(os.DirFS("migrations"), "*.sql")
	if err != nil || len(files) < 50 {
		t.Fatalf("%d migrations, %v", len(files), err)
	}
	for name, done := range map[string]func([]string) []string{
		"all of it": func(all []string) []string { return all },
		"its first": func(all []string) []string { return all[:1] },
	} {
		s, dsns := storetest.OpenDSN(t)
		ctx := context.Background()
		if err := s.Rewind(ctx); err != nil {
			t.Fatal(err)
		}
		raw := sqlx.MustConnect("mysql", dsns[0])
		for i, file := range files {
			for _, statement := range done(statements(t, file)) {
				if _, err := raw.Exec(statement); err != nil {
					t.Fatalf("%s: %v: %s", file, err, statement)
				}
			}
			if err := s.MigrateTo(ctx, int64(i+1)); err != nil {
				t.Fatalf("%s was done of %s, and then: %v", name, file, err)
			}
		}
		_ = raw.Close()
		if got := schema(t, dsns[0]); !slices.Equal(got, want) {
			for i := range max(len(got), len(want)) {
				if i >= len(got) || i >= len(want) || got[i] != want[i] {
					t.Errorf("%s was done of each: %s, want %s", name, at(got, i), at(want, i))
				}
			}
		}
	}
}

func at(list []string, i int) string {
	if i < len(list) {
		return list[i]
	}
	return "nothing"
}

// statements are those that a migration makes upwards.
func statements(t *testing.T, file string) []string {
	t.Helper()
	text, err := os.ReadFile("migrations/" + file)
	if err != nil {
		t.Fatal(err)
	}
	up, _, _ := strings.Cut(string(text), "-- +goose Down")
	var out []string
	for _, one := range strings.Split(up, ";\n") {
		var lines []string
		for _, line := range strings.Split(one, "\n") {
			if !strings.HasPrefix(line, "--") && strings.TrimSpace(line) != "" {
				lines = append(lines, line)
			}
		}
		if len(lines) > 0 {
			out = append(out, strings.Join(lines, "\n"))
		}
	}
	return out
}

// schema lists the columns and keys of a database.
func schema(t *testing.T, dsn string) []string {
	t.Helper()
	raw := sqlx.MustConnect("mysql", dsn)
	defer func() { _ = raw.Close() }()
	var columns, indexes []string
	if err := raw.Select(&columns, `SELECT CONCAT_WS(' ', TABLE_NAME, COLUMN_NAME, COLUMN_TYPE, IS_NULLABLE, COALESCE(COLUMN_DEFAULT, '-'),
		COALESCE(COLLATION_NAME, '-')) FROM information_schema.COLUMNS WHERE TABLE_SCHEMA = DATABASE() ORDER BY 1`); err != nil {
		t.Fatal(err)
	}
	if err := raw.Select(&indexes, `SELECT CONCAT_WS(' ', TABLE_NAME, INDEX_NAME, NON_UNIQUE, SEQ_IN_INDEX, COLUMN_NAME)
		FROM information_schema.STATISTICS WHERE TABLE_SCHEMA = DATABASE() ORDER BY 1`); err != nil {
		t.Fatal(err)
	}
	return append(columns, fmt.Sprintf("%d keys", len(indexes)), strings.Join(indexes, "\n"))
}
