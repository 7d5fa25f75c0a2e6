package server

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"net/http"
	"sync"
	"time"

	"github.com/labstack/echo/v5"

	"zerokeel/core/channel"
	"zerokeel/link"
	"zerokeel/live"
	"zerokeel/server/api"
)

// keepAlive is how often an idle event stream shows that it is alive.
const keepAlive = 15 * time.Second

// StreamEvents sends what changes to a page, until it leaves.
func (s *Server) StreamEvents(c *echo.Context) error {
	w := http.NewResponseController(c.Response())
	h := c.Response().Header()
	h.Set("Content-Type", "text/event-stream")
	h.Set("Cache-Control", "no-store")
	c.Response().WriteHeader(http.StatusOK)
	listener := s.bus.Listen()
	defer listener.Close()
	alive := time.NewTicker(keepAlive)
	defer alive.Stop()
	if _, err := fmt.Fprint(c.Response(), ": linked\n\n"); err != nil {
		return nil
	}
	for {
		if err := w.Flush(); err != nil {
			return nil // the page has gone
		}
		var m live.Message
		select {
		case <-c.Request().Context().Done():
			return nil
		case <-s.closed.Done():
			return nil
		case <-alive.C:
			_, _ = fmt.Fprint(c.Response(), ": alive\n\n")
			continue
		case m = <-listener.C:
		}
		if listener.TakeLost() {
			m = live.Message{Topic: "all"} // the page reads everything anew
		}
		text, err := json.Marshal(m)
		if err != nil {
			return fmt.Errorf("write an event: %w", err)
		}
		if _, err := fmt.Fprintf(c.Response(), "data: %s\n\n", text); err != nil {
			return nil
		}
	}
}

// vitals keeps the newest figures of each rig.
type vitals struct {
	mu   sync.Mutex
	rigs map[int64]map[string]float64
}

func newVitals() *vitals { return &vitals{rigs: map[int64]map[string]float64{}} }

// follow takes figures from the bus until the context ends.
func (v *vitals) follow(ctx context.Context, bus *live.Bus) {
	listener := bus.Listen()
	defer listener.Close()
	for {
		select {
		case <-ctx.Done():
			return
		case m := <-listener.C:
			if samples, ok := m.Data.(*link.Samples); ok {
				v.take(m.Rig, samples)
			}
		}
	}
}

func (v *vitals) take(rig int64, s *link.Samples) {
	v.mu.Lock()
	defer v.mu.Unlock()
	if v.rigs[rig] == nil {
		v.rigs[rig] = map[string]float64{}
	}
	for i, key := range s.Channels {
		for j := len(s.At) - 1; j >= 0; j-- {
			if p := s.Values[i][j]; p != nil {
				v.rigs[rig][key] = *p
				break
			}
		}
	}
}

// all returns the newest figures of a rig by channel.
func (v *vitals) all(rig int64) map[string]float64 {
	v.mu.Lock()
	defer v.mu.Unlock()
	return maps.Clone(v.rigs[rig])
}

// shown are the channels of a rig's strip, in order; the first three that the rig has are shown.
var shown = []string{channel.Temperature, channel.PackagePower, channel.DeliveredVoltage, channel.MeanClock, channel.MeanLoad}

const maxVitals = 3

func (v *vitals) of(rig int64, channels []channel.Channel) []api.Vital {
	v.mu.Lock()
	defer v.mu.Unlock()
	out := []api.Vital{}
	for _, key := range shown {
		value, ok := v.rigs[rig][key]
		if !ok || len(out) == maxVitals {
			continue
		}
		for _, c := range channels {
			if c.Key == key {
				out = append(out, api.Vital{Key: key, Label: c.Label, Unit: c.Unit, Value: value})
			}
		}
	}
	return out
}
