package cooling

import (
	"math"

	"zerokeel/core/heat"
	"zerokeel/core/series"
)

// Followed is how a fan would have followed a recorded temperature, taken as it was.
type Followed struct {
	Duty    []series.Sample
	Changes int     // times that it could be heard to turn faster or slower
	Mean    float64 // noise in dB(A) over the time
	Most    float64 // and the loudest
}

const (
	heardDB = 1.5    // by how much noise must rise or fall before that is heard
	gapMS   = 10_000 // after a longer time without a reading the fan is taken to have come to rest
)

// Follow tells how a fan would have followed a temperature under a control.
func Follow(c *heat.Control, samples []series.Sample, noise func(duty float64) float64) Followed {
	var out Followed
	var fan heat.Follower
	var last int64
	seconds, begun := 0.0, false
	var ways ways
	for _, s := range samples {
		if math.IsNaN(s.V) {
			continue
		}
		dt := float64(s.T-last) / 1000
		if !begun || s.T-last > gapMS {
			fan, dt = heat.Follower{C: s.V}, 0
			fan.Turn(c, seconds, true)
			begun = true
		} else {
			seconds += dt
			fan.Feel(c, s.V, dt)
			fan.Turn(c, seconds, false)
		}
		last = s.T
		out.Duty = append(out.Duty, series.Sample{T: s.T, V: fan.Duty})
		db := noise(fan.Duty)
		ways.take(db)
		out.Most = math.Max(out.Most, db)
		out.Mean += (db - out.Mean) / float64(len(out.Duty))
	}
	out.Changes = ways.n
	return out
}

// ways counts the ways up and down of a level that are longer than can be heard.
type ways struct {
	begun     bool
	low, high float64 // since the last turn
	up, down  bool    // the way that the level is on
	n         int
}

func (w *ways) take(x float64) {
	if !w.begun {
		w.begun, w.low, w.high = true, x, x
		return
	}
	w.low, w.high = math.Min(w.low, x), math.Max(w.high, x)
	switch {
	case !w.up && x-w.low >= heardDB:
		w.up, w.down, w.high = true, false, x
		w.n++
	case !w.down && w.high-x >= heardDB:
		w.up, w.down, w.low = false, true, x
		w.n++
	}
}

// Seen is for how many seconds a temperature was in each bin of width °C, from a multiple of it on.
type Seen struct {
	FromC   float64
	WidthC  float64
	Seconds []float64
}

// Add counts samples, each until the next, the last and those before a gap for a second.
func (s *Seen) Add(samples []series.Sample) {
	for i, x := range samples {
		if math.IsNaN(x.V) {
			continue
		}
		lasts := 1.0
		if i+1 < len(samples) && samples[i+1].T-x.T <= gapMS {
			lasts = float64(samples[i+1].T-x.T) / 1000
		}
		bin := int((x.V - s.FromC) / s.WidthC)
		if bin < 0 || x.V < s.FromC || bin > 200 {
			continue
		}
		for len(s.Seconds) <= bin {
			s.Seconds = append(s.Seconds, 0)
		}
		s.Seconds[bin] += lasts
	}
}
