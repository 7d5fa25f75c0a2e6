package store

import (
	"context"
	"database/sql"
	"fmt"
	"maps"
	"math"
	"runtime"
	"slices"
	"time"

	"github.com/jmoiron/sqlx"
	"golang.org/x/sync/errgroup"

	"zerokeel/core/channel"
	"zerokeel/core/series"
)

// Telemetry lies in blocks: a channel of a leg over some minutes, packed, and apart from it a level that sums it up for charts, which
// outlasts it. What is too new to be packed lies in the tail, a row for each portion that came in.

// blockMS is the span of time of a block, and tailRows the number of portions after which a running leg is packed.
const (
	blockMS  = 600_000
	tailRows = 300
)

// block is a row of telemetry.
type block struct {
	Leg     int64  `db:"leg_id"`
	Channel int64  `db:"channel_id"`
	Name    string `db:"name"` // of the channel, where it was read
	T0      int64  `db:"t0"`
	T1      int64  `db:"t1"`
	Month   int    `db:"month"` // in which it was stored; see MonthOf
	Level   []byte `db:"level"`
	Body    []byte `db:"body"`
}

// MonthOf numbers the months of UTC from the year 0 on.
func MonthOf(at time.Time) int {
	at = at.UTC()
	return 12*at.Year() + int(at.Month()) - 1
}

// LegsToPack lists the legs whose tail has grown long.
func (s *Store) LegsToPack(ctx context.Context) ([]int64, error) {
	var legs []int64
	err := s.db.SelectContext(ctx, &legs, `SELECT leg_id FROM telemetry_tail GROUP BY leg_id HAVING COUNT(*) >= ?`, tailRows)
	return legs, known(err, "look for telemetry to pack")
}

// Pack turns the unpacked telemetry of a leg into blocks. quanta holds the channels' quanta.
func (s *Store) Pack(ctx context.Context, leg int64, quanta map[string]float64) error {
	err := s.withNumbers(ctx, func(tx *txn) error {
		var rows []struct {
			ID   int64  `db:"id"`
			Body []byte `db:"body"`
		}
		if err := tx.SelectContext(ctx, &rows, `SELECT id, body FROM telemetry_tail WHERE leg_id = ? ORDER BY id FOR UPDATE`, leg); err != nil {
			return err
		}
		if len(rows) == 0 {
			return nil
		}
		bodies := make([][]byte, len(rows))
		for i, r := range rows {
			bodies[i] = r.Body
		}
		channels, err := unfold(bodies, nil)
		if err != nil {
			return err
		}
		if err := s.insertBlocks(ctx, tx, leg, channels, quanta); err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, `DELETE FROM telemetry_tail WHERE leg_id = ? AND id <= ?`, leg, rows[len(rows)-1].ID)
		return err
	})
	return known(err, "pack the telemetry of leg %d", leg)
}

// insertBlocks packs the samples of channels, each sorted by time, and stores them. It is unnumbered where one has no number yet.
func (s *Store) insertBlocks(ctx context.Context, tx *txn, leg int64, channels map[string][]series.Sample,
	quanta map[string]float64) error {
	keys := slices.Sorted(maps.Keys(channels))
	ids, err := s.channels.numbers(keys)
	if err != nil {
		return err
	}
	packed, month := make([][]block, len(keys)), MonthOf(time.Now())
	var work errgroup.Group
	work.SetLimit(runtime.GOMAXPROCS(0))
	for i, key := range keys {
		work.Go(func() error {
			own, err := pack(channels[key], quanta[key])
			for k := range own {
				own[k].Leg, own[k].Channel, own[k].Month = leg, ids[key], month
			}
			packed[i] = own
			if err != nil {
				return fmt.Errorf("channel %s: %w", key, err)
			}
			return nil
		})
	}
	if err := work.Wait(); err != nil {
		return err
	}
	blocks := slices.Concat(packed...)
	if err := insertPacked(ctx, tx, `telemetry_levels (leg_id, channel_id, t0, t1, level) VALUES (:leg_id, :channel_id, :t0, :t1, :level)`,
		blocks); err != nil {
		return err
	}
	return insertPacked(ctx, tx, `telemetry (leg_id, channel_id, t0, t1, month, body) VALUES (:leg_id, :channel_id, :t0, :t1, :month, :body)`,
		blocks)
}

// insertRows is how many blocks go into the database together.
const insertRows = 100

// insertPacked stores one part of blocks. As text they would take MariaDB longer to read than to store, so the statement is prepared; it
// lasts until the transaction has ended, whose end is therefore answered (see Open).
func insertPacked(ctx context.Context, tx *txn, into string, blocks []block) error {
	var statement *sql.Stmt
	rows := 0
	for part := range slices.Chunk(blocks, insertRows) {
		// A second block of one sample at the same millisecond says nothing new.
		query, args, err := sqlx.Named(`INSERT IGNORE INTO `+into, part)
		if err != nil {
			return err
		}
		if len(part) != rows {
			if statement, err = tx.PrepareContext(ctx, query); err != nil {
				return err
			}
			rows = len(part)
		}
		if _, err := statement.ExecContext(ctx, args...); err != nil {
			return err
		}
	}
	return nil
}

// pack packs a channel's samples, sorted by time.
func pack(samples []series.Sample, quantum float64) ([]block, error) {
	var out []block
	for len(samples) > 0 {
		n := 1
		for n < len(samples) && samples[n].T < samples[0].T+blockMS {
			n++
		}
		body, err := series.Encode(samples[:n], quantum)
		if err != nil {
			return nil, err
		}
		out = append(out, block{T0: samples[0].T, T1: samples[n-1].T, Level: series.EncodeLevel(samples[:n], quantum), Body: body})
		samples = samples[n:]
	}
	return out, nil
}

