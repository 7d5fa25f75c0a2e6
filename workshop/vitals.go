package workshop

import (
	"context"
	"database/sql"
	"encoding/json"
	"maps"
	"sync"
	"time"

	"zerokeel/core/channel"
	"zerokeel/link"
	"zerokeel/live"
	"zerokeel/store"
)

// beatEvery is the time between two beats of vitals: often enough that a figure is on the page within a second.
const beatEvery = 500 * time.Millisecond

// shown are the channels of a rig's strip, in order; the first maxVitals that the rig has are shown.
var shown = []string{channel.Temperature, channel.PackagePower, channel.DeliveredVoltage, channel.MeanLoad}

const maxVitals = 3

// Vital is one of the few figures by which a rig is watched, put right.
type Vital struct {
	Key   string  `json:"key"`
	Label string  `json:"label"`
	Unit  string  `json:"unit"`
	Value float64 `json:"value"`
}

// RigVitals are the vitals of a rig, and the number of the frame that told them.
type RigVitals struct {
	Rig    int64   `json:"rig"`
	Seq    uint64  `json:"seq"`
	AtMS   int64   `json:"atMS"` // on the rig's clock
	Vitals []Vital `json:"vitals"`
}

// Beat is one beat of the vitals of all rigs that told something since the one before, as one process told it.
type Beat struct {
	By   string      `json:"-"`
	Rigs []RigVitals `json:"rigs"`
}

// beatBody is a beat as it stands in the outbox.
type beatBody struct {
	By   string      `json:"by"`
	Rigs []RigVitals `json:"rigs"`
}

// UnmarshalJSON reads a beat from the outbox.
func (b *Beat) UnmarshalJSON(text []byte) error {
	var body beatBody
	if err := json.Unmarshal(text, &body); err != nil {
		return err
	}
	b.By, b.Rigs = body.By, body.Rigs
	return nil
}

// vitals keeps the newest figures of each rig. Of the rigs linked here it has every channel, of others their vitals.
type vitals struct {
	mu   sync.Mutex
	rigs map[int64]*newest
}

type newest struct {
	values map[string]float64 // by channel, as they were read
	told   RigVitals
	fresh  bool      // told something since the last beat
	heard  time.Time // when another process told something of it
	// What the values are put right and named by, as of the link.
	channels []channel.Channel
	right    Right
}

func (v *vitals) of(rig int64) *newest {
	if v.rigs == nil {
		v.rigs = map[int64]*newest{}
	}
	if v.rigs[rig] == nil {
		v.rigs[rig] = &newest{values: map[string]float64{}}
	}
	return v.rigs[rig]
}

// linked notes what a rig's figures are named and put right by.
func (v *vitals) linked(rig int64, channels []channel.Channel, right Right) {
	v.mu.Lock()
	defer v.mu.Unlock()
	n := v.of(rig)
	n.channels, n.right = channels, right
}

// take takes in the newest figures of frames.
func (v *vitals) take(rig int64, frames []link.Frame) {
	v.mu.Lock()
	defer v.mu.Unlock()
	n := v.of(rig)
	for f := range frames {
		s := frames[f].Samples
		if s == nil || len(s.At) == 0 {
			continue
		}
		n.fresh, n.told.Seq, n.told.AtMS = true, frames[f].Seq, s.At[len(s.At)-1]
		for i, key := range s.Channels {
			for j := len(s.At) - 1; j >= 0; j-- {
				if p := s.Values[i][j]; p != nil {
					n.values[key] = *p
					break
				}
			}
		}
	}
}

// beat gathers the vitals of the rigs that told something since the last beat.
func (v *vitals) beat() []RigVitals {
	v.mu.Lock()
	defer v.mu.Unlock()
	var out []RigVitals
	for rig, n := range v.rigs {
		if !n.fresh {
			continue
		}
		n.fresh = false
		n.told.Rig, n.told.Vitals = rig, n.shown()
		out = append(out, n.told)
	}
	return out
}

func (n *newest) shown() []Vital {
	out := []Vital{}
	for _, key := range shown {
		value, ok := n.values[key]
		if !ok || len(out) == maxVitals {
			continue
		}
		for _, c := range n.channels {
			if c.Key == key {
				out = append(out, Vital{Key: key, Label: c.Label, Unit: c.Unit, Value: n.right.Of(key).Apply(value)})
			}
		}
	}
	return out
}

// takeBeat takes in the vitals of rigs that are linked to another process.
func (v *vitals) takeBeat(b *Beat) {
	v.mu.Lock()
	defer v.mu.Unlock()
	now := time.Now()
	for _, one := range b.Rigs {
		n := v.of(one.Rig)
		n.told, n.heard = one, now
	}
}

// elsewhere lists when each rig was heard last that is, or was, linked to another process.
func (v *vitals) elsewhere() []time.Time {
	v.mu.Lock()
	defer v.mu.Unlock()
	var out []time.Time
	for _, n := range v.rigs {
		if !n.heard.IsZero() {
			out = append(out, n.heard)
		}
	}
	return out
}

// last returns the vitals of a rig as they were told last.
func (v *vitals) last(rig int64) []Vital {
	v.mu.Lock()
	defer v.mu.Unlock()
	n := v.rigs[rig]
	if n == nil {
		return []Vital{}
	}
	if n.told.Vitals == nil || n.fresh {
		return n.shown()
	}
	return n.told.Vitals
}

// all returns the newest figures of a rig that is linked here, as they were read, by channel.
func (v *vitals) all(rig int64) map[string]float64 {
	v.mu.Lock()
	defer v.mu.Unlock()
	if n := v.rigs[rig]; n != nil {
		return maps.Clone(n.values)
	}
	return nil
}

// value returns the newest figure of a channel.
func (v *vitals) value(rig int64, key string) (float64, bool) {
	v.mu.Lock()
	defer v.mu.Unlock()
	if n := v.rigs[rig]; n != nil {
		x, ok := n.values[key]
		return x, ok
	}
	return 0, false
}

// NewestTemperature returns the processor's newest temperature on a rig that is linked here, as it was read.
func (w *Workshop) NewestTemperature(rig int64) (float64, bool) {
	return w.vitals.value(rig, channel.Temperature)
}

// LastVitals returns what a rig that is or was linked here showed last.
func (w *Workshop) LastVitals(rig int64) []Vital { return w.vitals.last(rig) }

// tellVitals tells the vitals of the rigs linked here, to this process's pages at once, and to those of others through the
// outbox, until the context ends.
func (w *Workshop) tellVitals(ctx context.Context) error {
	tick := time.NewTicker(beatEvery)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return nil
		case <-tick.C:
		}
		rigs := w.vitals.beat()
		if len(rigs) == 0 {
			continue
		}
		w.bus.Publish(live.Message{Topic: store.TopicVitals, Data: &Beat{By: w.me, Rigs: rigs}})
		text, err := json.Marshal(beatBody{w.me, rigs})
		if err == nil {
			err = w.store.Tell(ctx, store.News{Topic: store.TopicVitals, Body: sql.NullString{String: string(text), Valid: true}})
		}
		if err != nil && ctx.Err() == nil {
			w.log.Warn("vitals could not be told to other processes", "error", err)
		}
	}
}
