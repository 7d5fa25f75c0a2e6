package agent

import (
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"zerokeel/core/channel"
	"zerokeel/core/fan"
	"zerokeel/rigside/headers"
	"zerokeel/rigside/sensors"
)

// TestSweepOfARealHeader: it follows the sweep through the kernel's files and gives the header back; a machine that is hot, blind, or has
// no such header is refused, and nothing is written.
func TestSweepOfARealHeader(t *testing.T) {
	root := t.TempDir()
	chip := filepath.Join(root, "sys/class/hwmon/hwmon0")
	if err := os.MkdirAll(chip, 0o755); err != nil {
		t.Fatal(err)
	}
	write := func(name, text string) {
		if err := os.WriteFile(filepath.Join(chip, name), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	read := func(name string) string {
		text, err := os.ReadFile(filepath.Join(chip, name))
		if err != nil {
			t.Fatal(err)
		}
		return strings.TrimSpace(string(text))
	}
	write("name", "chip\n")
	write("pwm2", "90\n")
	write("pwm2_enable", "2\n")
	tree := os.DirFS(root)
	keeper, err := headers.NewKeeper(tree, headers.OnDisk(root), t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	warm, told := 41.0, true
	a := &agent{cfg: Config{Log: slog.New(slog.DiscardHandler)}, headers: headers.Find(tree), keeper: keeper, sensors: []sensors.Sensor{
		{Channel: channel.Of(channel.Temperature, 0.5), Read: func() (float64, bool) { return warm, told }}}}
	s := fan.Usual("duty.chip.pwm2", 0)
	for _, row := range []struct {
		name, header, says string
		c                  float64
		told               bool
	}{{"another header", "duty.chip.pwm1", "cannot be set", 41, true}, {"hot", s.Header, "below 60 °C only", 71, true},
		{"blind", s.Header, "does not tell its temperature", 41, false}} {
		warm, told = row.c, row.told
		other := s
		other.Header = row.header
		if _, err := a.newSwept(&other); err == nil || !strings.Contains(err.Error(), row.says) || read("pwm2_enable") != "2" {
			t.Errorf("%s: %v, driven by %s", row.name, err, read("pwm2_enable"))
		}
	}
	warm, told = 41, true
	swept, err := a.newSwept(&s)
	if err != nil {
		t.Fatal(err)
	}
	for _, row := range []struct {
		seconds float64
		duty    string
	}{{0.1, "255"}, {s.DwellS * 10.5, "128"}, {s.Seconds() / 2, "0"}, {s.Seconds() - 1, "255"}} {
		if err := swept.follow(time.Duration(row.seconds * float64(time.Second))); err != nil || read("pwm2") != row.duty {
			t.Errorf("after %.0f s: %s, %v; want %s", row.seconds, read("pwm2"), err, row.duty)
		}
	}
	swept.end()
	if read("pwm2_enable") != "2" {
		t.Errorf("after the sweep the header is driven by %s", read("pwm2_enable"))
	}
	if none, err := a.newSwept(nil); none != nil || err != nil || none.follow(0) != nil {
		t.Error("a leg without a sweep has one")
	}
}
