package govern_test

import (
	"math"
	"testing"

	"zerokeel/core/govern"
)

func TestHighestAgainstSearchFromBelow(t *testing.T) {
	for limit := -1; limit <= 40; limit++ {
		keeps := func(bin int) govern.Limiter {
			if bin > limit {
				return govern.SustainedPower
			}
			return govern.None
		}
		got, why := govern.Highest(40, keeps)
		want, reason := max(0, limit), govern.SustainedPower
		if limit == 40 {
			reason = govern.Ratio
		}
		if got != want || why != reason {
			t.Errorf("limit %d: got bin %d held by %s, want %d held by %s", limit, got, why, want, reason)
		}
	}
}

func TestBreaksNamesTheLimit(t *testing.T) {
	c := govern.Ceiling{PPTW: 142, TDCA: 125, EDCA: 180, TemperatureC: 95}
	keeps := govern.Reading{PowerW: 142, Amps: 180, SustainedA: 125, HottestC: 93.9}
	rows := []struct {
		name   string
		change func(*govern.Reading)
		want   govern.Limiter
	}{
		{"at every limit", func(*govern.Reading) {}, govern.None},
		{"power", func(r *govern.Reading) { r.PowerW += 0.1 }, govern.SustainedPower},
		{"sustained current", func(r *govern.Reading) { r.SustainedA += 0.1 }, govern.SustainedCurrent},
		{"peak current", func(r *govern.Reading) { r.Amps += 0.1 }, govern.PeakCurrent},
		{"temperature at the highest clock", func(r *govern.Reading) { r.HottestC = 94.1 }, govern.Temperature},
	}
	for _, row := range rows {
		r := keeps
		row.change(&r)
		if got := c.Breaks(r, 1, 0); got != row.want {
			t.Errorf("%s: got %s, want %s", row.name, got, row.want)
		}
	}
	hot := keeps
	hot.HottestC = 94.9
	if got := c.Breaks(hot, 0, 0); got != govern.None {
		t.Errorf("at the lowest clock the limit itself counts: got %s", got)
	}
	c.TemperatureC = math.Inf(1)
	hot.HottestC = 300
	if got := c.Breaks(hot, 1, 0); got != govern.None {
		t.Errorf("without a temperature limit: got %s", got)
	}
}

func TestFilterTakesItsTime(t *testing.T) {
	f := govern.Filter{}
	for range 500 {
		f.Step(100, 0.01, 5)
	}
	if want := 100 * (1 - math.Exp(-1)); math.Abs(f.Value-want) > 1e-9 {
		t.Errorf("after one time constant: got %.6f, want %.6f", f.Value, want)
	}
}
