package server

import (
	"fmt"
	"math"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/time/rate"
)

// limits bounds how often each of many does something. Who did nothing for longest is forgotten first.
type limits struct {
	every time.Duration
	burst int
	each  *lru.Cache[string, *rate.Limiter]
}

func newLimits(burst int, every time.Duration) *limits {
	each, err := lru.New[string, *rate.Limiter](keptLimits)
	if err != nil {
		panic(err) // only a size below one is refused
	}
	return &limits{every, burst, each}
}

// tooOften reports something that is done too often.
type tooOften struct{ wait time.Duration }

func (t *tooOften) Error() string {
	return fmt.Sprintf("This came too often; try again in %.0f s", math.Ceil(t.wait.Seconds()))
}

// take counts one more of somebody, or returns a tooOften.
func (l *limits) take(key string) error {
	of, known := l.each.Get(key)
	if !known {
		of = rate.NewLimiter(rate.Every(l.every), l.burst)
		if before, there, _ := l.each.PeekOrAdd(key, of); there {
			of = before
		}
	}
	r := of.Reserve()
	if wait := r.Delay(); wait > 0 {
		r.Cancel()
		return &tooOften{wait}
	}
	return nil
}

// forget lets somebody begin anew.
func (l *limits) forget(key string) { l.each.Remove(key) }
