package stick_test

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"io"
	"net"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"zerokeel/rigside/bench"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
	"zerokeel/stick"
	"zerokeel/store/storetest"
)

var (
	mustBoot = flag.Bool("boot", false, "fail, instead of passing over the test, where the emulator is missing")
	pictures = flag.String("pictures", "", "folder in which pictures of the machine's screen are kept")
)

// Where the distribution keeps the emulator's UEFI firmware, and the variables that it starts with.
const (
	firmwareCode = "/usr/share/OVMF/OVMF_CODE_4M.fd"
	firmwareVars = "/usr/share/OVMF/OVMF_VARS_4M.fd"
)

// hostAddress is where an emulated machine finds the loopback of its host.
const hostAddress = "10.0.2.2"

// bootWithin is for how long a start of the emulated machine, or what it does next, is waited for before it counts as failed.
const bootWithin = 6 * time.Minute

// TestBoots starts a machine from a stick in an emulator: it links by the stick's code to a guarded server, runs a ladder, is reset in the
// middle of a leg, tells at its next start what was running, is judged by the server, and shuts itself down when it is told to.
func TestBoots(t *testing.T) {
	at := newTable(t)
	owner, rig := at.owner, at.rig
	linking := at.linking

	m := at.machine(bench.Note{Codes: []string{*linking.Code}}, "-nic", "user,model=e1000")
	m.start()
	m.until("it waits to be taken in", func() bool {
		owner.Call("GET", rig("/link-code"), nil, 200, &linking)
		return linking.Waits != nil
	})
	m.sees(`answers: take this machine in on the page of Fulmar`)
	m.picture("stick-waits")
	owner.Call("POST", rig("/link-code/take-in"), nil, 200, nil)
	var now api.Rig
	look := func() api.Rig { owner.Call("GET", rig(""), nil, 200, &now); return now }
	m.until("its sheets are made of what it tells", func() bool { return look().Sketched && now.Powers })
	if f := now.Facts; f.System != "Zero Keel bench stick" || f.Cores != 2 {
		t.Errorf("it says of itself: %+v", f)
	}
	m.sees(`At rest: nothing runs`)
	if used := m.usesMB(); used == 0 || used >= 60 {
		t.Errorf("the agent takes %g MB at rest", used)
	}

	var trial api.Trial
	legs := []api.LegRequest{servertest.Leg("integer", 5), servertest.Leg("heavy", 600)}
	owner.Call("POST", rig("/trials"), api.StartTrialRequest{Legs: legs}, 201, &trial)
	see := func() api.Trial {
		owner.Call("GET", fmt.Sprintf("/api/trials/%d", trial.Id), nil, 200, &trial)
		return trial
	}
	m.until("its second leg runs", func() bool { see(); return len(trial.Legs) == 2 && trial.Legs[1].State == "running" })
	m.sees(`Leg 2 of 2`)
	m.picture("stick")
	if status, _ := owner.Raw("POST", rig("/power"), api.PowerRequest{How: "off"}); status != 409 {
		t.Errorf("told to shut down in the middle of a leg, the server says %d", status)
	}
	m.ask("system_reset")
	m.until("the trial ends", func() bool { return see().Ended })
	if first, second := trial.Legs[0].Verdict, trial.Legs[1].Verdict; first != "held" || second != "restarted" {
		t.Errorf("a leg that held is judged %s, one in which the machine was reset %s", first, second)
	}
	m.until("it is linked again, without a code", func() bool { return look().State == "idle" && now.Powers })
	m.sees(`went down without a shutdown`)
	m.picture("stick-again")
	owner.Call("POST", rig("/power"), api.PowerRequest{How: "restart"}, 204, nil)
	m.until("it has left", func() bool { return !look().Linked })
	m.until("it has started anew", func() bool { return look().Powers })
	m.sees("Starting anew[\\s\\S]*At rest: nothing runs")
	m.press("ctrl", "p")
	m.sees("Once more to shut down")
	m.press("ctrl", "p")
	if err := m.off(); err != nil {
		t.Errorf("shut down, the emulator ends with %v", err)
	}
}

