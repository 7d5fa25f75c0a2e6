package workshop

import (
	"math"
	"time"

	"zerokeel/core/columns"
)

// recordingClock brings the times of a recording to the rig's clock, in ms since 1970 UTC.
type recordingClock struct {
	layout      *columns.Layout
	origin, end int64 // of the trial
	first       int64 // of the log's first line, before shifting
	shift       int64
	zero, last  int64 // of a clock that counts from some start, or a time of day: its first line, and the newest one
	begun       bool
	days        int64
}

const dayMS = 86_400_000

func (c *recordingClock) at(cells []string) (int64, error) {
	at, relative, err := c.layout.At(cells)
	if err != nil {
		return 0, err
	}
	if !relative {
		return at.UnixMilli() + c.shift, nil
	}
	if c.layout.Clock != columns.Stamp { // its first line lies at the trial's start
		if !c.begun {
			c.begun, c.zero = true, at.UnixMilli()
		}
		return c.origin + at.UnixMilli() - c.zero + c.shift, nil
	}
	midnight := c.origin - c.origin%dayMS
	ofDay := at.Sub(time.Date(at.Year(), 1, 1, 0, 0, 0, 0, time.UTC)).Milliseconds()
	if c.begun && ofDay < c.last-dayMS/2 {
		c.days++
	}
	c.begun, c.last = true, ofDay
	return midnight + c.days*dayMS + ofDay + c.shift, nil
}

// proposed returns by how many seconds the log is shifted if nobody says otherwise: when it begins after the trial's end, or
// more than a day before its start, it is taken for one from another time zone, or from a clock that is wrong.
func (c *recordingClock) proposed() float64 {
	const quarter = 900_000
	off := c.first - c.origin
	switch {
	case c.first == 0, c.first <= c.end && off > -dayMS:
		return 0
	case math.Abs(float64(off)) < 15*3600*1000: // whole quarters of an hour, as zones are
		return -math.Round(float64(off)/quarter) * quarter / 1000
	}
	return -float64(off) / 1000
}
