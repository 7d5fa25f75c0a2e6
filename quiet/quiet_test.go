package quiet_test

import (
	"bytes"
	"fmt"
	"log/slog"
	"strings"
	"testing"
	"time"

	"zerokeel/quiet"
)

// TestRetriesDoNotFillTheLog: of what is tried ten times a second for 20 minutes a few lines are written, which tell of all; another
// line, another rig, and what comes back after a rest are written at once.
func TestRetriesDoNotFillTheLog(t *testing.T) {
	var out bytes.Buffer
	now := time.Unix(1_800_000_000, 0)
	log := slog.New(quiet.Handler(slog.NewTextHandler(&out, nil), func() time.Time { return now })).With("part", "link")
	const tries = 12000
	for i := range tries {
		log.Warn("link is down", "server", "http://a", "cause", fmt.Sprintf("dial 127.0.0.1:%d: refused", 30000+i))
		now = now.Add(100 * time.Millisecond)
	}
	lines := strings.Split(strings.TrimSpace(out.String()), "\n")
	if len(lines) < 4 || len(lines) > 10 {
		t.Errorf("%d lines:\n%s", len(lines), out.String())
	}
	told := len(lines)
	for _, l := range lines {
		var again int
		if _, rest, found := strings.Cut(l, "again="); found {
			if _, err := fmt.Sscan(rest, &again); err != nil {
				t.Fatal(err)
			}
		}
		told += again
	}
	if told < tries/2 || told > tries {
		t.Errorf("%d of %d tries are told", told, tries)
	}
	for name, say := range map[string]func(){
		"other words":    func() { log.Warn("link is down", "server", "http://a", "cause", "bad token") },
		"another server": func() { log.Warn("link is down", "server", "http://b", "cause", "dial 127.0.0.1:1: refused") },
		"another level":  func() { log.Error("link is down", "server", "http://a", "cause", "dial 127.0.0.1:1: refused") },
		"of another part": func() {
			log.With("part", "x").Warn("link is down", "server", "http://a", "cause", "dial 127.0.0.1:1: refused")
		},
		"after a rest": func() {
			now = now.Add(time.Hour)
			log.Warn("link is down", "server", "http://a", "cause", "dial 127.0.0.1:1: refused")
		},
	} {
		out.Reset()
		say()
		if strings.Count(out.String(), "\n") != 1 {
			t.Errorf("%s: %q", name, out.String())
		}
	}
}