// TestSaysWhatIsMissing starts a machine without a network card from a stick without a code. Its screen says each time what is missing: a
// card, a network that hands out addresses, a code, one that is not mistyped, and the stick, once that is pulled out. With them it works.
func TestSaysWhatIsMissing(t *testing.T) {
	at := newTable(t)
	m := at.machine(bench.Note{}, "-nic", "none", "-device", "pcie-root-port,id=first,chassis=1",
		"-device", "pcie-root-port,id=second,chassis=2", "-netdev", "hubport,id=nothing,hubid=0", "-netdev", "user,id=home")
	m.start()
	m.sees(`no network card is seen`)
	m.ask("device_add", "driver", "e1000e", "netdev", "nothing", "bus", "first")
	m.sees(`nothing on the network of \S+ hands out addresses`)
	m.picture("stick-alone")
	m.ask("device_add", "driver", "e1000e", "netdev", "home", "bus", "second")
	m.sees(`Type the code from the rig's page`)
	wrong := strings.NewReplacer("7", "8", "8", "7", "2", "3", "3", "2").Replace(*at.linking.Code)
	m.types(wrong)
	m.sees(`the code is mistyped or cut off`)
	m.types(*at.linking.Code)
	m.sees(`answers: take this machine in on the page of Fulmar`)
	at.owner.Call("POST", at.rig("/link-code/take-in"), nil, 200, nil)
	var now api.Rig
	look := func() api.Rig { at.owner.Call("GET", at.rig(""), nil, 200, &now); return now }
	m.until("its sheets are made of what it tells", func() bool { return look().Sketched && now.Powers })
	m.sees(`At rest: nothing runs`)
	m.ask("device_del", "id", "plug")
	m.sees(`the stick is gone`)
	var trial api.Trial
	at.owner.Call("POST", at.rig("/trials"), api.StartTrialRequest{Legs: []api.LegRequest{servertest.Leg("integer", 5)}}, 201, &trial)
	m.until("a leg holds without the stick", func() bool {
		at.owner.Call("GET", fmt.Sprintf("/api/trials/%d", trial.Id), nil, 200, &trial)
		return trial.Ended
	})
	if trial.Verdict != "held" {
		t.Errorf("without its stick a machine's trial came to %q: %s", trial.Verdict, trial.Why)
	}
	m.picture("stick-gone")
	at.owner.Call("POST", at.rig("/power"), api.PowerRequest{How: "off"}, 204, nil)
	if err := m.off(); err != nil {
		t.Errorf("shut down, the emulator ends with %v", err)
	}
}

// table is where an emulated machine stands: a guarded server, and a rig that waits for a machine.
type table struct {
	t       *testing.T
	dir     string
	program string
	owner   *servertest.Bench
	id      int64
	linking api.Linking
}

func newTable(t *testing.T) *table {
	t.Helper()
	for _, name := range []string{firmwareCode, firmwareVars} {
		if _, err := os.Stat(name); err != nil && *mustBoot {
			t.Fatal(err)
		} else if err != nil {
			t.Skip("there is no emulator here; ./keel test stick installs it")
		}
	}
	at := &table{t: t, dir: t.TempDir()}
	at.program = filepath.Join(at.dir, "zerokeel")
	build := exec.Command("go", "build", "-o", at.program, "zerokeel/cmd/zerokeel")
	build.Env = append(os.Environ(), "CGO_ENABLED=0")
	if out, err := build.CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	nobody := servertest.Guarded(t, storetest.Open(t), hostAddress)
	at.owner = nobody.Anybody()
	at.owner.Call("POST", "/api/first", api.FirstOwnerRequest{Code: nobody.Code, Name: "Ada", Password: "a long word of no meaning"}, 201, nil)
	var made api.CreatedRig
	at.owner.Call("POST", "/api/rigs", map[string]any{"name": "Fulmar", "inSystem": true}, 201, &made)
	at.id = made.Rig.Id
	address, err := url.Parse(at.owner.Address)
	if err != nil {
		t.Fatal(err)
	}
	at.owner.Call("POST", at.rig("/link-code"), api.LinkCodeRequest{Address: "https://" + hostAddress + ":" + address.Port()}, 201,
		&at.linking)
	return at
}

