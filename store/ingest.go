package store

import (
	"context"
	"database/sql"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/jmoiron/sqlx"

	"zerokeel/core/channel"
	"zerokeel/core/govern"
	"zerokeel/core/verdict"
	"zerokeel/core/yardstick"
	"zerokeel/link"
)

// ErrGap reports frames that do not follow on those held; the rig is told the last one held and sends again.
var ErrGap = fmt.Errorf("frames are missing before these")

// Ingest stores frames of a rig's stream, all or none, and returns the last one then held. Frames held already are passed over,
// so that sending again does no harm. Frames that report more than figures are stored at once, others within patience, together
// with those of other rigs.
func (s *Store) Ingest(ctx context.Context, rig int64, stream string, frames []link.Frame, patience time.Duration) (uint64, error) {
	h := &handover{rig: rig, stream: stream, frames: frames, done: make(chan struct{})}
	if h.large() {
		s.takeIn(ctx, []*handover{h})
	} else {
		s.gathered.add(h, patience)
		select {
		case <-h.done:
		case <-ctx.Done():
			return 0, ctx.Err()
		}
	}
	return h.last, known(h.err, "store frames of rig %d", rig)
}

// orderedLeg is a leg that frames speak of, and what they change.
type orderedLeg struct {
	ID        int64       `db:"id"`
	TrialID   int64       `db:"trial_id"`
	RigID     int64       `db:"-"`
	Order     string      `db:"order_id"`
	StartedMS *int64      `db:"started_ms"`
	Cores     JSON[[]int] `db:"cores"`
	Seconds   float64     `db:"seconds"`
	Moments   int64       `db:"moments"` // of telemetry, stored so far
	grew      bool        // Moments did
	seenS     float64
	limiters  *JSON[map[govern.Limiter]float64]
	events    map[verdict.EventKind]int // stored so far; nil where they were not counted yet
}

// What a leg's rig may tell of it: moments of telemetry a second, over the time that the leg may last, and events of each kind. An
// agent reads its sensors ten times a second at most, and as often tells what the cores have done.
const (
	momentsPerS = 25
	eventsEach  = 10_000
)

// room tells whether some more moments of a leg are stored.
func (l *orderedLeg) room(moments int) bool {
	l.Moments, l.grew = l.Moments+int64(moments), true
	return float64(l.Moments) <= momentsPerS*(max(l.Seconds, yardstick.MostS)+600)
}

type ingest struct {
	store *Store
	ctx   context.Context
	tx    *txn

	lasts    map[streamKey]uint64
	legs     map[string]*orderedLeg // by their orders
	tails    []legTail              // what came in, in its order, not yet written
	readings map[int64]readings     // by rig
}

// streamKey names a stream of a rig.
type streamKey struct {
	Rig    int64  `db:"rig_id"`
	Stream string `db:"stream"`
}

// legTail is telemetry of a leg: portions of the same channels, which become one row.
type legTail struct {
	leg      *orderedLeg
	portions []*tail
	moments  int
}

// all stores what rigs hand over.
func (in *ingest) all(list []*handover) error {
	if err := in.lockStreams(list); err != nil {
		return err
	}
	if err := in.findLegs(list); err != nil {
		return err
	}
	in.readings = map[int64]readings{}
	for _, h := range list {
		if err := in.handover(h); err != nil {
			return err
		}
	}
	return in.finish()
}

// lockStreams reads up to where each stream is held.
func (in *ingest) lockStreams(list []*handover) error {
	var pairs []any
	for _, h := range list {
		pairs = append(pairs, h.rig, h.stream)
	}
	var rows []struct {
		streamKey
		Last uint64 `db:"last_seq"`
	}
	if err := in.tx.SelectContext(in.ctx, &rows, `SELECT rig_id, stream, last_seq FROM link_streams
		WHERE (rig_id, stream) IN (`+marks(len(list), "(?, ?)")+`) ORDER BY rig_id, stream FOR UPDATE`, pairs...); err != nil {
		return err
	}
	in.lasts = make(map[streamKey]uint64, len(rows))
	for _, r := range rows {
		in.lasts[r.streamKey] = r.Last
	}
	return nil
}

