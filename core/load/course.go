package load

import "math"

// phase is a part of the course of a transition load: who works, and for how long.
type phase struct {
	who who
	s   float64
}

type who int

const (
	nobody who = iota
	everybody
	half  // every other core, by turns with the rest
	alone // one core, the next one in each cycle
)

// course is one cycle of a transition load on a real machine: bursts from milliseconds to a second, after pauses as
// short and as long. Everybody works in each cycle, so a core that stands still for longer than a cycle has dropped.
var course = []phase{
	{everybody, 0.005}, {nobody, 0.005}, {everybody, 0.020}, {nobody, 0.010}, {alone, 0.080}, {nobody, 0.080},
	{everybody, 0.080}, {nobody, 0.300}, {half, 0.150}, {nobody, 0.020}, {half, 0.020}, {nobody, 0.150},
	{everybody, 0.350}, {alone, 0.120}, {everybody, 0.002}, {nobody, 0.900}, {everybody, 0.900}, {nobody, 0.040},
}

// CycleS is the length of a cycle in seconds.
var CycleS = func() float64 {
	total := 0.0
	for _, p := range course {
		total += p.s
	}
	return total
}()

// Burst tells whether the core at a place, of several, works at t seconds after the start of a transition load, and for
// how many seconds that stays so.
func Burst(t float64, place, of int) (works bool, forS float64) {
	cycle := math.Floor(t / CycleS)
	t -= cycle * CycleS
	for i, p := range course {
		if t < p.s || i == len(course)-1 {
			switch turn := int(cycle); p.who {
			case everybody:
				works = true
			case half:
				works = (place+turn+i/2)%2 == 0
			case alone:
				works = turn%of == place
			}
			return works, max(0, p.s-t)
		}
		t -= p.s
	}
	return false, 0
}
