package server

import (
	"encoding/json"
	"fmt"
	"net/http"
	"time"

	"github.com/labstack/echo/v5"

	"zerokeel/live"
	"zerokeel/workshop"
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
	listener := s.shop.Bus().Listen()
	defer listener.Close()
	alive := time.NewTicker(keepAlive)
	defer alive.Stop()
	if _, err := fmt.Fprint(c.Response(), ": linked\n\n"); err != nil {
		return nil
	}
	if now := s.shop.Trouble(); now.Why != "" {
		if err := writeEvent(c, live.Message{Topic: workshop.TopicTrouble, Data: now}); err != nil {
			return nil
		}
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
			if !s.still(c.Request().Context(), c.Request()) {
				return nil // whoever reads it is logged in no longer
			}
			_, _ = fmt.Fprint(c.Response(), ": alive\n\n")
			continue
		case m = <-listener.C:
		}
		if listener.TakeLost() {
			m = live.Message{Topic: live.All} // the page reads everything anew
		}
		if err := writeEvent(c, m); err != nil {
			return nil
		}
	}
}

func writeEvent(c *echo.Context, m live.Message) error {
	text, err := json.Marshal(m)
	if err != nil {
		return fmt.Errorf("write an event: %w", err)
	}
	_, err = fmt.Fprintf(c.Response(), "data: %s\n\n", text)
	return err
}
