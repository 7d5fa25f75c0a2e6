package agent

import (
	"fmt"
	"log/slog"
	"slices"
	"time"

	"zerokeel/core/fan"
	"zerokeel/rigside/headers"
)

// swept is a header whose duty a leg takes through a sweep. A nil one does nothing.
type swept struct {
	sweep fan.Sweep
	set   func(duty float64) error
	back  func() error
	duty  float64 // that is set; below 0 for none yet
	log   *slog.Logger
}

// newSwept takes the header of a sweep from the board. A machine that is warm, or that does not tell how warm it is, is refused: its fan is
// about to stop.
func (a *agent) newSwept(s *fan.Sweep) (*swept, error) {
	if s == nil {
		return nil, nil
	}
	at := slices.IndexFunc(a.headers, func(h headers.Header) bool { return h.Key == s.Header })
	if at < 0 {
		return nil, fmt.Errorf("the duty of %.60q cannot be set on this machine; its agent needs to run as root, and the kernel a driver of the board's fan headers", s.Header)
	}
	switch c, ok := a.hottest(); {
	case !ok:
		return nil, fmt.Errorf("the machine does not tell its temperature, and its fans are not slowed without; load the driver of its sensor")
	case c > fan.BeginC:
		return nil, fmt.Errorf("the processor is at %.0f °C, and fans are slowed below %.0f °C only; let it cool down first", c, fan.BeginC)
	}
	set, back, err := a.keeper.Take(a.headers[at])
	if err != nil {
		return nil, err
	}
	return &swept{*s, set, back, -1, a.cfg.Log}, nil
}

// follow sets the duty that belongs to a moment since the start.
func (s *swept) follow(since time.Duration) error {
	if s == nil {
		return nil
	}
	if duty := s.sweep.At(since.Seconds()); duty != s.duty {
		s.duty = duty
		return s.set(duty)
	}
	return nil
}

// end gives the header back to the board.
func (s *swept) end() {
	if s == nil {
		return
	}
	if err := s.back(); err != nil {
		s.log.Error("a fan header is not given back to the board; restart the machine", "error", err)
	}
}