func (at *table) rig(path string) string { return fmt.Sprintf("/api/rigs/%d%s", at.id, path) }

// machine is one with a stick and, beside that, some devices.
func (at *table) machine(note bench.Note, devices ...string) *emulated {
	at.t.Helper()
	m := &emulated{t: at.t, dir: at.dir, image: filepath.Join(at.dir, "stick.img"), devices: devices}
	if err := stick.Make(at.t.Context(), stick.Config{Program: at.program, Cache: stick.UsualCache(), Note: note}, m.image); err != nil {
		at.t.Fatal(err)
	}
	return m
}

// emulated is a machine in the emulator.
type emulated struct {
	t       *testing.T
	dir     string
	image   string
	devices []string
	cmd     *exec.Cmd
	done    chan error
	monitor net.Conn
	said    *bufio.Reader
}

// start switches the machine on. Its stick is the only thing that it has to start from.
func (m *emulated) start() {
	m.t.Helper()
	vars := filepath.Join(m.dir, "vars.fd")
	text, err := os.ReadFile(firmwareVars)
	if err == nil {
		err = os.WriteFile(vars, text, 0o600)
	}
	if err != nil {
		m.t.Fatal(err)
	}
	monitor, err := net.Listen("unix", filepath.Join(m.dir, "monitor"))
	if err != nil {
		m.t.Fatal(err)
	}
	defer func() { _ = monitor.Close() }()
	m.cmd = exec.CommandContext(m.t.Context(), "qemu-system-x86_64", append([]string{"-machine", "q35", "-accel", "tcg,thread=multi",
		"-cpu", "max", "-smp", "2", "-m", "2048", "-display", "none", "-vga", "std",
		"-drive", "if=pflash,format=raw,readonly=on,file=" + firmwareCode, "-drive", "if=pflash,format=raw,file=" + vars,
		"-device", "qemu-xhci", "-drive", "if=none,id=stick,format=raw,file=" + m.image, "-device", "usb-storage,id=plug,drive=stick",
		"-serial", "file:" + filepath.Join(m.dir, "serial"), "-qmp", "unix:" + filepath.Join(m.dir, "monitor")}, m.devices...)...)
	var said bytes.Buffer
	m.cmd.Stderr = &said
	if err := m.cmd.Start(); err != nil {
		m.t.Fatal(err)
	}
	m.done = make(chan error, 1)
	go func() { m.done <- m.cmd.Wait() }()
	m.t.Cleanup(func() {
		_ = m.cmd.Process.Kill()
		if m.t.Failed() {
			m.t.Logf("the emulator says: %s\nthe screen:\n%s", said.String(), m.screen())
		}
	})
	if m.monitor, err = monitor.Accept(); err != nil {
		m.t.Fatal(err)
	}
	m.said = bufio.NewReader(m.monitor)
	m.ask("qmp_capabilities")
}

// press presses keys of the machine's keyboard together.
func (m *emulated) press(keys ...string) {
	m.t.Helper()
	var together []map[string]string
	for _, key := range keys {
		together = append(together, map[string]string{"type": "qcode", "data": key})
	}
	m.ask("send-key", "keys", together)
}

// types writes a word on the machine's keyboard, and ends the line.
func (m *emulated) types(word string) {
	m.t.Helper()
	for _, r := range strings.ToLower(word) {
		key := string(r)
		if r == '-' {
			key = "minus"
		}
		m.press(key)
	}
	m.press("ret")
}

