package bench

import (
	"context"
	"encoding/json"
	"net/netip"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"zerokeel/link"
	"zerokeel/rigside/agent"
)

func madeCode(t testing.TB) string {
	t.Helper()
	c, err := link.NewCode(link.Server{Address: "https://10.0.0.2:7350", Fingerprint: strings.Repeat("ab", 32)})
	if err != nil {
		t.Fatal(err)
	}
	return c.String()
}

// TestNote: what is written is read; what is wrong is told by its line, and what is right beside it counts.
func TestNote(t *testing.T) {
	n := Note{Codes: []string{madeCode(t), madeCode(t)}, Address: netip.MustParsePrefix("192.168.7.20/24"),
		Gateway: netip.MustParseAddr("192.168.7.1"), NameServers: []netip.Addr{netip.MustParseAddr("fd00::1")}}
	back, faults := ParseNote(n.String())
	if len(faults) > 0 || back.String() != n.String() || !slices.Equal(back.Codes, n.Codes) {
		t.Errorf("%v: %+v", faults, back)
	}
	one := madeCode(t)
	back, faults = ParseNote("\ufeffCode: " + one + "\r\n\r\n" + strings.ToLower(strings.ReplaceAll(one, "-", "")) +
		"\naddress 192.168.7.20\ngateway 10.0.0.1\nsail on\ncode ABCD")
	if !slices.Equal(back.Codes, []string{one, one}) || back.Gateway.IsValid() {
		t.Errorf("%+v", back)
	}
	var fields []string
	for _, f := range faults {
		fields = append(fields, f.Field)
	}
	want := []string{NoteFile + ", line 4", NoteFile + ", line 6", NoteFile + ", line 7", NoteFile + ", gateway"}
	if !slices.Equal(fields, want) {
		t.Errorf("the faults are of %q", fields)
	}
}

// FuzzNote: whatever somebody writes onto a stick, what is taken from it can be written and read again.
func FuzzNote(f *testing.F) {
	f.Add("code " + madeCode(f) + "\naddress 10.0.0.5/8\ngateway 10.0.0.1\nname-server 10.0.0.1")
	f.Add("\x00\xff\ncode\naddress fe80::1%eth0/64")
	f.Fuzz(func(t *testing.T, text string) {
		n, _ := ParseNote(text)
		back, faults := ParseNote(n.String())
		if len(faults) > 0 || back.String() != n.String() {
			t.Errorf("%q becomes %q, and that is not read: %v", text, n.String(), faults)
		}
	})
}

