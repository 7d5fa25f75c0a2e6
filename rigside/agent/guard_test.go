package agent

import (
	"testing"
	"time"

	"zerokeel/core/verdict"
)

// TestGuardEndsALegBeforeHarm follows a guard through readings a second apart.
func TestGuardEndsALegBeforeHarm(t *testing.T) {
	type reading struct{ t, freeMB float64 } // 0 for none
	for _, row := range []struct {
		name     string
		abortC   float64
		readings []reading
		want     verdict.EventKind
		at       int
	}{
		{"all well", 95, []reading{{60, 4000}, {94.9, 4000}, {80, 4000}}, "", 0},
		{"too hot", 95, []reading{{60, 4000}, {95, 4000}}, verdict.EventOverheated, 1},
		{"no temperature ever", 95, []reading{{0, 4000}, {0, 4000}, {0, 4000}, {0, 4000}, {0, 4000}, {0, 4000}, {0, 4000}, {0, 4000}}, "", 0},
		{"temperature lost", 95, []reading{{60, 4000}, {0, 4000}, {0, 4000}, {0, 4000}, {0, 4000}, {0, 4000}, {0, 4000}},
			verdict.EventSensorLost, 6},
		{"temperature away for a moment", 95, []reading{{60, 4000}, {0, 4000}, {0, 4000}, {0, 4000}, {61, 4000}, {0, 4000}, {0, 4000}}, "", 0},
		{"memory used up", 95, []reading{{60, 4000}, {60, 399}}, verdict.EventLowMemory, 1},
	} {
		var now reading
		g := &guard{abortC: row.abortC, temperature: func() (float64, bool) { return now.t, now.t != 0 },
			freeMB: func() (float64, bool) { return now.freeMB, now.freeMB != 0 }}
		var kind verdict.EventKind
		at := 0
		for at, now = range row.readings {
			if kind, _ = g.look(time.Unix(int64(at), 0)); kind != "" {
				break
			}
		}
		if kind != row.want || kind != "" && at != row.at {
			t.Errorf("%s: %q at %d, want %q at %d", row.name, kind, at, row.want, row.at)
		}
	}
}

// TestOthersAreCounted: what the machine worked beyond this program is others' work.
func TestOthersAreCounted(t *testing.T) {
	busy := 1000.0
	u := &usage{stat: func() (float64, bool) { return busy, true }, at: time.Now().Add(-time.Hour), busy: busy, own: ownSeconds()}
	if got := u.others(); got > 0.001 {
		t.Errorf("nobody else worked, and it says %g", got)
	}
	busy += 1e9
	if got := u.others(); got != 1 {
		t.Errorf("everything was used by others, and it says %g", got)
	}
	u.stat = func() (float64, bool) { return 0, false }
	if got := u.others(); got != 0 {
		t.Errorf("nothing is known, and it says %g", got)
	}
}
