package store

import (
	"bufio"
	"bytes"
	"context"
	"database/sql"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"golang.org/x/sync/errgroup"

	"zerokeel/archive"
	"zerokeel/core/channel"
	"zerokeel/core/invalid"
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

// ArchiveRigs writes all that is kept of some rigs. It is ErrTaken while something runs on one of them.
func (s *Store) ArchiveRigs(ctx context.Context, rigs []int64, to *archive.Writer) error {
	err := s.once(ctx, func(tx *txn) error { // one look at everything, as it stood at one moment
		c := archive.Contents{MadeAt: time.Now().UTC().Truncate(time.Second), Shared: archive.Counts{}}
		var err error
		if err = tx.GetContext(ctx, &c.Schema, `SELECT MAX(version_id) FROM goose_db_version WHERE is_applied`); err != nil {
			return err
		}
		for i, rig := range rigs {
			running, err := runs(ctx, tx, rig)
			if err != nil {
				return err
			}
			if running {
				return ErrTaken
			}
			one, err := s.archiveRig(ctx, tx, rig, fmt.Sprintf("rig-%d", i+1), to)
			if err != nil {
				return err
			}
			c.Rigs = append(c.Rigs, *one)
		}
		for i := range sharedTables {
			t := &sharedTables[i]
			query, args := among(t.of, rigs)
			n, err := dump(ctx, tx, t, archive.Shared, query, args, places{}, to)
			if err != nil {
				return err
			}
			c.Shared[t.name] = n
		}
		return to.Close(&c)
	})
	return known(err, "archive %d rigs", len(rigs))
}

// Runs reports whether something runs on a rig.
func (s *Store) Runs(ctx context.Context, rig int64) (bool, error) {
	running := false
	err := s.once(ctx, func(tx *txn) error {
		var err error
		running, err = runs(ctx, tx, rig)
		return err
	})
	return running, known(err, "see what runs on rig %d", rig)
}

// among puts some rigs in the place of every mark of a condition.
func among(condition string, rigs []int64) (string, []any) {
	var args []any
	for range strings.Count(condition, "(?)") {
		for _, r := range rigs {
			args = append(args, r)
		}
	}
	return strings.ReplaceAll(condition, "(?)", "("+strings.TrimSuffix(strings.Repeat("?,", len(rigs)), ",")+")"), args
}

func (s *Store) archiveRig(ctx context.Context, tx *txn, rig int64, folder string, to *archive.Writer) (*archive.Rig, error) {
	out := &archive.Rig{Folder: folder, Lines: archive.Counts{}}
	if err := tx.GetContext(ctx, &out.Name, `SELECT name FROM rigs WHERE id = ?`, rig); err != nil {
		return nil, err
	}
	at := places{}
	var legs []int64
	for i := range archivedTables { // what rows name may stand in a later file
		t := &archivedTables[i]
		if t.order != "" {
			continue
		}
		var ids []int64
		if err := tx.SelectContext(ctx, &ids, `SELECT id FROM `+t.name+` WHERE `+t.of+` ORDER BY id`, rig); err != nil {
			return nil, err
		}
		for k, id := range ids {
			at.put(t.name, id, int64(k+1))
		}
		if t.name == "legs" {
			legs = ids
		}
	}
	for i := range archivedTables {
		t := &archivedTables[i]
		n, err := dump(ctx, tx, t, folder, t.of, []any{rig}, at, to)
		if err != nil {
			return nil, err
		}
		out.Lines[t.name] = n
	}
	announced := map[string]bool{}
	var r Rig
	if err := tx.GetContext(ctx, &r, `SELECT `+rigColumns+` FROM rigs WHERE id = ?`, rig); err != nil {
		return nil, err
	}
	for _, leg := range legs {
		if err := s.Pack(ctx, leg, Quanta(r.Channels.V)); err != nil { // what came last
			return nil, err
		}
		moments, keys, err := s.archiveSamples(ctx, leg, archive.SamplesOf(folder, at["legs"][leg]), to)
		if err != nil {
			return nil, err
		}
		if moments > 0 {
			out.Legs = append(out.Legs, archive.Leg{Leg: at["legs"][leg], Moments: moments})
		}
		for _, key := range keys {
			announced[key] = true
		}
	}
	out.Channels = slices.Sorted(maps.Keys(announced))
	return out, nil
}

// archiveStepMS is how much of a leg is read at once while its samples are written out.
const archiveStepMS = 3_600_000

// archiveSamples writes the samples of a leg, if it has any.
func (s *Store) archiveSamples(ctx context.Context, leg int64, name string, to *archive.Writer) (moments int, keys []string, err error) {
	var reach struct {
		From sql.NullInt64 `db:"t0"`
		To   sql.NullInt64 `db:"t1"`
	}
	err = s.db.GetContext(ctx, &reach, `SELECT MIN(t0) AS t0, MAX(t1) AS t1 FROM telemetry WHERE leg_id = ?`, leg)
	if err != nil || !reach.From.Valid {
		return 0, nil, err
	}
	if err := s.db.SelectContext(ctx, &keys, `SELECT name FROM channels WHERE id IN (SELECT channel_id FROM telemetry WHERE leg_id = ?) ORDER BY name`,
		leg); err != nil {
		return 0, nil, err
	}
	file, err := to.Create(name)
	if err != nil {
		return 0, nil, err
	}
	// What is read is written down while more is read: deflating takes as long.
	read, write := io.Pipe()
	var deflating errgroup.Group
	deflating.Go(func() error {
		_, err := io.CopyBuffer(file, read, make([]byte, archiveChunk))
		_ = read.CloseWithError(err)
		return err
	})
	moments, err = s.writeSamples(ctx, leg, keys, reach.From.Int64, reach.To.Int64, write)
	_ = write.CloseWithError(err)
	return moments, keys, errors.Join(err, deflating.Wait())
}

// archiveChunk is how many bytes of samples are handed on at once.
const archiveChunk = 1 << 20

func (s *Store) writeSamples(ctx context.Context, leg int64, keys []string, first, last int64, to io.Writer) (moments int, err error) {
	out := bufio.NewWriterSize(to, archiveChunk)
	for from := first; from <= last; from += archiveStepMS {
		samples, err := s.Telemetry(ctx, leg, Span{From: from, To: from + archiveStepMS})
		if err != nil {
			return 0, err
		}
		n, err := archive.WriteSamples(out, from == first, keys, samples)
		if err != nil {
			return 0, err
		}
		moments += n
	}
	return moments, out.Flush()
}

// dump writes the rows of a table that a condition holds, a line each, and returns how many they are.
func dump(ctx context.Context, tx *txn, t *archived, folder, condition string, args []any, at places,
	to *archive.Writer) (n int, err error) {
	file, err := to.Create(archive.LinesOf(folder, t.name))
	if err != nil {
		return 0, err
	}
	err = t.lines(ctx, tx, condition, args, at, func(line []byte) error {
		n++
		_, err := file.Write(append(line, '\n'))
		return err
	})
	return n, err
}

// lines hands the rows of a table that a condition holds to take, each as a line of JSON with its members by name.
func (t *archived) lines(ctx context.Context, tx *txn, condition string, args []any, at places, take func(line []byte) error) error {
	columns, err := columnsOf(ctx, tx, t)
	if err != nil {
		return err
	}
	names := make([]string, len(columns))
	for i, c := range columns {
		names[i] = "`" + c.Name + "`"
	}
	order := t.order
	if order == "" {
		order = "id"
	}
	rows, err := tx.QueryContext(ctx, `SELECT `+strings.Join(names, ", ")+` FROM `+t.name+` WHERE `+condition+` ORDER BY `+order, args...)
	if err != nil {
		return err
	}
	defer func() { _ = rows.Close() }()
	values, into := make([]any, len(columns)), make([]any, len(columns))
	for i := range values {
		into[i] = &values[i]
	}
	for rows.Next() {
		if err := rows.Scan(into...); err != nil {
			return err
		}
		row := map[string]any{}
		for i, c := range columns {
			v, err := t.leaves(c, values[i], at)
			if err != nil {
				return fmt.Errorf("%s.%s: %w", t.name, c.Name, err)
			}
			if v != nil {
				row[c.Name] = v
			}
		}
		line, err := json.Marshal(row)
		if err != nil {
			return err
		}
		if err := take(line); err != nil {
			return err
		}
	}
	return rows.Err()
}

// leaves turns a value of a row into what stands for it in an archive; nil for nothing.
func (t *archived) leaves(c column, v any, at places) (any, error) {
	if v == nil {
		return nil, nil
	}
	if id, ok := v.(int64); ok {
		table, refers := t.refs[c.Name]
		if c.Name == "id" && t.order == "" {
			table, refers = t.name, true
		}
		if refers {
			return at[table][id], nil // of what is no more, 0
		}
		return id, nil
	}
	switch x := v.(type) {
	case float64, float32, bool, uint64:
		return x, nil
	case time.Time:
		return x.UTC().Format(archiveTime), nil
	case []byte:
		switch c.Type {
		case "longtext":
			return renumber(x, t.in[c.Name], at)
		case "blob", "mediumblob", "longblob", "binary", "varbinary":
			return base64.StdEncoding.EncodeToString(x), nil
		case "decimal", "double", "float":
			return json.Number(x), nil
		}
		return string(x), nil
	case string:
		return x, nil
	}
	return nil, fmt.Errorf("a value of type %T has no form in an archive", v)
}

// archiveTime is how a moment is written.
const archiveTime = "2006-01-02T15:04:05.000000Z"

// renumber replaces the numbers of rows in JSON, and writes it with its members by name.
func renumber(text []byte, refs []ref, at places) (any, error) {
	dec := json.NewDecoder(bytes.NewReader(text))
	dec.UseNumber()
	var x any
	if err := dec.Decode(&x); err != nil {
		return nil, err
	}
	for _, r := range refs {
		walk(&x, strings.Split(r.path, "."), func(n json.Number) json.Number {
			id, err := n.Int64()
			if err != nil {
				return n
			}
			return json.Number(strconv.FormatInt(at[r.table][id], 10))
		})
	}
	return x, nil
}

// walk changes the numbers at a path.
func walk(x *any, path []string, change func(json.Number) json.Number) {
	if len(path) == 0 {
		if n, ok := (*x).(json.Number); ok {
			*x = change(n)
		}
		return
	}
	switch in := (*x).(type) {
	case map[string]any:
		for _, key := range slices.Sorted(maps.Keys(in)) {
			if path[0] == key || path[0] == "*" {
				member := in[key]
				walk(&member, path[1:], change)
				in[key] = member
			}
		}
	case []any:
		if path[0] == "*" {
			for i := range in {
				walk(&in[i], path[1:], change)
			}
		}
	}
}

// TakeRigs takes in the rigs of an archive, each under a name and with a token's hash of its own, all of them or, where something
// stands against one, none; it returns their numbers. The error is an invalid.List where the archive is damaged or does not fit here.
func (s *Store) TakeRigs(ctx context.Context, from *archive.Reader, names []string, hashes [][]byte) ([]int64, error) {
	for i := range from.Rigs {
		if err := s.number(ctx, from.Rigs[i].Channels); err != nil {
			return nil, known(err, "number the channels of an archive")
		}
	}
	var rigs []int64
	err := s.once(ctx, func(tx *txn) error {
		for i := range sharedTables {
			if err := share(ctx, tx, &sharedTables[i], from); err != nil {
				return err
			}
		}
		for i := range from.Rigs {
			rig, err := s.takeRig(ctx, tx, from, &from.Rigs[i], names[i], hashes[i])
			if err != nil {
				return err
			}
			rigs = append(rigs, rig)
			tx.tell(TopicRig, rig, 0)
		}
		return nil
	})
	return rigs, known(err, "take in an archive")
}

func (s *Store) takeRig(ctx context.Context, tx *txn, from *archive.Reader, one *archive.Rig, name string, hash []byte) (int64, error) {
	at := places{}
	var later []func() error
	for i := range archivedTables {
		t := &archivedTables[i]
		columns, err := columnsOf(ctx, tx, t)
		if err != nil {
			return 0, err
		}
		kinds := map[string]string{}
		for _, c := range columns {
			kinds[c.Name] = c.Type
		}
		place := int64(0)
		err = from.Lines(archive.LinesOf(one.Folder, t.name), one.Lines[t.name], func(line []byte) error {
			place++
			row, err := rowOf(line)
			if err != nil {
				return unfit(t.name, place, err)
			}
			add := maps.Clone(t.leave)
			if add == nil {
				add = map[string]any{}
			}
			for key, v := range row {
				if key == "id" && t.order == "" {
					continue
				}
				if slices.Contains(t.later, key) {
					continue
				}
				if add[key], err = t.arrives(key, kinds[key], v, at); err != nil {
					return unfit(t.name, place, err)
				}
			}
			if t.name == "rigs" {
				add["name"], add["token_hash"] = name, hash
			}
			id, err := insertRow(ctx, tx, t.name, add)
			if err != nil {
				return unfit(t.name, place, err)
			}
			at.put(t.name, place, id)
			for _, key := range t.later {
				v, given := row[key]
				if !given {
					continue
				}
				later = append(later, func() error {
					to, err := t.arrives(key, kinds[key], v, at)
					if err != nil {
						return unfit(t.name, place, err)
					}
					_, err = tx.ExecContext(ctx, "UPDATE "+t.name+" SET `"+key+"` = ? WHERE id = ?", to, id)
					return err
				})
			}
			return nil
		})
		if err != nil {
			return 0, err
		}
	}
	for _, do := range later {
		if err := do(); err != nil {
			return 0, err
		}
	}
	rig := at["rigs"][1]
	var r Rig
	if err := tx.GetContext(ctx, &r, `SELECT `+rigColumns+` FROM rigs WHERE id = ?`, rig); err != nil {
		return 0, err
	}
	quanta := Quanta(r.Channels.V)
	for _, l := range one.Legs {
		leg, known := at["legs"][l.Leg]
		if !known {
			return 0, unfit("samples", l.Leg, errors.New("there is no such leg"))
		}
		if err := s.takeSamples(ctx, tx, from, one, l, leg, quanta); err != nil {
			return 0, err
		}
	}
	return rig, nil
}

// takeSamples stores the samples of a leg, what was read while more is read.
func (s *Store) takeSamples(ctx context.Context, tx *txn, from *archive.Reader, one *archive.Rig, l archive.Leg, leg int64,
	quanta map[string]float64) error {
	work, ctx := errgroup.WithContext(ctx)
	read := make(chan channel.Samples, 1)
	work.Go(func() error {
		defer close(read)
		return from.Samples(archive.SamplesOf(one.Folder, l.Leg), one.Channels, blockMS, l.Moments, func(samples channel.Samples) error {
			select {
			case read <- samples:
				return nil
			case <-ctx.Done():
				return ctx.Err()
			}
		})
	})
	work.Go(func() error {
		for samples := range read {
			if err := s.insertBlocks(ctx, tx, leg, samples, quanta); err != nil {
				return err
			}
		}
		return nil
	})
	return work.Wait()
}

func rowOf(line []byte) (map[string]any, error) {
	dec := json.NewDecoder(bytes.NewReader(line))
	dec.UseNumber()
	var row map[string]any
	err := dec.Decode(&row)
	return row, err
}

// unfit says which row of an archive is at fault.
func unfit(table string, place int64, err error) error {
	if list := (invalid.List)(nil); errors.As(err, &list) || isConflict(err) || isLost(err) {
		return err
	}
	return invalid.List{{Field: "archive", Problem: fmt.Sprintf("line %d of %s cannot be taken: %v", place, table, err),
		Remedy: "make it again, and carry it over whole"}}
}

// arrives turns what stands in an archive into a value for a row.
func (t *archived) arrives(key, kind string, v any, at places) (any, error) {
	if kind == "" {
		return nil, fmt.Errorf("%.60q is no column of this version", key)
	}
	if table, refers := t.refs[key]; refers {
		n, ok := v.(json.Number)
		if !ok {
			return nil, fmt.Errorf("%s is no number", key)
		}
		place, err := n.Int64()
		if err != nil || place == 0 {
			return nil, err
		}
		id, known := at[table][place]
		if !known {
			return nil, fmt.Errorf("%s names line %d of %s, which is not there", key, place, table)
		}
		return id, nil
	}
	if kind == "longtext" {
		text, err := json.Marshal(v)
		if err != nil || len(t.in[key]) == 0 {
			return text, err
		}
		x, err := renumber(text, t.in[key], at)
		if err != nil {
			return nil, err
		}
		return json.Marshal(x)
	}
	switch x := v.(type) {
	case json.Number:
		return x.String(), nil
	case bool:
		return x, nil
	case string:
		switch kind {
		case "datetime":
			return time.Parse(archiveTime, x)
		case "blob", "mediumblob", "longblob", "binary", "varbinary":
			return base64.StdEncoding.DecodeString(x)
		}
		return x, nil
	}
	return nil, fmt.Errorf("%s is of no kind that this version knows", key)
}

func insertRow(ctx context.Context, tx *txn, table string, row map[string]any) (int64, error) {
	names := slices.Sorted(maps.Keys(row))
	args, quoted := make([]any, len(names)), make([]string, len(names))
	for i, name := range names {
		args[i], quoted[i] = row[name], "`"+name+"`"
	}
	result, err := tx.ExecContext(ctx, `INSERT INTO `+table+` (`+strings.Join(quoted, ", ")+`) VALUES (`+
		strings.TrimSuffix(strings.Repeat("?, ", len(names)), ", ")+`)`, args...)
	if err != nil {
		return 0, err
	}
	return result.LastInsertId()
}

// share adds what rigs of an archive use and this server does not have. What it has under the same name must be the same.
func share(ctx context.Context, tx *txn, t *archived, from *archive.Reader) error {
	columns, err := columnsOf(ctx, tx, t)
	if err != nil {
		return err
	}
	kinds := map[string]string{}
	for _, c := range columns {
		kinds[c.Name] = c.Type
	}
	place := int64(0)
	return from.Lines(archive.LinesOf(archive.Shared, t.name), from.Shared[t.name], func(line []byte) error {
		place++
		row, err := rowOf(line)
		if err != nil {
			return unfit(t.name, place, err)
		}
		var where []string
		var args []any
		for _, key := range strings.Split(t.order, ", ") {
			where, args = append(where, key+" = ?"), append(args, row[key])
		}
		var here []byte
		if err := t.lines(ctx, tx, strings.Join(where, " AND "), args, places{}, func(line []byte) error {
			here = line
			return nil
		}); err != nil {
			return unfit(t.name, place, err)
		}
		if here != nil {
			if t.name != "parts" || bytes.Equal(here, line) {
				return nil
			}
			return invalid.List{{Field: "archive", Problem: fmt.Sprintf("the sheet of %v %v is another one here", row["kind"], row["id"]),
				Remedy: "let both servers have the same sheet first, under Part sheets"}}
		}
		add := map[string]any{}
		for key, v := range row {
			if add[key], err = t.arrives(key, kinds[key], v, places{}); err != nil {
				return unfit(t.name, place, err)
			}
		}
		for key, v := range t.leave {
			if add[key] = v; v == onArrival {
				add[key] = time.Now().UTC()
			}
		}
		_, err = insertRow(ctx, tx, t.name, add)
		return err
	})
}
