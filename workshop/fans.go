package workshop

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"zerokeel/core/channel"
	"zerokeel/core/fan"
	"zerokeel/core/invalid"
	"zerokeel/core/part"
	"zerokeel/core/verdict"
	"zerokeel/link"
	"zerokeel/store"
)

// Header is one of a rig's, with what is known of what hangs on it.
type Header struct {
	Key     string
	Label   string
	Duty    string        // the channel that tells its duty
	Can     bool          // the rig can set it, and so learn what hangs on it
	Role    store.FanRole // empty while nobody said and nothing was learnt
	Learnt  *fan.Learnt   // nil where nothing is known
	Problem string        // why its last sweep told nothing
	Trial   int64         // of the sweep that it is known by; 0 where it was entered
	At      time.Time
}

// unswept is the header of the cooler's fan on a machine that cannot set one itself: what is known of it is entered.
var unswept = channel.At(channel.FanDuty, 1)

// Headers lists a rig's headers: those that it can set, those that something is known of, and at least that of the cooler's fan.
func (w *Workshop) Headers(ctx context.Context, rig int64) ([]Header, error) {
	if err := may(ctx, look, rig); err != nil {
		return nil, err
	}
	r, err := w.store.Rig(ctx, rig)
	if err != nil {
		return nil, err
	}
	return w.headers(ctx, r)
}

func (w *Workshop) headers(ctx context.Context, r *store.Rig) ([]Header, error) {
	fans, err := w.store.Fans(ctx, r.ID)
	if err != nil {
		return nil, err
	}
	set, err := w.store.PartSet(ctx, r)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return nil, err
	}
	var out []Header
	for _, h := range r.Headers.V {
		out = append(out, Header{Key: h.Key, Label: h.Label, Can: true})
	}
	for _, f := range fans {
		if !slices.ContainsFunc(out, func(h Header) bool { return h.Key == f.Header }) {
			out = append(out, Header{Key: f.Header, Label: f.Header})
		}
	}
	if len(out) == 0 {
		out = append(out, Header{Key: unswept, Label: "Fan header of the cooler"})
	}
	for i := range out {
		h := &out[i]
		h.Duty = dutyChannel(set, h.Key)
		for _, f := range fans {
			if f.Header != h.Key {
				continue
			}
			h.Role, h.Problem, h.Trial, h.At = f.Role, f.Problem, f.Trial.Int64, f.At
			if f.Learnt.Valid {
				h.Learnt = &f.Learnt.V
			}
		}
	}
	return out, nil
}

// dutyChannel returns the channel that a header's duty counts as, by the board's names of sensors.
func dutyChannel(set *part.Set, key string) string {
	if set == nil {
		return key
	}
	if to, mapped := set.Board.Sensors[key]; mapped {
		return to.Channel
	}
	return key
}

// pumpLeast is the duty, in percent, below which a sweep does not go where a pump may hang on the header.
const pumpLeast = 60

// SweepHeader begins a trial that learns what hangs on a header, while the machine rests. What may be a pump is slowed a little only.
func (w *Workshop) SweepHeader(ctx context.Context, rig int64, header string, pump bool) (*Trial, error) {
	if err := may(ctx, change, rig); err != nil {
		return nil, err
	}
	r, err := w.store.Rig(ctx, rig)
	if err != nil {
		return nil, err
	}
	at := slices.IndexFunc(r.Headers.V, func(h link.Header) bool { return h.Key == header })
	if at < 0 {
		return nil, invalid.List{{Field: "header", Problem: fmt.Sprintf("the rig cannot set the duty of %.60q", header),
			Remedy: "name one of /api/rigs/{rig}/headers that it can, or enter what the fan does"}}
	}
	least := 0.0
	if pump {
		least = pumpLeast
	}
	s := fan.Usual(header, least)
	name, seconds := "Sweep of "+r.Headers.V[at].Label, s.Seconds()
	return w.StartTrial(ctx, rig, Plan{Name: name, Purpose: store.PurposeSweep,
		Legs: []LegPlan{{Load: LoadIdle, Seconds: &seconds, Sweep: &s}}})
}

