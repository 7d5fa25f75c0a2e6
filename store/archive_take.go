package store

import (
	"bytes"
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"golang.org/x/sync/errgroup"

	"zerokeel/archive"
	"zerokeel/core/channel"
	"zerokeel/core/invalid"
)

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