// Span is a part of a leg's telemetry: some channels, all when there is none, from one time up to, but not including,
// another, in ms; a zero To means all.
type Span struct {
	Keys     []string
	From, To int64
}

func (q *Span) wants(key string) bool { return len(q.Keys) == 0 || slices.Contains(q.Keys, key) }

func (q *Span) to() int64 {
	if q.To == 0 {
		return math.MaxInt64
	}
	return q.To
}

// Telemetry returns the samples of a leg by channel, sorted by time: packed and unpacked ones.
func (s *Store) Telemetry(ctx context.Context, leg int64, q Span) (map[string][]series.Sample, error) {
	out := map[string][]series.Sample{}
	err := s.read(ctx, leg, q, samplesPart, func(key string, b *block) error {
		samples, err := series.Decode(b.Body)
		out[key] = append(out[key], samples...)
		return err
	}, func(loose map[string][]series.Sample) {
		for key, samples := range loose {
			out[key] = append(out[key], samples...)
		}
	})
	for key, samples := range out {
		if !slices.IsSortedFunc(samples, older) {
			slices.SortStableFunc(samples, older)
		}
		out[key] = slices.DeleteFunc(samples, func(x series.Sample) bool { return x.T < q.From || x.T >= q.to() })
	}
	return out, known(err, "load the telemetry of leg %d", leg)
}

// Levels returns the telemetry of a leg by channel, summed up in buckets of series.LevelMS. Where the leg was packed while
// it ran, two buckets may begin at the same time.
func (s *Store) Levels(ctx context.Context, leg int64, q Span) (map[string][]series.Bucket, error) {
	out := map[string][]series.Bucket{}
	add := func(key string, level []byte) error {
		buckets, err := series.DecodeLevel(level)
		out[key] = append(out[key], buckets...)
		return err
	}
	err := s.read(ctx, leg, q, levelsPart, func(key string, b *block) error {
		if len(b.Level) > 0 {
			return add(key, b.Level)
		}
		// Packed by an earlier version, without a level.
		if err := s.db.GetContext(ctx, &b.Body, `SELECT body FROM telemetry WHERE leg_id = ? AND channel_id = ? AND t0 = ? AND t1 = ?`, leg,
			b.Channel, b.T0, b.T1); err != nil {
			return err
		}
		samples, err := series.Decode(b.Body)
		if err != nil {
			return err
		}
		return add(key, series.EncodeLevel(samples, 0))
	}, func(loose map[string][]series.Sample) {
		for key, samples := range loose {
			_ = add(key, series.EncodeLevel(samples, 0)) // just encoded
		}
	})
	return out, known(err, "load the telemetry of leg %d", leg)
}

// The parts of a block: each is a column of a table.
const (
	samplesPart = "body FROM telemetry"
	levelsPart  = "level FROM telemetry_levels"
)

// read hands over the blocks of a span, with one of their parts, in the order of channel and time, and then what is not
// packed yet.
func (s *Store) read(ctx context.Context, leg int64, q Span, part string, packed func(key string, b *block) error,
	loose func(map[string][]series.Sample)) error {
	// One snapshot, so that a packing in between neither hides nor doubles samples.
	return s.once(ctx, func(tx *txn) error {
		query, args := `SELECT STRAIGHT_JOIN c.name, t.channel_id, t.t0, t.t1, t.`+part+` t JOIN channels c ON c.id = t.channel_id
			WHERE t.leg_id = ? AND t.t1 >= ? AND t.t0 < ?`, []any{leg, q.From, q.to()}
		if len(q.Keys) > 0 {
			ids, err := s.channels.find(ctx, tx, q.Keys)
			if err != nil {
				return err
			}
			list := append(slices.Collect(maps.Values(ids)), -1)
			if query, args, err = sqlx.In(query+` AND t.channel_id IN (?)`, append(args, list)...); err != nil {
				return err
			}
		}
		rows, err := tx.QueryxContext(ctx, query+` ORDER BY t.channel_id, t.t0`, args...)
		if err != nil {
			return err
		}
		defer func() { _ = rows.Close() }()
		var b block
		for rows.Next() {
			if err := rows.StructScan(&b); err != nil {
				return err
			}
			if err := packed(b.Name, &b); err != nil {
				return fmt.Errorf("channel %s: %w", b.Name, err)
			}
		}
		if err := rows.Err(); err != nil {
			return err
		}
		var bodies [][]byte
		if err := tx.SelectContext(ctx, &bodies, `SELECT body FROM telemetry_tail WHERE leg_id = ? ORDER BY id`, leg); err != nil {
			return err
		}
		samples, err := unfold(bodies, q.wants)
		if err != nil {
			return err
		}
		loose(samples)
		return nil
	})
}

// dropTelemetry drops what is stored of the telemetry of a leg.
func dropTelemetry(ctx context.Context, tx *txn, leg int64) error {
	for _, from := range []string{"telemetry", "telemetry_levels", "telemetry_tail"} {
		if _, err := tx.ExecContext(ctx, `DELETE FROM `+from+` WHERE leg_id = ?`, leg); err != nil {
			return err
		}
	}
	return nil
}

// Quanta returns the quanta of a rig's channels.
func Quanta(channels []channel.Channel) map[string]float64 {
	out := make(map[string]float64, len(channels))
	for _, c := range channels {
		out[c.Key] = c.Quantum
	}
	return out
}
