package volt

import "math"

// Band is a curve offset at one clock, in volts, when cold and when hot.
type Band struct {
	MHz, ColdV, HotV float64
}

// Bands are curve offsets over clock and temperature: given at some clocks, cold and hot, and blended in straight lines
// between them, level outside. Clocks rise strictly.
type Bands struct {
	At          []Band
	ColdC, HotC float64
}

// ColdHot returns the offset at a clock when cold and when hot, in volts.
func (b *Bands) ColdHot(mhz float64) (cold, hot float64) {
	n := len(b.At)
	switch {
	case n == 0:
		return 0, 0
	case mhz <= b.At[0].MHz:
		return b.At[0].ColdV, b.At[0].HotV
	}
	for i := 1; i < n; i++ {
		if low, high := b.At[i-1], b.At[i]; mhz <= high.MHz {
			x := (mhz - low.MHz) / (high.MHz - low.MHz)
			return low.ColdV + x*(high.ColdV-low.ColdV), low.HotV + x*(high.HotV-low.HotV)
		}
	}
	return b.At[n-1].ColdV, b.At[n-1].HotV
}

// Warmth returns where a temperature stands between cold (0) and hot (1).
func Warmth(c, coldC, hotC float64) float64 {
	if hotC <= coldC {
		return 0
	}
	return math.Min(1, math.Max(0, (c-coldC)/(hotC-coldC)))
}

// Corridor holds a request between a floor and a ceiling, each of which runs straight from its value at a cold temperature to
// that at a hot one. It moves the request by no more than Reach, so that it leaves off smoothly where it reaches no further. The
// zero Corridor holds nothing.
type Corridor struct {
	On             bool
	Floor, Ceiling Edge
	Reach          float64 // V
}

// Edge is the floor or the ceiling of a corridor: level up to ColdC and from HotC on.
type Edge struct {
	ColdC, HotC float64
	Cold, Hot   float64 // V
}

// At returns the edge at a temperature, in volts.
func (e *Edge) At(temperatureC float64) float64 {
	return e.Cold + Warmth(temperatureC, e.ColdC, e.HotC)*(e.Hot-e.Cold)
}

// Bounds returns floor and ceiling at a temperature.
func (c *Corridor) Bounds(temperatureC float64) (floor, ceiling float64) {
	return c.Floor.At(temperatureC), c.Ceiling.At(temperatureC)
}

// Hold returns the request as the corridor lets it pass at a temperature. The floor wins over a ceiling below it.
func (c *Corridor) Hold(request, temperatureC float64) float64 {
	if !c.On {
		return request
	}
	floor, ceiling := c.Bounds(temperatureC)
	held := math.Max(floor, math.Min(ceiling, request))
	return request + math.Min(c.Reach, math.Max(-c.Reach, held-request))
}

// Adapt returns the request of adaptive mode at a clock: the curve's own up to the highest fused clock, above it in a
// straight line to target at topMHz.
func Adapt(curveV, mhz, fusedTopMHz, fusedTopV, topMHz, target float64) float64 {
	if mhz <= fusedTopMHz || topMHz <= fusedTopMHz {
		return curveV
	}
	return fusedTopV + (target-fusedTopV)*math.Min(1, (mhz-fusedTopMHz)/(topMHz-fusedTopMHz))
}
