package store

import (
	"context"
	"slices"
)

// archived is a table whose rows leave with a rig. Numbers of rows are of this database; in an archive each row is called by its place in
// its file, from 1.
type archived struct {
	name  string
	of    string            // condition on the rig, with one mark for it
	order string            // by which its rows stand in the file; rows with an id by that
	refs  map[string]string // columns that name a row of another table
	later []string          // of these, those that are known only once that table is there
	in    map[string][]ref  // places in JSON that do
	leave map[string]any    // columns that stay here, secrets and what belongs to a link or a process, with what they begin with elsewhere
}

// ref is a place in JSON that names a row of a table: steps of its path, of which * stands for every member.
type ref struct{ path, table string }

// ofTrials is the condition of what hangs on a rig's trials.
const ofTrials = `trial_id IN (SELECT id FROM trials WHERE rig_id = ?)`

// onArrival stands for the moment at which a row came.
const onArrival = "on arrival"

// archivedTables are what a rig's records consist of, each after those that its rows name. Of the tables beside them, some belong to the
// whole workshop, some to a link or a process, and fleet_lines is worked out anew; a test holds this list against the database.
var archivedTables = []archived{
	{name: "rigs", of: `id = ?`, refs: map[string]string{"trim_in_force": "trims", "lost_trim": "trims"},
		later: []string{"trim_in_force", "lost_trim"},
		leave: map[string]any{"token_hash": nil, "firmware_password": "", "records_version": 0, "claims": 0, "boot_id": "", "check_due": false,
			"absence": "", "absent_since": nil}},
	{name: "trims", of: `rig_id = ?`, refs: map[string]string{"rig_id": "rigs", "parent_id": "trims"}},
	{name: "fittings", of: `rig_id = ?`, refs: map[string]string{"rig_id": "rigs", "trim_id": "trims"}},
	{name: "sessions", of: `rig_id = ?`, refs: map[string]string{"rig_id": "rigs", "base_trim_id": "trims", "other_trim_id": "trims",
		"fitting_id": "fittings"}, in: map[string][]ref{"blocks": {{"*.trim", "trims"}}}},
	{name: "pilots", of: `rig_id = ?`, refs: map[string]string{"rig_id": "rigs", "base_trim_id": "trims"}, later: []string{"progress"},
		in: map[string][]ref{"progress": {{"from", "trims"}, {"safe", "trims"}, {"depths", "trims"}, {"found", "trims"}, {"began.*", "trims"},
			{"done.*.trim", "trims"}, {"done.*.trial", "trials"}, {"now.trim", "trims"}, {"now.fitting", "fittings"}, {"now.trial", "trials"},
			{"now.session", "sessions"}}}},
	{name: "trials", of: `rig_id = ?`, refs: map[string]string{"rig_id": "rigs", "trim_id": "trims", "session_id": "sessions",
		"pilot_id": "pilots"}, leave: map[string]any{"batch_id": nil}},
	{name: "legs", of: ofTrials, refs: map[string]string{"trial_id": "trials"}, leave: map[string]any{"order_id": nil, "stream": ""}},
	{name: "events", of: `leg_id IN (SELECT id FROM legs WHERE ` + ofTrials + `)`, refs: map[string]string{"leg_id": "legs"}},
	{name: "scores", of: `rig_id = ?`, refs: map[string]string{"rig_id": "rigs", "trim_id": "trims", "leg_id": "legs"}},
	{name: "incidents", of: `rig_id = ?`, refs: map[string]string{"rig_id": "rigs", "trim_id": "trims"}},
	{name: "watches", of: `rig_id = ?`, refs: map[string]string{"rig_id": "rigs"}, leave: map[string]any{"send": ""}},
	{name: "notices", of: `rig_id = ?`, refs: map[string]string{"rig_id": "rigs", "watch_id": "watches"},
		leave: map[string]any{"send": "", "due_at": nil}},
	{name: "corrections", of: `rig_id = ?`, order: "channel", refs: map[string]string{"rig_id": "rigs"}},
	{name: "logs", of: ofTrials, refs: map[string]string{"trial_id": "trials"}},
	{name: "fans", of: `rig_id = ?`, order: "header", refs: map[string]string{"rig_id": "rigs", "trial_id": "trials"}},
}

// sharedTables hold what several rigs use; what stays of them is when a row was last changed. Of these an archive holds what its rigs
// need; where another server has the same name for something else, it refuses.
var sharedTables = []archived{
	{name: "parts", order: "kind, id", leave: map[string]any{"updated_at": onArrival, "claims": 0}, of: `(kind, id) IN (SELECT 'processor', processor_id FROM rigs WHERE id IN (?) UNION SELECT 'board', board_id
		FROM rigs WHERE id IN (?) UNION SELECT 'cooler', cooler_id FROM rigs WHERE id IN (?) UNION SELECT 'memory', memory_id FROM rigs
		WHERE id IN (?))`},
	{name: "yardsticks", order: "id", of: `id IN (SELECT yardstick_id FROM scores WHERE rig_id IN (?))`},
	{name: "log_sources", order: "id", of: `id IN (SELECT l.source_id FROM logs l JOIN trials t ON t.id = l.trial_id WHERE t.rig_id IN (?))`},
}

// column is one of a table, as the database describes it.
type column struct {
	Name string `db:"column_name"`
	Type string `db:"data_type"`
}

// columnsOf lists the columns of a table that leave with a rig, by name.
func columnsOf(ctx context.Context, tx *txn, t *archived) ([]column, error) {
	var list []column
	err := tx.SelectContext(ctx, &list, `SELECT column_name AS column_name, data_type AS data_type FROM information_schema.columns
		WHERE table_schema = DATABASE() AND table_name = ? ORDER BY column_name`, t.name)
	return slices.DeleteFunc(list, func(c column) bool {
		_, stays := t.leave[c.Name]
		return stays
	}), err
}

// places are the places of rows in an archive by their numbers here, or the other way round, by table.
type places map[string]map[int64]int64

func (p places) put(table string, from, to int64) {
	if p[table] == nil {
		p[table] = map[int64]int64{}
	}
	p[table][from] = to
}