// ask has the emulator do something, by its machine protocol.
func (m *emulated) ask(what string, argument ...any) {
	m.t.Helper()
	order := map[string]any{"execute": what}
	arguments := map[string]any{}
	for i := 0; i+1 < len(argument); i += 2 {
		arguments[argument[i].(string)] = argument[i+1]
	}
	order["arguments"] = arguments
	text, err := json.Marshal(order)
	if err == nil {
		_, err = m.monitor.Write(append(text, '\n'))
	}
	for err == nil {
		var line []byte
		if line, err = m.said.ReadBytes('\n'); bytes.Contains(line, []byte(`"return"`)) {
			return
		} else if bytes.Contains(line, []byte(`"error"`)) {
			m.t.Fatalf("%s: %s", what, line)
		}
	}
	m.t.Fatalf("%s: %v", what, err)
}

var control = regexp.MustCompile("\x1b\\[[0-9;?]*[A-Za-z]")

// screen is all that the machine showed so far, on its serial line.
func (m *emulated) screen() string {
	text, _ := os.ReadFile(filepath.Join(m.dir, "serial"))
	return control.ReplaceAllString(string(text), "\n")
}

func (m *emulated) sees(pattern string) {
	m.t.Helper()
	what := regexp.MustCompile(pattern)
	m.until("its screen shows "+pattern, func() bool { return what.MatchString(m.screen()) })
}

var takes = regexp.MustCompile(`agent (\d+) MB`)

// usesMB is the most memory that the machine's screen told of so far.
func (m *emulated) usesMB() (most float64) {
	for _, found := range takes.FindAllStringSubmatch(m.screen(), -1) {
		if x, err := strconv.ParseFloat(found[1], 64); err == nil {
			most = max(most, x)
		}
	}
	return most
}

// until waits for something to hold.
func (m *emulated) until(what string, holds func() bool) {
	m.t.Helper()
	ctx, done := context.WithTimeout(m.t.Context(), bootWithin)
	defer done()
	look := time.NewTicker(200 * time.Millisecond)
	defer look.Stop()
	for !holds() {
		select {
		case <-ctx.Done():
			m.t.Fatal("not seen: " + what)
		case err := <-m.done:
			m.t.Fatalf("the machine went off before %s: %v", what, err)
		case <-look.C:
		}
	}
}

// off waits until the machine is off.
func (m *emulated) off() error {
	select {
	case err := <-m.done:
		return err
	case <-time.After(bootWithin):
		return context.DeadlineExceeded
	}
}

// picture keeps a picture of the machine's own screen, where pictures are asked for.
func (m *emulated) picture(name string) {
	m.t.Helper()
	if *pictures == "" {
		return
	}
	raw := filepath.Join(m.dir, name+".ppm")
	m.ask("screendump", "filename", raw)
	f, err := os.Open(raw)
	if err != nil {
		m.t.Fatal(err)
	}
	defer func() { _ = f.Close() }()
	r := bufio.NewReader(f)
	var w, h, most int
	if _, err := fmt.Fscanf(r, "P6\n%d %d\n%d\n", &w, &h, &most); err != nil {
		m.t.Fatal(err)
	}
	dots, err := io.ReadAll(r)
	if err != nil || len(dots) != 3*w*h {
		m.t.Fatalf("a picture of %d bytes: %v", len(dots), err)
	}
	out := image.NewRGBA(image.Rect(0, 0, w, h))
	for i := range w * h {
		out.Set(i%w, i/w, color.RGBA{dots[3*i], dots[3*i+1], dots[3*i+2], 255})
	}
	var b bytes.Buffer
	if err := png.Encode(&b, out); err != nil {
		m.t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(*pictures, name+".png"), b.Bytes(), 0o644); err != nil {
		m.t.Fatal(err)
	}
}
