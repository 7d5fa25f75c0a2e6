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
)

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