// LoadIdle is the load of a machine at rest.
const LoadIdle = LoadKind("idle")

// Swept takes in what a leg that swept a header showed.
func (w *Workshop) Swept(ctx context.Context, r *store.Rig, l *store.Leg, result verdict.Result, events []store.Event,
	samples channel.Samples) error {
	if err := may(ctx, change, r.ID); err != nil {
		return err
	}
	set, err := w.store.PartSet(ctx, r)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return err
	}
	s := &l.Sweep.V
	var learnt *fan.Learnt
	problem := ""
	if result.Verdict == verdict.Held {
		if learnt, err = s.Learn(l.StartedMS.Int64, samples, dutyChannel(set, s.Header)); err != nil {
			problem = err.Error()
		}
	} else {
		problem = "the sweep was cut off: " + whyCut(l, events)
	}
	return w.store.ChangeFan(ctx, r.ID, s.Header, func(f *store.Fan) error {
		f.Problem = problem
		if learnt == nil {
			if f.Role == "" {
				f.Role = store.FanNone
			}
			return nil
		}
		f.Learnt = store.AsJSON(*learnt)
		f.Trial.Int64, f.Trial.Valid = l.TrialID, true
		if f.Role == "" || f.Role == store.FanNone {
			f.Role = roleOf(r, s.Header, learnt)
		}
		return nil
	})
}

// whyCut says why a sweep did not run to its end.
func whyCut(l *store.Leg, events []store.Event) string {
	for _, e := range slices.Backward(events) {
		if e.LegID == l.ID && e.Note != "" {
			return e.Note
		}
	}
	return "the machine or its agent did not run on"
}

// roleOf is what a fan most likely is that was not known: the first header, or the one that the first fan answers to, is the cooler's.
func roleOf(r *store.Rig, header string, l *fan.Learnt) store.FanRole {
	switch {
	case l.Pump:
		return store.FanPump
	case l.Answers[0] == channel.At(channel.FanSpeed, 1), header == r.Headers.V[0].Key:
		return store.FanOfCooler
	}
	return store.FanOfCase
}

// FanChange says what changes of what is known of a header; nil leaves a thing as it is.
type FanChange struct {
	Role    *store.FanRole
	Entered *part.Fan // what the fan does, as a person read it: its duties and speeds
}

// ChangeFan changes what is known of a header.
func (w *Workshop) ChangeFan(ctx context.Context, rig int64, header string, in FanChange) ([]Header, error) {
	if err := may(ctx, change, rig); err != nil {
		return nil, err
	}
	r, err := w.store.Rig(ctx, rig)
	if err != nil {
		return nil, err
	}
	list, err := w.headers(ctx, r)
	if err != nil {
		return nil, err
	}
	var f invalid.List
	if !slices.ContainsFunc(list, func(h Header) bool { return h.Key == header }) {
		return nil, fmt.Errorf("header %.60q of rig %d: %w", header, rig, ErrNotFound)
	}
	if in.Role != nil && !slices.Contains(store.FanRoles, *in.Role) {
		f.Add("role", fmt.Sprintf("use one of %q", store.FanRoles), "%.20q is no role", *in.Role)
	}
	if in.Entered != nil {
		f = append(f, in.Entered.Validate()...)
	}
	if len(f) > 0 {
		return nil, f
	}
	if err := w.store.ChangeFan(ctx, rig, header, func(f *store.Fan) error {
		put(&f.Role, in.Role)
		if in.Entered != nil {
			f.Learnt, f.Problem = store.AsJSON(fan.Entered(*in.Entered)), ""
			f.Trial.Valid = false
		}
		if f.Role == "" {
			f.Role = store.FanOfCase
			if header == unswept {
				f.Role = store.FanOfCooler
			}
		}
		return nil
	}); err != nil {
		return nil, err
	}
	if r, err = w.store.Rig(ctx, rig); err != nil {
		return nil, err
	}
	return w.headers(ctx, r)
}