// marks repeats a placeholder.
func marks(n int, mark string) string {
	return strings.TrimSuffix(strings.Repeat(mark+", ", n), ", ")
}

// findLegs finds the legs that frames speak of, and holds them: one that is to be run anew meanwhile would else be told the end of its
// earlier run.
func (in *ingest) findLegs(list []*handover) error {
	in.legs = map[string]*orderedLeg{}
	for _, h := range list {
		for i := range h.frames {
			for _, order := range h.frames[i].Orders() {
				in.legs[order] = nil
			}
		}
	}
	if len(in.legs) == 0 {
		return nil
	}
	query, args, err := sqlx.In(`SELECT id, trial_id, order_id, started_ms, cores, seconds, moments FROM legs
		WHERE order_id IN (?) FOR UPDATE`, slices.Collect(maps.Keys(in.legs)))
	if err != nil {
		return err
	}
	var found []orderedLeg
	if err := in.tx.SelectContext(in.ctx, &found, query, args...); err != nil || len(found) == 0 {
		return err
	}
	trials := make([]int64, len(found))
	for i := range found {
		trials[i] = found[i].TrialID
	}
	if query, args, err = sqlx.In(`SELECT id, rig_id FROM trials WHERE id IN (?)`, trials); err != nil {
		return err
	}
	var of []struct {
		ID    int64 `db:"id"`
		RigID int64 `db:"rig_id"`
	}
	if err := in.tx.SelectContext(in.ctx, &of, query, args...); err != nil {
		return err
	}
	rigs := map[int64]int64{}
	for _, t := range of {
		rigs[t.ID] = t.RigID
	}
	for i := range found {
		found[i].RigID = rigs[found[i].TrialID]
	}
	for i := range found {
		in.legs[found[i].Order] = &found[i]
	}
	return nil
}

// leg returns the leg of an order, nil if the rig has none such: its report is then passed over.
func (in *ingest) leg(rig int64, order string) *orderedLeg {
	if l := in.legs[order]; l != nil && l.RigID == rig {
		return l
	}
	return nil
}

// handover stores what one rig hands over.
func (in *ingest) handover(h *handover) error {
	h.err = nil
	key := streamKey{h.rig, h.stream}
	last, known := in.lasts[key]
	if !known {
		h.err = sql.ErrNoRows
		return nil
	}
	h.last = last
	fresh := h.frames
	for len(fresh) > 0 && fresh[0].Seq <= last {
		fresh = fresh[1:]
	}
	for i := range fresh {
		if want := last + 1 + uint64(i); fresh[i].Seq != want {
			h.err = fmt.Errorf("frame %d after %d: %w", fresh[i].Seq, want-1, ErrGap)
			return nil
		}
	}
	for i := range fresh {
		if err := in.frame(h.rig, &fresh[i]); err != nil {
			return fmt.Errorf("frame %d of rig %d: %w", fresh[i].Seq, h.rig, err)
		}
		h.last = fresh[i].Seq
	}
	in.lasts[key] = h.last
	return nil
}

func (in *ingest) exec(query string, args ...any) error {
	_, err := in.tx.ExecContext(in.ctx, query, args...)
	return err
}