// TestModules: what devices ask for is loaded, what it needs before it, each once, and what nobody asks for is not.
func TestModules(t *testing.T) {
	dir := t.TempDir()
	table := filepath.Join(dir, "table")
	text, err := json.Marshal([]Module{
		{Path: "net/e1000e.ko", Aliases: []string{"pci:v00008086d0000100[EF]sv*sd*bc*sc*i*"}, Needs: []string{"ptp-core"}},
		{Path: "lib/ptp_core.ko.xz", Likes: []string{"pps_core", "not-there"}},
		{Path: "lib/pps_core.ko"},
		{Path: "hwmon/nct.ko", Aliases: []string{"acpi*:SIO6*:*", "platform:a/b*"}},
		{Path: "other.ko", Aliases: []string{"pci:v*"}},
	})
	if err == nil {
		err = os.WriteFile(table, text, 0o600)
	}
	if err != nil {
		t.Fatal(err)
	}
	var loaded []string
	m, err := readModules("/m", table, func(name string) error { loaded = append(loaded, name); return os.ErrInvalid })
	if err != nil {
		t.Fatal(err)
	}
	devices := filepath.Join(dir, "devices", "pci0", "00:1f.6")
	if err := os.MkdirAll(devices, 0o700); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(devices, "modalias"), []byte("pci:v00008086d0000100Fsv1sd2bc3sc4i5\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	m.all = m.all[:4]
	m.askAll(filepath.Join(dir, "devices"))
	m.askAll(filepath.Join(dir, "devices"))
	m.ask("acpi:SIO6798:x")
	m.all = append(m.all, Module{Path: "drivers/hwmon/alone.ko"})
	m.probe()
	if want := []string{"/m/lib/pps_core.ko", "/m/lib/ptp_core.ko.xz", "/m/net/e1000e.ko", "/m/hwmon/nct.ko",
		"/m/drivers/hwmon/alone.ko"}; !slices.Equal(loaded, want) {
		t.Errorf("loaded are %q", loaded)
	}
	for _, row := range []struct {
		pattern, name string
		fits          bool
	}{
		{"usb:v*p*d*dc*ic03*", "usb:v046Dp/1d0dcicx", false}, {"of:N*T*Ca/b*", "of:NxTyCa/bc", true},
		{"cpu:type:x86,ven*:feature:*00E1*", "cpu:type:x86,ven0:feature:,00E0,00E1", true},
		{"[", "[", false},
	} {
		if got := fits(row.pattern, row.name); got != row.fits {
			t.Errorf("%s fits %s: %v", row.name, row.pattern, got)
		}
	}
}

// TestMachines: a machine is told from others by what its firmware says, unless that is what every firmware says.
func TestMachines(t *testing.T) {
	for id, is := range map[string]bool{
		"4c4c4544-0042-3510-8052-b4c04f4b4d32": true, "00000000-0000-0000-0000-000000000000": false,
		"ffffffff-ffff-ffff-ffff-ffffffffffff": false, "03000200-0400-0500-0006-000700080009": false, "default": false, "": false,
		"to be filled by o.e.m.": false, "../../etc": false,
	} {
		if isID(id) != is {
			t.Errorf("%q tells machines apart: %v", id, !is)
		}
	}
	dir := t.TempDir()
	stick := make([]byte, 512)
	copy(stick[labelAt:], label)
	for name, first := range map[string][]byte{"sda": make([]byte, 512), "sda1": stick, "sr0": []byte("short")} {
		if err := os.WriteFile(filepath.Join(dir, name), first, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	if got := labelled(dir, dir); got != filepath.Join(dir, "sda1") {
		t.Errorf("the stick is found at %q", got)
	}
}

var style = regexp.MustCompile("\x1b\\[[0-9;]*m")

// TestView: whatever is shown stands within the screen, in letters that every console has, and what matters is there.
func TestView(t *testing.T) {
	watts := 142.4
	at := time.Unix(1000, 0)
	busy := agent.Now{Rig: "Petrel", Linked: true, PowerW: &watts, Hottest: &agent.OfCore{Core: 5, Value: 78.4},
		Lowest: &agent.OfCore{Core: 2, Value: 4850}, Fault: "14:02:11 UTC, core 3 miscalculated under heavy, T2 Curve −20",
		Leg: &agent.Leg{Trim: "T3 Curve −18 all cores", Step: 3, Of: 7, Load: "transform-large", RanS: 100, AllS: 3700}}
	lost := busy
	lost.Linked, lost.Unsent, lost.Leg, lost.Hottest, lost.Fault = false, 120, nil, nil, ""
	for name, c := range map[string]struct {
		view view
		want []string
	}{
		"busy": {view{address: "10.0.0.7", now: &busy}, []string{"10.0.0.7  linked", "Petrel", "T3 Curve -18 all cores",
			"Leg 3 of 7  transform large load",
			"1 h 00 min left", "78.4 C", "core 5", "4850 MHz", "142 W", "Last fault", "Ctrl P shut down"}},
		"lost": {view{now: &lost, notKept: "no stick is seen"}, []string{"link lost, 120 reports kept", "At rest", "not told by this machine",
			"No fault since this start", "no stick is seen"}},
		"asks": {view{asks: true, typed: strings.Repeat("ABCD", 40), doing: "this code has expired"}, []string{"Type the code",
			"this code has expired", "ABCD"}},
		"sure": {view{now: &busy, order: keyOff, orderUntil: at.Add(time.Second)}, []string{"Once more to shut down; the leg ends with it"}},
		"long": {view{doing: strings.Repeat("Ω word ", 900), logged: strings.Repeat("x", 500)}, []string{"Ohm word"}},
	} {
		for _, size := range [][2]int{{80, 25}, {leastColumns, leastRows}, {mostColumns, mostRows}} {
			lines := c.view.lines(size[0], size[1], at)
			if len(lines) != size[1] {
				t.Errorf("%s: %d lines on %d rows", name, len(lines), size[1])
			}
			all := style.ReplaceAllString(strings.Join(lines, "\n"), "")
			for _, line := range strings.Split(all, "\n") {
				if len(line) > size[0] || strings.ContainsFunc(line, func(r rune) bool { return r >= 0x7f || r < ' ' }) {
					t.Errorf("%s at %v: %q", name, size, line)
				}
			}
			for _, want := range c.want {
				if size[0] > leastColumns && !strings.Contains(all, want) {
					t.Errorf("%s at %v does not say %q:\n%s", name, size, want, all)
				}
			}
		}
	}
}

// TestKeys: a code is typed and corrected; an order to the machine is given twice within its time.
func TestKeys(t *testing.T) {
	m := &machine{screen: newScreen(nil), stop: func() {}, how: "nothing"}
	ctx, done := context.WithCancel(t.Context())
	defer done()
	at := time.Unix(1000, 0)
	typed := make(chan string, 1)
	m.screen.change(func(v *view) { v.asks = true })
	for _, key := range []byte("sail\x15ab\x7fc\b\bd\x01e") {
		m.key(ctx, key, at)
	}
	go func() { typed <- <-m.screen.typed }()
	for len(typed) == 0 { // until somebody asks for it, Enter does nothing
		m.key(ctx, keyEnter, at)
	}
	if got := <-typed; got != "de" {
		t.Errorf("typed was %q", got)
	}
	m.key(ctx, keyOff, at)
	m.key(ctx, keyRestart, at.Add(time.Second))
	m.key(ctx, keyOff, at.Add(2*time.Second))
	m.key(ctx, keyOff, at.Add(2*time.Second+sureWithin))
	if m.how != "nothing" {
		t.Errorf("one press, another key or a late one has it %s", m.how)
	}
	if m.key(ctx, keyOff, at.Add(3*time.Second+sureWithin)); m.how != link.PowerOff {
		t.Errorf("pressed twice it is to %s", m.how)
	}
}
