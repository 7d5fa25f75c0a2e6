package store_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/jmoiron/sqlx"

	"zerokeel/core/channel"
	"zerokeel/core/series"
	"zerokeel/link"
	"zerokeel/store"
	"zerokeel/store/storetest"
)

// walks are the channels of a rig of 200: figures as sensors give them, each with its quantum.
type walks struct {
	keys   []string
	quanta map[string]float64
	at     []float64
	r      *rand.Rand
}

func newWalks(channels int) *walks {
	w := &walks{quanta: map[string]float64{}, r: rand.New(rand.NewPCG(5, 5)), at: make([]float64, channels)}
	for i := range channels {
		key := fmt.Sprintf("temperature.core.%d", i)
		w.keys = append(w.keys, key)
		w.quanta[key], w.at[i] = 0.125, 400
	}
	return w
}

// introduce tells the store of the channels, as a rig's hello does.
func (w *walks) introduce(tb testing.TB, s *store.Store, rig int64) {
	tb.Helper()
	h := &link.Hello{Stream: "s1", BootID: "b1"}
	for _, key := range w.keys {
		h.Channels = append(h.Channels, channel.Channel{Key: key, Quantum: w.quanta[key]})
	}
	if _, _, err := s.Hello(tb.Context(), rig, h, "me"); err != nil {
		tb.Fatal(err)
	}
}

// samples returns the next seconds of every channel.
func (w *walks) samples(order string, from int64, seconds int) *link.Samples {
	s := &link.Samples{Order: order, Channels: w.keys, Values: make([][]*float64, len(w.keys))}
	for i := range seconds {
		s.At = append(s.At, from+int64(i)*1000)
	}
	for c := range w.keys {
		s.Values[c] = make([]*float64, seconds)
		for i := range seconds {
			w.at[c] += math.Round(w.r.NormFloat64())
			x := w.at[c] * 0.125
			s.Values[c][i] = &x
		}
	}
	return s
}

// minutes returns frames of a minute each.
func (w *walks) minutes(n int) []link.Frame {
	out := make([]link.Frame, n)
	for m := range out {
		at := int64(1_700_000_000_000) + int64(m)*60_000
		out[m] = link.Frame{Seq: uint64(m + 1), Samples: w.samples("o1", at, 60)}
		if m == 0 {
			out[m].Started = &link.Started{Order: "o1", At: at}
		}
	}
	return out
}

// feed stores the telemetry of a leg, ten frames at a time, as they gather while the ones before are stored, and packs
// it after each.
func feed(tb testing.TB, s *store.Store, rig, leg int64, frames []link.Frame, quanta map[string]float64) {
	tb.Helper()
	for batch := range slices.Chunk(frames, 10) {
		if _, err := s.Ingest(tb.Context(), rig, "s1", batch, 0); err != nil {
			tb.Fatal(err)
		}
		if err := s.Pack(tb.Context(), leg, quanta); err != nil {
			tb.Fatal(err)
		}
	}
}

// BenchmarkIngest stores hours of 200 channels, against the same kind of figures as a row each by inserts of 1,000 rows in
// the same server: how many times faster, and how many bytes a sample takes on disk.
func BenchmarkIngest(b *testing.B) {
	const channels, minutes = 200, 60
	w := newWalks(channels)
	frames := w.minutes(minutes)
	s, dsns := storetest.OpenDSN(b)
	db, err := sqlx.Connect("mysql", dsns[0])
	if err != nil {
		b.Fatal(err)
	}
	defer func() { _ = db.Close() }()
	if _, err := db.ExecContext(b.Context(),
		`CREATE TABLE sample_rows (leg_id BIGINT, channel_id INT, t BIGINT, v DOUBLE, PRIMARY KEY (leg_id, channel_id, t))`); err != nil {
		b.Fatal(err)
	}
	r, _, l := order(b, s)
	w.introduce(b, s, r.ID)
	hours := 0
	hour := func() (seconds, ofRows float64) {
		for i := range frames {
			frames[i].Seq = uint64(hours*minutes + i + 1)
			for k := range frames[i].Samples.At {
				frames[i].Samples.At[k] += int64(min(hours, 1)) * minutes * 60_000
			}
		}
		started := time.Now()
		feed(b, s, r.ID, l.ID, frames, w.quanta)
		seconds = time.Since(started).Seconds()
		ofRows = channels * minutes * 60 / rowsPerSecond(b, db, hours, frames)
		hours++
		return seconds, ofRows
	}
	hour() // the first one fills caches, of either
	var ours, rows float64
	for b.Loop() {
		for range 2 {
			a, b := hour()
			ours, rows = ours+a, rows+b
		}
	}
	var bytes float64
	if _, err := db.Exec(`ANALYZE TABLE telemetry`); err != nil {
		b.Fatal(err)
	}
	if err := db.Get(&bytes, `SELECT data_length FROM information_schema.tables
		WHERE table_schema = DATABASE() AND table_name = 'telemetry'`); err != nil {
		b.Fatal(err)
	}
	samples := float64(channels * minutes * 60)
	b.ReportMetric(rows/ours, "of-rows")
	b.ReportMetric(float64(hours-1)*samples/1e6/ours, "Msamples/s")
	b.ReportMetric(bytes/float64(hours)/samples, "B/sample")
}

