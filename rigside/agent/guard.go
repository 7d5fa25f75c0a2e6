package agent

import (
	"fmt"
	"runtime"
	"time"

	"golang.org/x/sys/unix"

	"zerokeel/core/channel"
	"zerokeel/core/verdict"
	"zerokeel/link"
	"zerokeel/rigside/sensors"
)

// hottestC ends every leg, whatever the order allows: no desktop processor is meant to work above it.
const hottestC = 110.0

// lostAfter is for how long the temperature may be away, and leastFreeMB the memory that a leg leaves to the rest of the
// machine.
const (
	lostAfter   = 5 * time.Second
	leastFreeMB = 400
)

// guard ends a leg before it does harm: the machine too hot, its temperature no longer seen, its memory used up.
type guard struct {
	temperature func() (float64, bool)
	freeMB      func() (float64, bool)
	abortC      float64
	seen        time.Time // the temperature, last; zero when it never was
}

func (a *agent) newGuard(o link.Order) *guard {
	g := &guard{temperature: a.hottest, freeMB: func() (float64, bool) { return sensors.FreeMB(a.cfg.Root) }, abortC: hottestC}
	if o.AbortC > 0 {
		g.abortC = min(g.abortC, o.AbortC)
	}
	if o.Sweep != nil {
		g.abortC = min(g.abortC, o.Sweep.MaxC)
	}
	return g
}

// look returns why the leg must end, if it must.
func (g *guard) look(now time.Time) (kind verdict.EventKind, why string) {
	if t, ok := g.temperature(); ok {
		g.seen = now
		if t >= g.abortC {
			return verdict.EventOverheated, fmt.Sprintf("%.1f °C reached, the leg may go to %.0f °C", t, g.abortC)
		}
	} else if !g.seen.IsZero() && now.Sub(g.seen) > lostAfter {
		return verdict.EventSensorLost, fmt.Sprintf("no temperature has been read for %.0f s", now.Sub(g.seen).Seconds())
	}
	if free, ok := g.freeMB(); ok && free < leastFreeMB {
		return verdict.EventLowMemory, fmt.Sprintf("%.0f MB of memory are left to the machine", free)
	}
	return "", ""
}

// hottest returns the highest temperature of the processor: the package's, or a core's; of a machine that tells neither,
// that of any zone.
func (a *agent) hottest() (float64, bool) {
	highest, found := 0.0, false
	for _, s := range a.sensors {
		if s.Quantity != "temperature" || !(s.Key == channel.Temperature || s.Core >= 0) {
			continue
		}
		if t, ok := s.Read(); ok && (!found || t > highest) {
			highest, found = t, true
		}
	}
	return highest, found
}

// usage measures what share of the machine other programs use.
type usage struct {
	stat func() (busy float64, ok bool)
	at   time.Time
	busy float64 // of the whole machine, s
	own  float64 // of this program, s
}

// ownSeconds returns the processor time that this program has used.
func ownSeconds() float64 {
	var u unix.Rusage
	if unix.Getrusage(unix.RUSAGE_SELF, &u) != nil {
		return 0
	}
	return time.Duration(u.Utime.Nano() + u.Stime.Nano()).Seconds()
}

func (a *agent) newUsage() *usage {
	u := &usage{stat: func() (float64, bool) { return sensors.BusySeconds(a.cfg.Root) }, at: time.Now(), own: ownSeconds()}
	u.busy, _ = u.stat()
	return u
}

// others returns the share since the start, 0 to 1.
func (u *usage) others() float64 {
	busy, ok := u.stat()
	span := time.Since(u.at).Seconds() * float64(runtime.NumCPU())
	if !ok || span <= 0 {
		return 0
	}
	return min(1, max(0, (busy-u.busy-(ownSeconds()-u.own))/span))
}
