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
	for _, name := range []string{firmwareCode, firmwareVars} {
		if _, err := os.Stat(name); err != nil && *mustBoot {
			t.Fatal(err)
		} else if err != nil {
			t.Skip("there is no emulator here; ./keel test stick installs it")
		}
	}
	dir := t.TempDir()
	program := filepath.Join(dir, "zerokeel")
	build := exec.Command("go", "build", "-o", program, "zerokeel/cmd/zerokeel")
	build.Env = append(os.Environ(), "CGO_ENABLED=0")
	if out, err := build.CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	nobody := servertest.Guarded(t, storetest.Open(t), hostAddress)
	owner := nobody.Anybody()
	owner.Call("POST", "/api/first", api.FirstOwnerRequest{Code: nobody.Code, Name: "Ada", Password: "a long word of no meaning"}, 201, nil)
	var made api.CreatedRig
	owner.Call("POST", "/api/rigs", map[string]any{"name": "Fulmar", "inSystem": true}, 201, &made)
	rig := func(path string) string { return fmt.Sprintf("/api/rigs/%d%s", made.Rig.Id, path) }
	at, err := url.Parse(owner.Address)
	if err != nil {
		t.Fatal(err)
	}
	var linking api.Linking
	owner.Call("POST", rig("/link-code"), api.LinkCodeRequest{Address: "https://" + hostAddress + ":" + at.Port()}, 201, &linking)

	m := &emulated{t: t, dir: dir, image: filepath.Join(dir, "stick.img")}
	if err := stick.Make(t.Context(), stick.Config{Program: program, Cache: stick.UsualCache(),
		Note: bench.Note{Codes: []string{*linking.Code}}}, m.image); err != nil {
		t.Fatal(err)
	}
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

// emulated is a machine in the emulator.
type emulated struct {
	t       *testing.T
	dir     string
	image   string
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
	m.cmd = exec.CommandContext(m.t.Context(), "qemu-system-x86_64", "-machine", "q35", "-accel", "tcg,thread=multi",
		"-cpu", "max", "-smp", "2", "-m", "2048", "-display", "none", "-vga", "std",
		"-drive", "if=pflash,format=raw,readonly=on,file="+firmwareCode, "-drive", "if=pflash,format=raw,file="+vars,
		"-device", "qemu-xhci", "-drive", "if=none,id=stick,format=raw,file="+m.image, "-device", "usb-storage,drive=stick",
		"-nic", "user,model=e1000", "-serial", "file:"+filepath.Join(m.dir, "serial"), "-qmp", "unix:"+filepath.Join(m.dir, "monitor"))
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

// ask has the emulator do something, by its machine protocol.
func (m *emulated) ask(what string, argument ...any) {
	m.t.Helper()
	order := map[string]any{"execute": what}
	if len(argument) > 0 {
		order["arguments"] = map[string]any{argument[0].(string): argument[1]}
	}
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
