package store

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"zerokeel/core/channel"
	"zerokeel/link"
)

// ErrGap reports frames that do not follow on those held; the rig is told the last one held and sends again.
var ErrGap = fmt.Errorf("frames are missing before these")

// Ingest stores frames of a stream, all or none, and returns the last one then held. Frames held already are passed
// over, so that sending again does no harm.
func (s *Store) Ingest(ctx context.Context, rig int64, stream string, frames []link.Frame) (uint64, error) {
	var last uint64
	err := s.withNumbers(ctx, func(tx *txn) error {
		if err := tx.GetContext(ctx, &last, `SELECT last_seq FROM link_streams WHERE rig_id = ? AND stream = ? FOR UPDATE`, rig,
			stream); err != nil {
			return err
		}
		in := ingest{store: s, ctx: ctx, tx: tx, rig: rig, legs: map[string]*orderedLeg{}}
		for _, f := range frames {
			if f.Seq <= last {
				continue
			}
			if f.Seq != last+1 {
				return fmt.Errorf("frame %d after %d: %w", f.Seq, last, ErrGap)
			}
			if err := in.frame(&f); err != nil {
				return fmt.Errorf("frame %d: %w", f.Seq, err)
			}
			last = f.Seq
		}
		if err := in.finish(); err != nil {
			return err
		}
		for i := range frames {
			if f := &frames[i]; f.Started != nil || f.Finished != nil || len(f.Events) > 0 {
				tx.tell(TopicTrial, rig, 0)
			}
		}
		_, err := tx.ExecContext(ctx, `UPDATE link_streams SET last_seq = ? WHERE rig_id = ? AND stream = ?`, last, rig, stream)
		return err
	})
	return last, known(err, "store frames of rig %d", rig)
}

// orderedLeg is a leg that frames speak of, and what they change.
type orderedLeg struct {
	ID        int64       `db:"id"`
	StartedMS *int64      `db:"started_ms"`
	Cores     JSON[[]int] `db:"cores"`
	seenS     float64
}

type ingest struct {
	store *Store
	ctx   context.Context
	tx    *txn
	rig   int64
	legs  map[string]*orderedLeg

	tails []legTail // what came in, in its order, not yet written
}

// legTail is telemetry of a leg: portions of the same channels, which become one row.
type legTail struct {
	leg      int64
	portions []*tail
	moments  int
}

// leg returns the leg of an order, nil if the rig has none such: its report is then passed over.
func (in *ingest) leg(order string) (*orderedLeg, error) {
	if order == "" {
		return nil, nil
	}
	if l, known := in.legs[order]; known {
		return l, nil
	}
	var found []orderedLeg
	if err := in.tx.SelectContext(in.ctx, &found, `SELECT l.id, l.started_ms, l.cores FROM legs l JOIN trials t ON t.id = l.trial_id
		WHERE l.order_id = ? AND t.rig_id = ?`, order, in.rig); err != nil {
		return nil, err
	}
	in.legs[order] = nil
	if len(found) == 1 {
		in.legs[order] = &found[0]
	}
	return in.legs[order], nil
}

func (in *ingest) exec(query string, args ...any) error {
	_, err := in.tx.ExecContext(in.ctx, query, args...)
	return err
}

func (in *ingest) frame(f *link.Frame) error {
	if f.Started != nil {
		l, err := in.leg(f.Started.Order)
		if err != nil {
			return err
		}
		if l != nil {
			at := f.Started.At
			l.StartedMS = &at
			if err := in.exec(`UPDATE legs SET started_ms = ?, state = IF(state = ?, ?, state) WHERE id = ?`, at, LegOrdered, LegRunning,
				l.ID); err != nil {
				return err
			}
		}
	}
	for _, e := range f.Events {
		l, err := in.leg(e.Order)
		if err != nil {
			return err
		}
		if l == nil {
			continue
		}
		l.seenS = max(l.seenS, e.AtS)
		if err := in.exec(`INSERT INTO events (leg_id, kind, at_s, core, injected, note) VALUES (?, ?, ?, ?, ?, ?)`, l.ID, e.Kind, e.AtS,
			e.Core, e.Injected, cut(e.Text, maxNote)); err != nil {
			return err
		}
	}
	if f.Samples != nil {
		if err := in.samples(f.Samples); err != nil {
			return err
		}
	}
	if err := in.progress(f.Progress); err != nil {
		return err
	}
	if x := f.Limiters; x != nil {
		l, err := in.leg(x.Order)
		if err != nil {
			return err
		}
		if l != nil {
			if err := in.exec(`UPDATE legs SET limiters = ? WHERE id = ?`, AsJSON(x.Seconds), l.ID); err != nil {
				return err
			}
		}
	}
	if x := f.Finished; x != nil {
		l, err := in.leg(x.Order)
		if err != nil {
			return err
		}
		if l != nil {
			l.seenS = max(l.seenS, x.RanS)
			if err := in.exec(`UPDATE legs SET finished = ? WHERE id = ?`, AsJSON(*x), l.ID); err != nil {
				return err
			}
		}
	}
	return nil
}

func (in *ingest) samples(s *link.Samples) error {
	l, err := in.leg(s.Order)
	if err != nil || l == nil || len(s.At) == 0 {
		return err
	}
	if l.StartedMS != nil {
		l.seenS = max(l.seenS, float64(s.At[len(s.At)-1]-*l.StartedMS)/1000)
	}
	if len(s.Channels) > 0 {
		in.tail(l.ID, &tail{s.At, s.Channels, withGaps(s.Values)})
	}
	return nil
}

// progress stores work counts as channels of their own.
func (in *ingest) progress(list []link.Progress) error {
	byOrder := map[string]*tail{}
	for _, p := range list {
		l, err := in.leg(p.Order)
		if err != nil {
			return err
		}
		if l == nil || l.StartedMS == nil || len(p.Count) != len(l.Cores.V) {
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
		in.tail(in.legs[order].ID, t)
	}
	return nil
}

// tail gathers telemetry.
func (in *ingest) tail(leg int64, t *tail) {
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
	if err := in.tx.GetContext(in.ctx, &channels, `SELECT channels FROM rigs WHERE id = ?`, in.rig); err != nil {
		return err
	}
	return in.store.insertBlocks(in.ctx, in.tx, t.leg, samplesOf(t.portions, nil), Quanta(channels.V))
}

// finish stores the telemetry, and how far each leg was seen.
func (in *ingest) finish() error {
	for _, t := range in.tails {
		if t.moments >= directMoments {
			if err := in.direct(t); err != nil {
				return err
			}
			continue
		}
		if err := in.exec(`INSERT INTO telemetry_tail (leg_id, body) VALUES (?, ?)`, t.leg, joined(t.portions).encode()); err != nil {
			return err
		}
	}
	for _, l := range in.legs {
		if l == nil || l.seenS == 0 {
			continue
		}
		if err := in.exec(`UPDATE legs SET seen_s = GREATEST(seen_s, ?) WHERE id = ?`, l.seenS, l.ID); err != nil {
			return err
		}
	}
	return nil
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