// rowsPerSecond measures the baseline: a row per sample.
func rowsPerSecond(b *testing.B, db *sqlx.DB, leg int, frames []link.Frame) float64 {
	b.Helper()
	const rows = 1000
	query := `INSERT INTO sample_rows VALUES ` + strings.TrimSuffix(strings.Repeat("(?,?,?,?),", rows), ",")
	args, total := make([]any, 0, 4*rows), 0
	started := time.Now()
	for i := range frames {
		s := frames[i].Samples
		for k, at := range s.At {
			for c := range s.Channels {
				if args = append(args, leg, c, at, *s.Values[c][k]); len(args) < 4*rows {
					continue
				}
				if _, err := db.ExecContext(b.Context(), query, args...); err != nil {
					b.Fatal(err)
				}
				args, total = args[:0], total+rows
			}
		}
	}
	return float64(total) / time.Since(started).Seconds()
}

// BenchmarkChart reads a day of 200 channels for a chart of 360 points: one channel, all of them, and, as the baseline,
// every sample of one channel.
func BenchmarkChart(b *testing.B) {
	const channels, day = 200, 24 * 60
	s := storetest.Open(b)
	r, _, l := order(b, s)
	w := newWalks(channels)
	w.introduce(b, s, r.ID)
	frames := w.minutes(60)
	for h := range day / 60 {
		for i := range frames {
			frames[i].Seq = uint64(h*60 + i + 1)
			for k := range frames[i].Samples.At {
				frames[i].Samples.At[k] += int64(min(h, 1)) * 3_600_000
			}
		}
		feed(b, s, r.ID, l.ID, frames, w.quanta)
	}
	chart := func(keys ...string) {
		levels, err := s.Levels(b.Context(), l.ID, store.Span{Keys: keys})
		if err != nil {
			b.Fatal(err)
		}
		from := int64(1_700_000_000_000)
		for _, list := range levels {
			if got := series.Merge(list, from, from+day*60_000, 360); len(got) != 360 {
				b.Fatalf("%d points", len(got))
			}
		}
	}
	b.Run("one", func(b *testing.B) {
		for b.Loop() {
			chart(w.keys[7])
		}
	})
	b.Run("all", func(b *testing.B) {
		for b.Loop() {
			chart()
		}
	})
	b.Run("every-sample-of-one", func(b *testing.B) {
		for b.Loop() {
			got, err := s.Telemetry(b.Context(), l.ID, store.Span{Keys: w.keys[7:8]})
			if err != nil || len(got[w.keys[7]]) != day*60 {
				b.Fatal(len(got), err)
			}
		}
	})
}

func FuzzTail(f *testing.F) {
	f.Add([]byte{1, 1, 1, 1, 'a', 2, 0, 0, 0, 0, 0, 0, 0, 0})
	f.Add([]byte(`{"at":[1],"channels":["a"],"values":[[null]]}`))
	f.Fuzz(func(t *testing.T, body []byte) {
		samples, err := store.Unfold(body)
		if err != nil {
			return
		}
		for key, list := range samples {
			if len(list) > len(body) {
				t.Errorf("%d samples of %q from %d bytes", len(list), key, len(body))
			}
		}
	})
}