func (in *ingest) frame(rig int64, f *link.Frame) error {
	if f.Started != nil || f.Finished != nil || len(f.Events) > 0 {
		in.tx.tell(TopicTrial, rig, 0)
	}
	if f.Started != nil {
		if l := in.leg(rig, f.Started.Order); l != nil {
			at := f.Started.At
			l.StartedMS = &at
			if err := in.exec(`UPDATE legs SET started_ms = ?, state = IF(state = ?, ?, state) WHERE id = ?`, at, LegOrdered, LegRunning,
				l.ID); err != nil {
				return err
			}
		}
	}
	for _, e := range f.Events {
		l := in.leg(rig, e.Order)
		if l == nil {
			continue
		}
		l.seenS = max(l.seenS, e.AtS)
		takes, err := in.takesEvent(l, e.Kind)
		if err != nil {
			return err
		}
		if !takes {
			continue
		}
		if err := in.exec(`INSERT INTO events (leg_id, kind, at_s, core, injected, note) VALUES (?, ?, ?, ?, ?, ?)`, l.ID, e.Kind, e.AtS,
			e.Core, e.Injected, cut(e.Text, maxNote)); err != nil {
			return err
		}
	}
	if f.Samples != nil {
		in.samples(rig, f.Samples)
	}
	in.progress(rig, f.Progress)
	if x := f.Limiters; x != nil {
		if l := in.leg(rig, x.Order); l != nil {
			seconds := AsJSON(x.Seconds)
			l.limiters = &seconds
		}
	}
	if x := f.Finished; x != nil {
		if l := in.leg(rig, x.Order); l != nil {
			l.seenS = max(l.seenS, x.RanS)
			return in.exec(`UPDATE legs SET finished = ? WHERE id = ?`, AsJSON(*x), l.ID)
		}
	}
	return nil
}

// takesEvent counts one more event of a leg, and tells whether it is stored.
func (in *ingest) takesEvent(l *orderedLeg, kind verdict.EventKind) (bool, error) {
	if l.events == nil {
		var rows []struct {
			Kind verdict.EventKind `db:"kind"`
			N    int               `db:"n"`
		}
		if err := in.tx.SelectContext(in.ctx, &rows, `SELECT kind, COUNT(*) AS n FROM events WHERE leg_id = ? GROUP BY kind`, l.ID); err != nil {
			return false, err
		}
		l.events = map[verdict.EventKind]int{}
		for _, r := range rows {
			l.events[r.Kind] = r.N
		}
	}
	l.events[kind]++
	return l.events[kind] <= eventsEach, nil
}

func (in *ingest) samples(rig int64, s *link.Samples) {
	if in.readings[rig] == nil {
		in.readings[rig] = readings{}
	}
	in.readings[rig].add(s)
	l := in.leg(rig, s.Order)
	if l == nil || len(s.At) == 0 {
		return
	}
	if l.StartedMS != nil {
		l.seenS = max(l.seenS, float64(s.At[len(s.At)-1]-*l.StartedMS)/1000)
	}
	if len(s.Channels) > 0 && l.room(len(s.At)) {
		in.tail(l, &tail{s.At, s.Channels, withGaps(s.Values)})
	}
}

// progress stores work counts as channels of their own.
func (in *ingest) progress(rig int64, list []link.Progress) {
	byOrder := map[string]*tail{}
	for _, p := range list {
		l := in.leg(rig, p.Order)
		if l == nil || l.StartedMS == nil || len(p.Count) != len(l.Cores.V) || !l.room(1) {
			continue
		}
		t := byOrder[p.Order]
		if t == nil {
			t = &tail{Values: make([][]float64, len(p.Count))}
			for _, core := range l.Cores.V {
				t.Channels = append(t.Channels, channel.At(channel.Work, core))
			}
			byOrder[p.Order] = t
		}
		t.At = append(t.At, *l.StartedMS+int64(p.AtS*1000))
		for i := range p.Count {
			t.Values[i] = append(t.Values[i], p.Count[i])
		}
		l.seenS = max(l.seenS, p.AtS)
	}
	for order, t := range byOrder {
		in.tail(in.legs[order], t)
	}
}

// tail gathers telemetry.
func (in *ingest) tail(leg *orderedLeg, t *tail) {
	for i := len(in.tails) - 1; i >= 0; i-- {
		if last := &in.tails[i]; last.leg == leg && slices.Equal(last.portions[0].Channels, t.Channels) {
			last.portions, last.moments = append(last.portions, t), last.moments+len(t.At)
			return
		}
	}
	in.tails = append(in.tails, legTail{leg, []*tail{t}, len(t.At)})
}

// directMoments is from how many moments on a portion, such as what a rig kept while the server was away, is packed at
// once.
const directMoments = 300

