package store

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"slices"

	"github.com/jmoiron/sqlx"

	"zerokeel/core/series"
	"zerokeel/link"
)

// blockMS is the span of time of a telemetry block.
const blockMS = 300_000

// Pack turns the unpacked telemetry of a leg into blocks per channel. quanta holds the channels' quanta.
func (s *Store) Pack(ctx context.Context, leg int64, quanta map[string]float64) error {
	err := s.within(ctx, func(tx *sqlx.Tx) error {
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
		channels, err := unfold(bodies)
		if err != nil {
			return err
		}
		for _, key := range slices.Sorted(maps.Keys(channels)) {
			if err := insertBlocks(ctx, tx, leg, key, channels[key], quanta[key]); err != nil {
				return err
			}
		}
		_, err = tx.ExecContext(ctx, `DELETE FROM telemetry_tail WHERE leg_id = ? AND id <= ?`, leg, rows[len(rows)-1].ID)
		return err
	})
	return known(err, "pack the telemetry of leg %d", leg)
}

func insertBlocks(ctx context.Context, tx *sqlx.Tx, leg int64, key string, samples []series.Sample, quantum float64) error {
	for len(samples) > 0 {
		n := 1
		for n < len(samples) && samples[n].T < samples[0].T+blockMS {
			n++
		}
		body, err := series.Encode(samples[:n], quantum)
		if err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `INSERT INTO telemetry_blocks (leg_id, channel, t0, t1, samples, body) VALUES (?, ?, ?, ?, ?, ?)`,
			leg, key, samples[0].T, samples[n-1].T, n, body); err != nil {
			return err
		}
		samples = samples[n:]
	}
	return nil
}

// unfold gathers tail rows into samples by channel, sorted by time.
func unfold(bodies [][]byte) (map[string][]series.Sample, error) {
	out := map[string][]series.Sample{}
	for _, body := range bodies {
		var t tail
		if err := json.Unmarshal(body, &t); err != nil {
			return nil, fmt.Errorf("read unpacked telemetry: %w", err)
		}
		for i, key := range t.Channels {
			for j, at := range t.At {
				v := math.NaN()
				if p := t.Values[i][j]; p != nil {
					v = *p
				}
				out[key] = append(out[key], series.Sample{T: at, V: v})
			}
		}
	}
	for _, samples := range out {
		slices.SortStableFunc(samples, func(a, b series.Sample) int { return int(a.T - b.T) })
	}
	return out, nil
}

// Telemetry returns the samples of a leg by channel, sorted by time: packed and unpacked ones.
func (s *Store) Telemetry(ctx context.Context, leg int64) (map[string][]series.Sample, error) {
	var out map[string][]series.Sample
	// One snapshot, so that a packing in between neither hides nor doubles samples.
	err := s.within(ctx, func(tx *sqlx.Tx) error {
		out = map[string][]series.Sample{}
		var blocks []struct {
			Channel string `db:"channel"`
			Body    []byte `db:"body"`
		}
		if err := tx.SelectContext(ctx, &blocks, `SELECT channel, body FROM telemetry_blocks WHERE leg_id = ? ORDER BY channel, t0`, leg); err != nil {
			return err
		}
		for _, b := range blocks {
			samples, err := series.Decode(b.Body)
			if err != nil {
				return fmt.Errorf("channel %s: %w", b.Channel, err)
			}
			out[b.Channel] = append(out[b.Channel], samples...)
		}
		var bodies [][]byte
		if err := tx.SelectContext(ctx, &bodies, `SELECT body FROM telemetry_tail WHERE leg_id = ? ORDER BY id`, leg); err != nil {
			return err
		}
		loose, err := unfold(bodies)
		if err != nil {
			return err
		}
		for key, samples := range loose {
			out[key] = append(out[key], samples...)
		}
		return nil
	})
	return out, known(err, "load the telemetry of leg %d", leg)
}

// Quanta returns the quanta of a rig's channels.
func Quanta(channels []link.Channel) map[string]float64 {
	out := make(map[string]float64, len(channels))
	for _, c := range channels {
		out[c.Key] = c.Quantum
	}
	return out
}
