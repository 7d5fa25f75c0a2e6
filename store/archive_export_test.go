package store

import (
	"context"
	"slices"
	"testing"
)

// stay are the tables that do not leave with a rig, and why.
var stay = map[string]string{
	"accounts": "the workshop's people", "logins": "the workshop's people", "audit": "what they did here", "workshop": "the workshop's own",
	"ladders": "the workshop's own", "rules": "how long this server keeps samples", "goose_db_version": "this database",
	"goose_lock": "this database", "nodes": "this database", "leases": "which process holds a rig", "outbox": "news between processes",
	"traces": "how long requests took", "repeats": "answers to be repeated", "link_streams": "where a link stands",
	"fleet_lines": "worked out anew", "channels": "numbers of this database", "telemetry": "as samples",
	"telemetry_levels": "worked out of samples", "telemetry_tail": "packed first", "telemetry_blocks": "of versions before",
	"gathered": "handovers that wait", "batches": "of several rigs", "batch_members": "of several rigs",
	"link_codes": "good for an hour here",
}

// ArchivedTables holds what an archive takes against the database: a table that is neither taken nor said to stay would be lost on
// the way, and so would a column that names a row of another table without saying so.
func ArchivedTables(t testing.TB, s *Store) {
	t.Helper()
	ctx := context.Background()
	var tables []string
	if err := s.db.SelectContext(ctx, &tables, `SELECT table_name FROM information_schema.tables WHERE table_schema = DATABASE()`); err != nil {
		t.Fatal(err)
	}
	known := map[string]*archived{}
	for _, list := range [][]archived{archivedTables, sharedTables} {
		for i := range list {
			known[list[i].name] = &list[i]
		}
	}
	for _, name := range tables {
		if _, stays := stay[name]; !stays && known[name] == nil {
			t.Errorf("nobody says whether %s leaves with a rig", name)
		}
	}
	var keys []struct {
		Table  string `db:"t"`
		Column string `db:"c"`
		Of     string `db:"o"`
	}
	if err := s.db.SelectContext(ctx, &keys, `SELECT table_name AS t, column_name AS c, referenced_table_name AS o
		FROM information_schema.key_column_usage WHERE table_schema = DATABASE() AND referenced_table_name IS NOT NULL`); err != nil {
		t.Fatal(err)
	}
	for _, k := range keys {
		at := known[k.Table]
		if at == nil || slices.ContainsFunc(sharedTables, func(x archived) bool { return x.name == k.Of }) {
			continue
		}
		if at.refs[k.Column] != k.Of {
			t.Errorf("%s.%s names a row of %s, and an archive takes it for one of %q", k.Table, k.Column, k.Of, at.refs[k.Column])
		}
	}
	for _, at := range known {
		var columns []string
		if err := s.db.SelectContext(ctx, &columns, `SELECT column_name FROM information_schema.columns WHERE table_schema = DATABASE() AND table_name = ?`,
			at.name); err != nil {
			t.Fatal(err)
		}
		for _, list := range [][]string{keysOf(at.refs), keysOf(at.leave), keysOf(at.in), at.later} {
			for _, name := range list {
				if !slices.Contains(columns, name) {
					t.Errorf("%s has no column %s", at.name, name)
				}
			}
		}
	}
}

func keysOf[V any](m map[string]V) (out []string) {
	for key := range m {
		out = append(out, key)
	}
	return out
}