func (in *ingest) direct(t legTail) error {
	var channels JSON[[]channel.Channel]
	if err := in.tx.GetContext(in.ctx, &channels, `SELECT channels FROM rigs WHERE id = ?`, t.leg.RigID); err != nil {
		return err
	}
	return in.store.insertBlocks(in.ctx, in.tx, t.leg.ID, samplesOf(t.portions, nil), Quanta(channels.V))
}

// statementBytes is how much telemetry goes into the database in one statement; MariaDB takes 16 MB by default.
const statementBytes = 1 << 20

// finish stores the telemetry, how far each leg was seen, what that does to the rigs' watches, and up to where streams are held.
func (in *ingest) finish() error {
	if err := in.insertTails(); err != nil {
		return err
	}
	if err := in.noteLegs(); err != nil {
		return err
	}
	if err := stepWatches(in.ctx, in.tx, in.readings); err != nil {
		return err
	}
	var rows []any
	for key, last := range in.lasts {
		rows = append(rows, key.Rig, key.Stream, last)
	}
	if len(rows) == 0 {
		return nil
	}
	return in.exec(`INSERT INTO link_streams (rig_id, stream, last_seq) VALUES `+marks(len(in.lasts), "(?, ?, ?)")+`
		ON DUPLICATE KEY UPDATE last_seq = VALUES(last_seq), used_at = UTC_TIMESTAMP(6)`, rows...)
}

// insertTails stores the telemetry, long portions packed at once.
func (in *ingest) insertTails() error {
	var rows []any
	bytes := 0
	flush := func() error {
		if len(rows) == 0 {
			return nil
		}
		err := in.exec(`INSERT INTO telemetry_tail (leg_id, body) VALUES `+marks(len(rows)/2, "(?, ?)"), rows...)
		rows, bytes = nil, 0
		return err
	}
	for _, t := range in.tails {
		if t.moments >= directMoments {
			if err := in.direct(t); err != nil {
				return err
			}
			continue
		}
		body := joined(t.portions).encode()
		if bytes+len(body) > statementBytes {
			if err := flush(); err != nil {
				return err
			}
		}
		rows, bytes = append(rows, t.leg.ID, body), bytes+len(body)
	}
	return flush()
}

// noteLegs notes how far each leg was seen, and what limited its clocks.
func (in *ingest) noteLegs() error {
	var seen, moments, limits strings.Builder
	var seenArgs, momentArgs, limitArgs, ids []any
	for _, l := range in.legs {
		if l == nil || l.seenS == 0 && l.limiters == nil && !l.grew {
			continue
		}
		ids = append(ids, l.ID)
		seen.WriteString(" WHEN ? THEN ?")
		seenArgs = append(seenArgs, l.ID, l.seenS)
		moments.WriteString(" WHEN ? THEN ?")
		momentArgs = append(momentArgs, l.ID, l.Moments)
		if l.limiters != nil {
			limits.WriteString(" WHEN ? THEN ?")
			limitArgs = append(limitArgs, l.ID, *l.limiters)
		}
	}
	if len(ids) == 0 {
		return nil
	}
	query := `UPDATE legs SET seen_s = GREATEST(seen_s, CASE id` + seen.String() + ` END), moments = CASE id` + moments.String() + ` END`
	args := append(seenArgs, momentArgs...)
	if len(limitArgs) > 0 {
		query += `, limiters = COALESCE(CASE id` + limits.String() + ` END, limiters)`
		args = append(args, limitArgs...)
	}
	return in.exec(query+` WHERE id IN (`+marks(len(ids), "?")+`)`, append(args, ids...)...)
}

// What columns hold, in characters: what a board or an agent says is cut to it.
const (
	maxNote    = 500
	maxVersion = 80
)

// cut makes a text fit for a column of so many characters.
func cut(text string, most int) string {
	text = strings.ToValidUTF8(text, "?")
	if r := []rune(text); len(r) > most {
		return string(r[:most])
	}
	return text
}
